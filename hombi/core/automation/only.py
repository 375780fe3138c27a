"""`only`: the circumstances in which an automation may act."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, timedelta, tzinfo
from functools import lru_cache

from hombi.core.automation.text import only_keys, text
from hombi.core.automation.text import table as table_of
from hombi.core.house_facts import did_you_mean
from hombi.core.house_time import moment_ms
from hombi.core.toml_text import TomlText

DAY_NAMES = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MINUTES_A_DAY = 24 * 60
_HOURS = re.compile(r"\s*(\d{1,2}):(\d{2})\s*-\s*(\d{1,2}):(\d{2})\s*")
_DAYS = dict(zip(DAY_NAMES, range(7), strict=True))


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
        for ahead in days:
            day = today + timedelta(days=ahead)
            if not self.days or day.weekday() in self.days:
                yield _span(day, *(self.between or (0, MINUTES_A_DAY)), zone)

    def sentence(self) -> str:
        """As in "…, only from 06:00 to 22:00"; "" for no circumstances."""
        said = ""
        if self.between:
            begins, ends = (f"{m // 60:02d}:{m % 60:02d}" for m in self.between)
            said += f", only from {begins} to {ends}"
        if self.days:
            said += f", only on {', '.join(DAY_NAMES[d].capitalize() for d in sorted(self.days))}"
        return said


@lru_cache(maxsize=4096)
def _span(day: date, begins: int, ends: int, zone: tzinfo) -> tuple[int, int]:
    """The span that begins on a day; the same ones are asked for again and again."""
    last = day if begins < ends else day + timedelta(days=1)
    return moment_ms(day, begins, zone), moment_ms(last, ends, zone, last=True)


def read_only(toml: TomlText) -> Only:
    """Understand [only]; what is wrong is noted there."""
    table = table_of(toml, "only")
    if table is None:
        return Only()
    only_keys(toml, ("only",), table, {"between", "days", "when"})
    between = None
    if (hours := text(toml, ("only",), table, "between")) != "":
        match = _HOURS.fullmatch(hours)
        minutes = [int(match[i]) * 60 + int(match[i + 1]) for i in (1, 3)] if match else []
        if match is None or int(match[2]) > 59 or int(match[4]) > 59 or max(minutes) > 24 * 60:
            toml.blame(
                ("only", "between"), f"{hours!r} are no hours", 'write between = "06:00-22:00"'
            )
        elif minutes[0] == minutes[1]:
            toml.blame(
                ("only", "between"),
                "these hours begin and end at the same time",
                "leave between out for the whole day",
            )
        else:
            between = (minutes[0], minutes[1])
    days = table.get("days", [])
    if not isinstance(days, list):
        toml.blame(("only", "days"), "days is a list", 'write days = ["mon", "tue"]')
        days = []
    elif not days and "days" in table:
        toml.blame(("only", "days"), "days is empty", "leave days out for every day")
    chosen = set()
    for number, day in enumerate(days):
        if isinstance(day, str) and day.lower() in _DAYS:
            chosen.add(_DAYS[day.lower()])
        else:
            hint = did_you_mean(str(day).lower(), DAY_NAMES) or f"days are {', '.join(DAY_NAMES)}"
            toml.blame(("only", "days", number), f"{day!r} is no day", hint)
    return Only(between, frozenset(chosen))
