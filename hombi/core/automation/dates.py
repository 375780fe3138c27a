"""Dates in a text: days of every year, or of one.

dates = ["12-24..01-06", "05-01", "2027-03-01..2027-03-14"]
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date
from typing import Any

from hombi.core.toml_text import TomlText

MOST_DATES = 50
_DATE = re.compile(r"(?:(\d{4})-)?(\d{1,2})-(\d{1,2})")
# Of each year: 29 February is a day of it.
LEAP = 2000


@dataclass(frozen=True, slots=True)
class Span:
    """Days from `first` to `last`, both within; each is (year, month, day), with 0 for
    every year. One of every year that ends before it begins goes over its end."""

    first: tuple[int, int, int]
    last: tuple[int, int, int]

    def has(self, day: date) -> bool:
        """Whether a day is one of them."""
        if self.first[0]:
            return self.first <= (day.year, day.month, day.day) <= self.last
        own = (0, day.month, day.day)
        if self.first <= self.last:
            return self.first <= own <= self.last
        return own >= self.first or own <= self.last

    def __str__(self) -> str:
        first, last = _shown(self.first), _shown(self.last)
        return f"on {first}" if first == last else f"from {first} to {last}"


Dates = tuple[Span, ...]


def read_dates(toml: TomlText, table: dict[str, Any]) -> Dates:
    """Understand `dates` of [only]; what is wrong is noted there."""
    given = table.get("dates")
    if given is None:
        return ()
    path, hint = ("only", "dates"), 'write dates = ["12-24..12-26", "01-01"]'
    if not isinstance(given, list) or not given:
        toml.blame(path, "dates is a list of days", hint)
        return ()
    if len(given) > MOST_DATES:
        toml.blame(path, f"dates has {MOST_DATES} at most, not {len(given)}")
        return ()
    spans = []
    for number, one in enumerate(given):
        span = _span(one)
        if span is None:
            shown = one if isinstance(one, str) else type(one).__name__
            what = f"{shown!r} is neither a day nor two days in their order"
            toml.blame((*path, number), what, hint)
        else:
            spans.append(span)
    return tuple(spans)


def _span(written: object) -> Span | None:
    if not isinstance(written, str):
        return None
    begins, dots, ends = (one.strip() for one in written.partition(".."))
    first = _day(begins)
    last = _day(ends) if dots else first
    if first is None or last is None or bool(first[0]) != bool(last[0]):
        return None
    return None if first[0] and last < first else Span(first, last)


def _day(written: str) -> tuple[int, int, int] | None:
    match = _DATE.fullmatch(written)
    if match is None:
        return None
    year, month, day = int(match[1] or 0), int(match[2]), int(match[3])
    try:
        date(year or LEAP, month, day)
    except ValueError:
        return None
    return year, month, day


def _shown(day: tuple[int, int, int]) -> str:
    shown = date(day[0] or LEAP, day[1], day[2])
    return f"{shown.day} {shown:%b}" + (f" {shown.year}" if day[0] else "")
