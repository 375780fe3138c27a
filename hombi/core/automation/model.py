"""What an automation is, once its text has been understood."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta, tzinfo
from enum import StrEnum

from hombi.core.kinds import Kind

DAY_NAMES = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MINUTES_A_DAY = 24 * 60


class Condition(StrEnum):
    """How a watched value is compared."""

    OVER = "over"
    UNDER = "under"
    IS = "is"


@dataclass(frozen=True, slots=True)
class Watch:
    """What to look at. `limit` and `until` are in the unit of the entity's kind."""

    entity: str
    kind: Kind
    condition: Condition
    limit: float
    until: float | None = None
    held_ms: int = 0

    def starts_with(self, value: float) -> bool:
        """Whether this value is on the side that counts."""
        if self.condition is Condition.OVER:
            return value > self.limit
        if self.condition is Condition.UNDER:
            return value < self.limit
        return value == self.limit

    def ends_with(self, value: float) -> bool:
        """Whether this value ends what has started: back past `until`, or past the limit where there is none."""
        if self.until is None:
            return not self.starts_with(value)
        return value <= self.until if self.condition is Condition.OVER else value >= self.until


@dataclass(frozen=True, slots=True)
class Only:
    """The circumstances in which an automation may act: hours of the day, and days of the week, in house time.

    `between` is (from, to) in minutes after midnight, `to` excluded; a span that ends before it begins goes over
    midnight and belongs to the day on which it begins. `days` counts from Monday = 0; empty means every day.
    """

    between: tuple[int, int] | None = None
    days: frozenset[int] = frozenset()

    def allows(self, now_ms: int, zone: tzinfo) -> bool:
        """Whether it may act at this moment."""
        local = datetime.fromtimestamp(now_ms / 1000, zone)
        day, minute = local.weekday(), local.hour * 60 + local.minute
        if self.between is not None:
            begins, ends = self.between
            if begins <= ends:
                if not begins <= minute < ends:
                    return False
            elif minute < ends:
                day = (day - 1) % 7
            elif minute < begins:
                return False
        return not self.days or day in self.days

    def next_change_ms(self, now_ms: int, zone: tzinfo) -> int | None:
        """The next moment at which `allows` changes, or None when it never does."""
        if self.between is None and not self.days:
            return None
        now = self.allows(now_ms, zone)
        midnight = datetime.fromtimestamp(now_ms / 1000, zone).replace(hour=0, minute=0, second=0, microsecond=0)
        marks = sorted({0, *(m for m in self.between or () if m < MINUTES_A_DAY)})
        for ahead in range(9):
            for mark in marks:
                wall = (midnight + timedelta(days=ahead)).replace(hour=mark // 60, minute=mark % 60)
                at_ms = round(wall.timestamp() * 1000)
                if at_ms > now_ms and self.allows(at_ms, zone) != now:
                    return at_ms
        return None


@dataclass(frozen=True, slots=True)
class Switch:
    """Put an entity that can be switched into a state (1.0 on, 0.0 off)."""

    entity: str
    to: float


@dataclass(frozen=True, slots=True)
class Notify:
    """Send a notice to the phones of one person, or of "everyone". `title` and `text` may hold {fields}."""

    to: str
    title: str
    text: str


Action = Switch | Notify


@dataclass(frozen=True, slots=True)
class Automation:
    """One automation: what it watches, when it may act, and what it does at either edge."""

    name: str
    about: str
    watch: Watch
    only: Only
    starts: tuple[Action, ...]
    ends: tuple[Action, ...]
