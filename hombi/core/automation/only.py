"""`only`: the circumstances in which an automation may act."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta, tzinfo
from functools import lru_cache
from typing import Any

from hombi.core.automation.dates import Dates, read_dates
from hombi.core.automation.text import only_keys, text
from hombi.core.automation.text import table as table_of
from hombi.core.automation.times import ClockTime, DayTime, read_time, span_of
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.toml_text import TomlText

DAY_NAMES = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
WHOLE_DAY = (ClockTime(0), ClockTime(24 * 60))
DAY_MS = 86_400_000
_HOURS = re.compile(r"\s*(\d{1,2}:\d{2})\s*-\s*(\d{1,2}:\d{2})\s*")
_DAYS = dict(zip(DAY_NAMES, range(7), strict=True))


@dataclass(frozen=True, slots=True)
class Only:
    """The circumstances in which an automation may act: hours of the day, days of the
    week, and dates of the year, in house time.

    `between` is from when to when, the end excluded; a span over midnight belongs to
    the day on which it begins. `days` counts from Monday = 0; empty means every day.
    On the days of a clock change a span goes from its first beginning to its last end.
    """

    between: tuple[DayTime, DayTime] | None = None
    days: frozenset[int] = frozenset()
    dates: Dates = ()
    # Whether it may act at all times; asked for in each step.
    always: bool = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        always = self.between is None and not self.days and not self.dates
        object.__setattr__(self, "always", always)

    def allows(self, now_ms: int, zone: tzinfo) -> bool:
        """Whether it may act at this moment."""
        if self.always:
            return True
        return any(begins <= now_ms < ends for begins, ends in self._around(now_ms, zone))

    def next_change_ms(self, now_ms: int, zone: tzinfo) -> int | None:
        """The next moment at which `allows` changes, or None when it never does. Out of
        its dates, a moment to look again at may come first."""
        if self.always:
            return None
        now = self.allows(now_ms, zone)
        # The same spans say what is allowed and when that changes, so the two cannot
        # disagree.
        marks = {mark for span in self._around(now_ms, zone) for mark in span if mark > now_ms}
        result = next((mark for mark in sorted(marks) if self.allows(mark, zone) != now), None)
        seldom = self.dates or (self.between and not all(map(_of_clock, self.between)))
        return now_ms + 7 * DAY_MS if result is None and seldom else result

    def _around(self, now_ms: int, zone: tzinfo) -> tuple[tuple[int, int], ...]:
        return _spans(self, datetime.fromtimestamp(now_ms / 1000, zone).date(), zone)

    def sentence(self) -> str:
        """As in "…, only from 06:00 to 22:00"; "" for no circumstances."""
        sentence = ""
        if self.between:
            begins, ends = self.between
            sentence += f", only from {begins} to {ends}"
        if self.days:
            sentence += (
                f", only on {', '.join(DAY_NAMES[d].capitalize() for d in sorted(self.days))}"
            )
        if self.dates:
            sentence += f", only {' and '.join(map(str, self.dates))}"
        return sentence


def _of_clock(time: DayTime) -> bool:
    return isinstance(time, ClockTime)


@lru_cache(maxsize=4096)
def _spans(only: Only, today: date, zone: tzinfo) -> tuple[tuple[int, int], ...]:
    """The spans that begin on the days around one, from two before to eight after:
    (from, to) in ms, `to` excluded. The same ones are asked for again and again."""
    result = []
    for ahead in range(-2, 9):
        day = today + timedelta(days=ahead)
        if only.days and day.weekday() not in only.days:
            continue
        if only.dates and not any(one.has(day) for one in only.dates):
            continue
        if (span := span_of(day, *(only.between or WHOLE_DAY), zone)) is not None:
            result.append(span)
    return tuple(result)


def read_only(toml: TomlText, facts: HouseFacts) -> Only:
    """Understand [only]; what is wrong is noted there."""
    table = table_of(toml, "only")
    if table is None:
        return Only()
    only_keys(toml, ("only",), table, {"between", "days", "dates", "when", "home"})
    return Only(_between(toml, table, facts), _days(toml, table), read_dates(toml, table))


def _between(
    toml: TomlText, table: dict[str, Any], facts: HouseFacts
) -> tuple[DayTime, DayTime] | None:
    """Hours: "06:00-22:00", or ["sunset", "23:30"]."""
    path, hours = ("only", "between"), table.get("between")
    hint = 'write between = "06:00-22:00" or ["sunset", "23:30"]'
    if hours is None:
        return None
    if isinstance(hours, list):
        if len(hours) != 2:
            toml.blame(path, "these are not from when and to when", hint)
            return None
        begins, ends = (
            read_time(toml, (*path, n), one, facts, midnight=True) for n, one in enumerate(hours)
        )
    else:
        hours = text(toml, ("only",), table, "between")
        match = _HOURS.fullmatch(hours)
        if match is None:
            if hours:
                toml.blame(path, f"{hours!r} are not hours", hint)
            return None
        begins, ends = (read_time(toml, path, match[n], facts, midnight=True) for n in (1, 2))
    if begins is None or ends is None:
        return None
    if begins == ends:
        what = "these hours begin and end at the same time"
        toml.blame(path, what, "leave between out for the whole day")
        return None
    return begins, ends


def _days(toml: TomlText, table: dict[str, Any]) -> frozenset[int]:
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
            toml.blame(("only", "days", number), f"{day!r} is not a day", hint)
    return frozenset(chosen)
