"""Moments of the calendar: recurrence rules as RFC 5545 has them, in house time.

rule = "FREQ=MONTHLY;BYDAY=1SU;BYHOUR=9"
rule = "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU;BYHOUR=7"      from = "2026-12-01"
"""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from datetime import date, datetime, timedelta, tzinfo
from functools import lru_cache
from typing import Any

from hombi.core.automation.text import text
from hombi.core.house_time import moment_ms
from hombi.core.toml_text import Path, TomlText

# Without `from`, intervals are counted from this Monday.
FIRST = date(2024, 1, 1)
MOST_SIGNS, MOST_A_DAY, LONGEST_YEARS = 300, 24, 10
_PARTS = frozenset({
    "FREQ", "INTERVAL", "WKST", "BYSETPOS", "BYMONTH", "BYMONTHDAY", "BYYEARDAY", "BYWEEKNO",
    "BYDAY", "BYHOUR", "BYMINUTE",
})  # fmt: skip
_A_YEAR = {"DAILY": 366, "WEEKLY": 53, "MONTHLY": 12, "YEARLY": 1}
# The last years of which each begins on another weekday, or at another distance from a
# leap year: every year of 1901 to 2099 has its like among them.
_LIKE = range(9944, 9972)


@dataclass(frozen=True, slots=True)
class Rule:
    """A recurrence rule, and the day from which it counts."""

    text: str
    first: date = FIRST

    def next_ms(self, after_ms: int, zone: tzinfo) -> int | None:
        """The first of its moments after another one, in ms; None where there is none
        for years."""
        # The wall clock of the moment may come twice: one begins an hour before.
        wall = datetime.fromtimestamp(after_ms / 1000, zone).replace(tzinfo=None)
        wall -= timedelta(hours=3)
        for _ in range(4 * MOST_A_DAY):
            result = _after(self, wall)
            if result is None:
                return None
            minutes = result.hour * 60 + result.minute
            at_ms = moment_ms(result.date(), minutes, zone)
            if at_ms > after_ms:
                return at_ms
            wall = result
        return None


@lru_cache(maxsize=4096)
def _after(rule: Rule, wall: datetime) -> datetime | None:
    """The first moment after another one by the clock on the wall.

    dateutil looks for the next moment of a rule until the year 9999, which takes
    seconds where there is none. So it is asked in a year near there that has the same
    calendar.
    """
    from dateutil.rrule import rrulestr  # noqa: PLC0415 - most houses start without it

    begin = _begin(rule, wall.date())
    like = next(year for year in _LIKE if _same_calendar(year, begin.year))
    away = like - begin.year
    made = rrulestr(rule.text, dtstart=datetime(like, begin.month, begin.day))
    result = made.after(wall.replace(year=wall.year + away))
    try:
        return None if result is None else result.replace(year=result.year - away)
    except ValueError:  # 2100 has no 29 February
        return None


def _same_calendar(a: int, b: int) -> bool:
    return a % 4 == b % 4 and date(a, 1, 1).weekday() == date(b, 1, 1).weekday()


def _begin(rule: Rule, before: date) -> date:
    """The day from which the rule is counted, as near before another one as counts
    alike."""
    parts = _parts(rule.text)
    first, interval, often = rule.first, int(parts.get("INTERVAL", 1)), parts["FREQ"]
    if often in ("DAILY", "WEEKLY"):
        # The week before may hold days that count.
        step = interval * (7 if often == "WEEKLY" else 1)
        return first + timedelta(days=max(0, (before - first).days // step - 1) * step)
    step = interval * (12 if often == "YEARLY" else 1)
    months = (before.year - first.year) * 12 + before.month - first.month
    for turns in range(max(0, months // step - 1), 0, -1):
        year, month = divmod(first.year * 12 + first.month - 1 + turns * step, 12)
        with contextlib.suppress(ValueError):  # not every month has this day
            return date(year, month + 1, first.day)
    return first


def _parts(written: str) -> dict[str, str]:
    return dict(one.partition("=")[::2] for one in written.upper().split(";"))


def read_rule(toml: TomlText, path: Path, table: dict[str, Any]) -> Rule | None:
    """Understand `rule` and `from`; what is wrong is noted there."""
    written = text(toml, path, table, "rule", required=True).strip().removeprefix("RRULE:")
    first = _first(toml, path, table)
    if not written or first is None:
        return None
    mistake, hint = _mistake(written)
    if not mistake:
        rule = Rule(written, first)
        try:
            result = _after(rule, datetime.combine(first, datetime.min.time()))
        except (ValueError, TypeError, OverflowError) as error:
            mistake, hint = f"the rule cannot be understood: {error}", _EXAMPLE
        else:
            if result is not None:
                return rule
            mistake, hint = "this rule never comes", "look at its days and months"
    toml.blame((*path, "rule"), mistake, hint)
    return None


_EXAMPLE = 'write rule = "FREQ=MONTHLY;BYDAY=1SU;BYHOUR=9" (RFC 5545)'


def _mistake(written: str) -> tuple[str, str]:
    """What is wrong with the parts of a rule, and what to do."""
    if len(written) > MOST_SIGNS:
        return f"a rule has {MOST_SIGNS} signs at most", _EXAMPLE
    parts = _parts(written)
    if odd := sorted(set(parts) - _PARTS):
        return f"{odd[0]!r} is not part of a rule here", f"known: {', '.join(sorted(_PARTS))}"
    if parts.get("FREQ") not in _A_YEAR:
        hint = f'FREQ is {", ".join(_A_YEAR)}; within a day, every = "15 min" does it'
        return "the rule says no FREQ of days", hint
    interval, longest = parts.get("INTERVAL", "1"), LONGEST_YEARS * _A_YEAR[parts["FREQ"]]
    if not interval.isdecimal() or not 1 <= int(interval) <= longest:
        return f"INTERVAL is from 1 to {longest} here", _EXAMPLE
    hours, minutes = (len(parts.get(key, "0").split(",")) for key in ("BYHOUR", "BYMINUTE"))
    if hours * minutes > MOST_A_DAY:
        return f"that is more than {MOST_A_DAY} times a day", 'every = "15 min" does it'
    return "", ""


def _first(toml: TomlText, path: Path, table: dict[str, Any]) -> date | None:
    written = table.get("from")
    if written is None:
        return FIRST
    try:
        result = date.fromisoformat(written) if isinstance(written, str) else written
    except ValueError:
        result = None
    if type(result) is date and 1970 <= result.year < 2100:
        return result
    toml.blame((*path, "from"), f"{written!r} is not a day", 'write from = "2026-12-01"')
    return None
