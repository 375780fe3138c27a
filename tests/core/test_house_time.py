"""Rows of house time: they follow one another, hold what was asked for, and days begin
at midnight, on any day in any zone."""

from __future__ import annotations

from datetime import date, datetime
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.house_time import (
    ROWS_MS,
    bounds,
    earlier,
    earlier_span,
    looked_back_at,
    rows_of,
)

ZONES = (
    "Europe/Berlin",
    "America/New_York",
    "Australia/Lord_Howe",
    "Asia/Kathmandu",
    "America/Santiago",
    "UTC",
)
BERLIN = ZoneInfo("Europe/Berlin")


def at(text: str, zone: ZoneInfo = BERLIN) -> int:
    return round(datetime.fromisoformat(text).replace(tzinfo=zone).timestamp() * 1000)


@pytest.mark.parametrize(
    ("day", "hours"), [("2026-03-29", 23), ("2026-10-25", 25), ("2026-11-20", 24)]
)
def test_a_day_has_as_many_hours_as_the_clocks_make(day: str, hours: int) -> None:
    begins, ends, *_ = bounds(at(f"{day} 12:00"), at(f"{day} 12:01"), "days", BERLIN)
    assert begins == at(f"{day} 00:00")
    assert ends - begins == hours * 3_600_000
    assert len(bounds(begins, ends, "hours", BERLIN)) == hours + 1


def test_hours_begin_as_the_clock_shows_them() -> None:
    zone = ZoneInfo("Asia/Kathmandu")  # 5:45 ahead
    for bound in bounds(at("2026-11-20 09:50", zone), at("2026-11-20 14:10", zone), "hours", zone):
        assert datetime.fromtimestamp(bound / 1000, zone).minute == 0


@given(
    st.integers(at("2016-01-01 00:00"), at("2027-01-01 00:00")),
    st.integers(1, 40 * 86_400_000),
    st.sampled_from(ZONES),
)
def test_rows_follow_one_another_and_hold_what_was_asked_for(
    start: int, span: int, name: str
) -> None:
    zone, rows = ZoneInfo(name), rows_of(span)
    result = bounds(start, start + span, rows, zone)
    assert result[0] <= start < result[1]
    assert result[-2] < start + span <= result[-1]
    assert all(a < b for a, b in pairwise(result))
    if rows == "days":
        assert all(b - a >= 22 * 3_600_000 for a, b in pairwise(result))
        assert len({datetime.fromtimestamp(one / 1000, zone).date() for one in result}) == len(
            result
        )
    else:
        assert {b - a for a, b in pairwise(result)} == {ROWS_MS[rows]}


@pytest.mark.parametrize(
    ("at", "by", "before"),
    [
        ("2026-11-20 14:30", "day", "2026-11-19 14:30"),
        ("2026-11-20 14:30", "week", "2026-11-13 14:30"),
        ("2026-11-20 14:30", "year", "2025-11-20 14:30"),
        # The clocks go back on 25 October 2026: that day has 25 hours.
        ("2026-10-26 00:00", "day", "2026-10-25 00:00"),
        ("2026-11-01 12:00", "week", "2026-10-25 12:00"),
        # A day that the earlier month, or year, does not have is its last.
        ("2026-03-31 08:00", "month", "2026-02-28 08:00"),
        ("2026-01-15 08:00", "month", "2025-12-15 08:00"),
        ("2024-02-29 08:00", "year", "2023-02-28 08:00"),
    ],
)
def test_so_much_earlier_is_the_same_time_of_the_houses_clock(
    at: str, by: str, before: str
) -> None:
    zone = ZoneInfo("Europe/Berlin")

    def ms(text: str) -> int:
        return round(datetime.fromisoformat(text).replace(tzinfo=zone).timestamp() * 1000)

    assert earlier(ms(at), by, zone) == ms(before)


def test_days_that_the_earlier_month_lacks_make_no_empty_span() -> None:
    zone = ZoneInfo("Europe/Berlin")
    begin, end = (round(datetime(2027, 3, day, tzinfo=zone).timestamp() * 1000) for day in (29, 31))
    start, stop = earlier_span(begin, end, "month", zone)
    assert datetime.fromtimestamp(start / 1000, zone).date() == date(2027, 2, 28)
    assert stop - start == end - begin
    begin, end = (round(datetime(2027, 4, day, tzinfo=zone).timestamp() * 1000) for day in (1, 30))
    start, stop = earlier_span(begin, end, "month", zone)
    assert datetime.fromtimestamp(stop / 1000, zone).date() == date(2027, 3, 30)


@pytest.mark.parametrize(
    ("by", "today", "wanted"),
    [
        ("month", date(2026, 12, 1), date(2026, 11, 30)),
        ("month", date(2026, 12, 7), date(2026, 11, 30)),
        ("month", date(2026, 12, 8), date(2026, 12, 8)),
        ("month", date(2027, 1, 1), date(2026, 12, 31)),
        ("week", date(2026, 12, 1), date(2026, 11, 29)),  # a Tuesday
        ("week", date(2026, 12, 2), date(2026, 12, 2)),
    ],
)
def test_who_looks_back_at_what_has_only_begun_means_the_one_before(
    by: str, today: date, wanted: date
) -> None:
    assert looked_back_at(today, by) == wanted
