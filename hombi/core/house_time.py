"""The clock on the wall of the house: when it shows a time, and how it parts a span
into rows. No I/O."""

from __future__ import annotations

import calendar
from datetime import date, datetime, time, timedelta, tzinfo
from zoneinfo import ZoneInfo

# How long rows are at least.
ROWS_MS = {
    "minutes": 300_000,
    "hours": 3_600_000,
    "days": 86_400_000,
    "weeks": 7 * 86_400_000,
    "months": 28 * 86_400_000,
    "years": 365 * 86_400_000,
}
MOST_ROWS = 400


def known_zone(name: str) -> ZoneInfo | None:
    """A time zone of the IANA database by its name, like "Europe/Berlin"; None when
    there is none of that name. Only that one is looked for: to list them reads all."""
    try:
        return ZoneInfo(name)
    except (KeyError, ValueError, OSError):  # unknown; not a name; "Europe", a folder
        return None


def moment_ms(day: date, minutes: int, zone: tzinfo, *, last: bool = False) -> int:
    """When it is so many minutes after midnight on a day, in ms since 1970.

    When the clocks go back, the same time comes twice: the first one, or with `last`
    the second. When they go forward, it may not come at all: then it is the moment at
    which they do.
    """
    wall = datetime.combine(day, time()) + timedelta(minutes=minutes)
    first, second = (wall.replace(tzinfo=zone, fold=fold) for fold in (0, 1))
    early, late = sorted((round(first.timestamp()), round(second.timestamp())))
    if early == late:
        return early * 1000
    if first.timestamp() < second.timestamp():
        # Where the clocks go back to this very time, nothing before it comes twice.
        again = datetime.fromtimestamp(late - 1, zone).utcoffset() == second.utcoffset()
        return (late if last and again else early) * 1000
    before = datetime.fromtimestamp(early, zone).utcoffset()
    while early < late:  # the first second with the new offset
        middle = (early + late) // 2
        if datetime.fromtimestamp(middle, zone).utcoffset() == before:
            early = middle + 1
        else:
            late = middle
    return early * 1000


def rows_of(span_ms: int) -> str:
    """Which rows a span is shown in: five minutes, hours, or days."""
    return (
        "minutes" if span_ms <= 3 * 3_600_000 else "hours" if span_ms <= 2 * 86_400_000 else "days"
    )


def bounds(start_ms: int, end_ms: int, rows: str, zone: tzinfo) -> list[int]:
    """Where the rows between two moments begin, and at last where the last one ends, in
    ms.

    Days, weeks, months and years are the calendar's, from the house's midnight; hours
    and five minutes are as its clock shows them.
    The first row holds `start_ms`; the last one holds the millisecond before `end_ms`.
    A day on which the clocks change has 23 or 25 hours.
    """
    result = []
    if rows not in ("minutes", "hours"):
        by = rows.removesuffix("s")
        day, after = calendar_span(datetime.fromtimestamp(start_ms / 1000, zone).date(), by)
        while (at := moment_ms(day, 0, zone)) < end_ms:
            result.append(at)
            day, after = after, calendar_span(after, by)[1]
        return [*result, at]
    step = ROWS_MS[rows]
    wall = datetime.fromtimestamp(start_ms / 1000, zone)
    offset = round((wall.utcoffset() or timedelta()).total_seconds() * 1000)
    at = (start_ms + offset) // step * step - offset
    while at < end_ms:
        result.append(at)
        at += step
    return [*result, at]


# By so much a span may differ because the clocks change within it.
CLOCK_CHANGE_MS = 2 * 3_600_000
EARLIER = ("day", "week", "month", "year")


def earlier(at_ms: int, by: str, zone: tzinfo) -> int:
    """The same time of the house's clock a day, week, month or year before, in ms.

    A day of a month that the earlier month does not have is its last one. A time that
    the clocks leap over on that day is the one after the leap.
    """
    wall = datetime.fromtimestamp(at_ms / 1000, zone)
    if by in ("month", "year"):
        months = wall.year * 12 + wall.month - 1 - (1 if by == "month" else 12)
        year, month = months // 12, months % 12 + 1
        day = min(wall.day, calendar.monthrange(year, month)[1])
        before = wall.replace(year=year, month=month, day=day)
    else:
        before = wall - timedelta(days=1 if by == "day" else 7)
    return round(before.timestamp() * 1000)


def earlier_span(start_ms: int, end_ms: int, by: str, zone: tzinfo) -> tuple[int, int]:
    """A span a day, week, month or year before: as long as it is where its days do not
    all exist in the earlier month."""
    start, end = earlier(start_ms, by, zone), earlier(end_ms, by, zone)
    length = end_ms - start_ms
    shortened = end - start < length - CLOCK_CHANGE_MS
    return start, start + length if shortened else end


# For so many days of a month or a week people look back at the one before.
_ONLY_BEGUN = {"week": 2, "month": 7}


def looked_back_at(today: date, by: str) -> date:
    """A day in the week or month that people mean when they look back today: this one,
    or the last whole one while this one has only begun."""
    first, _ = calendar_span(today, by)
    begun = (today - first).days < _ONLY_BEGUN[by]
    return first - timedelta(days=1) if begun else today


def calendar_span(on: date, by: str) -> tuple[date, date]:
    """The day, week (from Monday, ISO 8601), month or year of the calendar that holds a
    day: its first day, and the first day after it."""
    if by == "day":
        return on, on + timedelta(days=1)
    if by == "week":
        first = on - timedelta(days=on.weekday())
        return first, first + timedelta(days=7)
    if by == "month":
        first = on.replace(day=1)
        return first, (first + timedelta(days=32)).replace(day=1)
    return on.replace(month=1, day=1), date(on.year + 1, 1, 1)
