"""What an automation is, once its text has been understood."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta, tzinfo
from enum import StrEnum

from hombi.core.house_time import moment_ms
from hombi.core.kinds import Kind

DAY_NAMES = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MINUTES_A_DAY = 24 * 60


class Lost(StrEnum):
    """What happens to what is on when the watched value is bad, or not heard any
    more."""

    END = "end"
    STAY = "stay"


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
    lost: Lost = Lost.END

    def starts_with(self, value: float) -> bool:
        """Whether this value is on the side that counts."""
        if self.condition is Condition.OVER:
            return value > self.limit
        if self.condition is Condition.UNDER:
            return value < self.limit
        return value == self.limit

    def ends_with(self, value: float) -> bool:
        """Whether this value ends what has started: back past `until`, or past the
        limit where there is none."""
        if self.until is None:
            return not self.starts_with(value)
        return value <= self.until if self.condition is Condition.OVER else value >= self.until


@dataclass(frozen=True, slots=True)
class Only:
    """The circumstances in which an automation may act: hours of the day, and days of
    the week, in house time.

    `between` is (from, to) in minutes after midnight, `to` excluded; a span that ends
    before it begins goes over midnight and belongs to the day on which it begins.
    `days` counts from Monday = 0; empty means every day. On the days of a clock change
    a span goes from its first beginning to its last end.
    """

    between: tuple[int, int] | None = None
    days: frozenset[int] = frozenset()

    def allows(self, now_ms: int, zone: tzinfo) -> bool:
        """Whether it may act at this moment."""
        if self.between is None and not self.days:
            return True
        return any(
            begins <= now_ms < ends for begins, ends in self._spans(now_ms, zone, range(-2, 1))
        )

    def next_change_ms(self, now_ms: int, zone: tzinfo) -> int | None:
        """The next moment at which `allows` changes, or None when it never does."""
        if self.between is None and not self.days:
            return None
        now = self.allows(now_ms, zone)
        # The same spans say what is allowed and when that changes, so the two cannot
        # disagree.
        marks = {
            mark
            for span in self._spans(now_ms, zone, range(-2, 9))
            for mark in span
            if mark > now_ms
        }
        return next((mark for mark in sorted(marks) if self.allows(mark, zone) != now), None)

    def _spans(self, now_ms: int, zone: tzinfo, days: range) -> Iterator[tuple[int, int]]:
        """The spans that begin on these days, counted from today: (from, to) in ms,
        `to` excluded."""
        today = datetime.fromtimestamp(now_ms / 1000, zone).date()
        begins, ends = self.between or (0, MINUTES_A_DAY)
        for ahead in days:
            day = today + timedelta(days=ahead)
            if not self.days or day.weekday() in self.days:
                last = day if begins < ends else day + timedelta(days=1)
                yield moment_ms(day, begins, zone), moment_ms(last, ends, zone, last=True)


@dataclass(frozen=True, slots=True)
class Switch:
    """Put an entity that can be switched into a state (1.0 on, 0.0 off)."""

    entity: str
    to: float


@dataclass(frozen=True, slots=True)
class Notify:
    """Send a notice to the phones of one person, or of "everyone". `title` and `text`
    may hold {fields}."""

    to: str
    title: str
    text: str


Action = Switch | Notify


@dataclass(frozen=True, slots=True)
class Automation:
    """One automation: what it watches, when it may act, and what it does at either
    edge."""

    name: str
    about: str
    watch: Watch
    only: Only
    starts: tuple[Action, ...]
    ends: tuple[Action, ...]
