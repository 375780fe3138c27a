"""Hours on the days on which clocks change: what is allowed and what is planned agree,
at every kind of change of ten years in all zones, and with the clock on the wall, read
minute by minute."""

from __future__ import annotations

import os
from datetime import date, datetime, timedelta
from functools import cache
from itertools import pairwise
from zoneinfo import ZoneInfo, available_timezones

import pytest

from hombi.core.automation import Only
from hombi.core.automation.times import ClockTime
from tests.core.automation.world import hours

MINUTE, DAY_S = 60_000, 86_400
FIRST, LAST = (round(datetime(year, 1, 1).timestamp()) for year in (2017, 2027))
SPANS = [(22 * 60, 150), (150, 6 * 60), (60, 180), (23 * 60 + 45, 15), (0, 24 * 60), (120, 121)]
BEFORE, MINUTES = 2 * 1440, 4 * 1440


@cache
def changes() -> list[tuple[str, int]]:
    """A zone and the second of a change, one for each kind: how far it goes, and at
    what time of the day."""
    kinds: dict[tuple[timedelta | None, timedelta | None, str], tuple[str, int]] = {}
    for name in sorted(available_timezones()):
        zone = ZoneInfo(name)

        def offset(at_s: int, zone: ZoneInfo = zone) -> timedelta | None:
            return datetime.fromtimestamp(at_s, zone).utcoffset()

        for a, b in pairwise(range(FIRST, LAST, 20 * DAY_S)):
            if offset(a) == offset(b):
                continue
            low, high = a, b
            while high - low > 1:
                middle = (low + high) // 2
                low, high = (middle, high) if offset(middle) == offset(a) else (low, middle)
            wall = datetime.fromtimestamp(high - 1, zone).strftime("%H:%M")
            kinds.setdefault((offset(low), offset(high), wall), (name, high))
    return sorted(kinds.values())


@cache
def walls_from(zone: ZoneInfo, start_s: int) -> list[datetime]:
    """What the wall clock shows in each minute."""
    return [
        datetime.fromtimestamp(start_s + 60 * n, zone).replace(tzinfo=None) for n in range(MINUTES)
    ]


# Of how many changes of a zone's clock one is tried; `make soak` tries all.
EACH = int(os.environ.get("EACH", "3"))


def on_the_wall(only: Only, zone: ZoneInfo, start_s: int) -> list[bool]:
    """Whether it is allowed, minute by minute, told from nothing but the wall clock of
    each minute."""
    walls = walls_from(zone, start_s)
    assert only.between is not None
    begins, ends = (int(one.minutes) for one in only.between if isinstance(one, ClockTime))
    allowed, day = [False] * MINUTES, walls[0].date() - timedelta(days=1)
    while day <= walls[-1].date():
        if not only.days or day.weekday() in only.days:
            first = next((n for n, wall in enumerate(walls) if wall >= _wall(day, begins)), MINUTES)
            until = _wall(day if begins < ends else day + timedelta(days=1), ends)
            last = next((n for n in range(MINUTES - 1, -1, -1) if walls[n] < until), -1)
            allowed[first : last + 1] = (
                [True] * (last + 1 - first) if last >= first else allowed[first : last + 1]
            )
        day += timedelta(days=1)
    return allowed


def _wall(day: date, minutes: int) -> datetime:
    return datetime.combine(day, datetime.min.time()) + timedelta(minutes=minutes)


def test_there_are_changes_of_many_kinds() -> None:
    assert len(changes()) > 30
    # By half an hour and by a whole one, over midnight and off it, for good and for a
    # summer.
    assert (
        len({ZoneInfo(name).utcoffset(datetime.fromtimestamp(at_s)) for name, at_s in changes()})
        > 15
    )


@pytest.mark.parametrize("between", SPANS)
@pytest.mark.parametrize("days", [(), (0, 2, 4, 6)])
def test_hours_are_those_of_the_wall_clock_at_every_change(
    between: tuple[int, int], days: tuple[int, ...]
) -> None:
    only = Only(hours(*between), frozenset(days))
    for name, change_s in changes()[:: EACH * (1 if not days else 4)]:
        zone, start_s = ZoneInfo(name), change_s - BEFORE * 60
        wall = on_the_wall(only, zone, start_s)
        # The walk through the days begins a day late: what began before the first
        # minute is not on the wall.
        for n in range(1440, MINUTES, 61):
            at_ms = start_s * 1000 + n * MINUTE
            assert only.allows(at_ms, zone) == wall[n], (
                f"{name} {datetime.fromtimestamp(at_ms / 1000, zone)}"
            )
        now, ends = start_s * 1000 + 1440 * MINUTE, start_s * 1000 + MINUTES * MINUTE
        while (after := only.next_change_ms(now, zone)) is not None and after < ends:
            assert (
                only.allows(after, zone) != only.allows(after - 1, zone) == only.allows(now, zone)
            )
            n, m = (now - start_s * 1000) // MINUTE, (after - start_s * 1000) // MINUTE
            assert set(wall[n:m]) == {wall[n]}, f"{name}: nothing is missed in between"
            now = after
