"""Times of the day in a text: of the clock, or of the sun.

"06:45"      "sunset"      "sunset - 20 min"
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date, timedelta, tzinfo

from hombi.core.errors import ValueTextError
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.house_time import moment_ms
from hombi.core.sun import MORNING, SUN, Position, sun_ms
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import parse_span_ms, show_span

NOON, MIDNIGHT = 12 * 60, 24 * 60
MOST_AWAY_MS = 6 * 3_600_000
_CLOCK = re.compile(r"\s*(\d{1,2}):(\d{2})\s*")
_SUN = re.compile(r"\s*([a-z]+)\s*(?:([+-])\s*(.+?))?\s*", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class ClockTime:
    """So many minutes after midnight."""

    minutes: int

    @property
    def afternoon(self) -> bool:
        return self.minutes >= NOON

    def on(self, day: date, zone: tzinfo, *, last: bool = False) -> int | None:
        """When it is that on a day, in ms; with `last`, the second time when the clocks
        go back."""
        return moment_ms(day, self.minutes, zone, last=last)

    def __str__(self) -> str:
        return f"{self.minutes // 60:02d}:{self.minutes % 60:02d}"


@dataclass(frozen=True, slots=True)
class SunTime:
    """So many ms after (before: negative) what the sun does, where the house stands."""

    what: str
    away_ms: int
    position: Position

    @property
    def afternoon(self) -> bool:
        return self.what not in MORNING

    def on(self, day: date, zone: tzinfo, *, last: bool = False) -> int | None:
        """When it is that on a day, in ms; None where the sun does not."""
        at = sun_ms(self.what, day, self.position, zone)
        return None if at is None else at + self.away_ms

    def __str__(self) -> str:
        if not self.away_ms:
            return self.what
        side = "after" if self.away_ms > 0 else "before"
        return f"{show_span(abs(self.away_ms))} {side} {self.what}"


DayTime = ClockTime | SunTime


def span_of(day: date, begins: DayTime, ends: DayTime, zone: tzinfo) -> tuple[int, int] | None:
    """The span that begins on a day, from one time to another, in ms; None where there
    is none.

    A span of two clock times that ends before it begins goes over midnight. With the
    sun, one of an evening or a morning that ends before it begins is not on that day:
    "sunset to 20:00" is nothing in June.
    """
    if isinstance(begins, ClockTime) and isinstance(ends, ClockTime):
        over = begins.minutes >= ends.minutes
    else:
        over = begins.afternoon and not ends.afternoon
    after = day + timedelta(days=1) if over else day
    start, end = begins.on(day, zone), ends.on(after, zone, last=True)
    # The hour that is left out in spring may hold all of a span.
    return None if start is None or end is None or start >= end else (start, end)


def read_time(
    toml: TomlText, path: Path, written: object, facts: HouseFacts, *, midnight: bool = False
) -> DayTime | None:
    """Understand a time of the day; `midnight` allows 24:00. What is wrong is noted
    there."""
    example = 'write "06:45" or "sunset - 20 min"'
    if not isinstance(written, str):
        toml.blame(path, "a time is a text in quotes", example)
        return None
    if match := _CLOCK.fullmatch(written):
        minutes = int(match[1]) * 60 + int(match[2])
        if int(match[2]) < 60 and minutes < MIDNIGHT + midnight:
            return ClockTime(minutes)
    elif (match := _SUN.fullmatch(written)) and match[1].lower() in SUN:
        return _sun(toml, path, (match[1].lower(), match[2] or "+", match[3] or ""), facts)
    hint = did_you_mean(written.split()[0].lower() if written.split() else "", SUN) or example
    toml.blame(path, f"{written!r} is not a time of the day", hint)
    return None


def _sun(
    toml: TomlText, path: Path, said: tuple[str, str, str], facts: HouseFacts
) -> SunTime | None:
    what, sign, span = said
    try:
        away_ms = parse_span_ms(span) if span else 0
    except ValueTextError as error:
        toml.blame(path, str(error))
        return None
    if away_ms > MOST_AWAY_MS:
        toml.blame(path, f"that is more than {show_span(MOST_AWAY_MS)} away from {what}")
        return None
    if facts.position is None:
        hint = "set house.latitude and house.longitude in hombi.toml, or on the settings page"
        toml.blame(path, f"the hub does not know where the house is, so it knows no {what}", hint)
        return None
    return SunTime(what, -away_ms if sign == "-" else away_ms, facts.position)
