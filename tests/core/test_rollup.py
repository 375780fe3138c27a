"""Rollups against sums done by hand, and against the readings that they are made of."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.quality import Quality
from hombi.core.series import FIVE_MINUTES_MS, HOUR_MS, Reading, Rollup
from hombi.core.series.rollup import hold_ms, merge, narrow_enough, roll

MIN = 60_000


def reading(at_min: float, value: float | None, quality: Quality = Quality.GOOD) -> Reading:
    none = Quality.NO_VALUE if value is None else quality
    return Reading(round(at_min * MIN), 0, value, value, none)


def test_a_mean_is_weighted_by_how_long_each_value_held() -> None:
    # 10 for 2 minutes, 20 for the other 58: (2 * 10 + 58 * 20) / 60
    result = roll([reading(0, 10.0), reading(2, 20.0)], (0, HOUR_MS), math.inf)
    assert result == [Rollup(0, 0, 2, 10.0, pytest.approx(19.6667, abs=1e-4), 20.0, 20.0, HOUR_MS)]
    # Held for 10 minutes at most, it was known for 12: (2 * 10 + 10 * 20) / 12
    (result,) = roll([reading(0, 10.0), reading(2, 20.0)], (0, HOUR_MS), 10 * MIN)
    assert (round(result.mean, 4), result.held_ms) == (18.3333, 12 * MIN)


def test_a_value_holds_over_the_bounds_and_counts_where_it_came() -> None:
    bounds = (0, 5 * MIN, 10 * MIN, 15 * MIN)
    first, second, third = roll([reading(-1, 1.0), reading(7, 0.0)], bounds, math.inf)
    assert (first.count, first.mean, first.held_ms, first.on_ms) == (0, 1.0, 5 * MIN, 5 * MIN)
    assert (second.count, second.on_ms, second.low, second.high) == (1, 2 * MIN, 0.0, 1.0)
    assert (third.count, third.on_ms, third.held_ms) == (0, 0, 5 * MIN)


def test_a_bad_reading_ends_what_held_and_is_no_number() -> None:
    for bad in (reading(10, None), reading(10, 900.0, Quality.OUT_OF_RANGE)):
        (result,) = roll([reading(0, 5.0), bad], (0, HOUR_MS), math.inf)
        assert (result.count, result.high, result.held_ms) == (1, 5.0, 10 * MIN)


def test_channels_are_kept_apart() -> None:
    other = Reading(30 * MIN, 1, 70.0, 70.0)
    first, second = roll([reading(0, 20.0), other], (0, HOUR_MS), math.inf)
    assert (first.channel, first.mean, first.held_ms) == (0, 20.0, 30 * MIN)
    assert (second.channel, second.mean, second.held_ms) == (1, 70.0, 30 * MIN)


def test_how_long_a_reading_holds_follows_from_how_they_come() -> None:
    assert hold_ms([reading(2 * n, 1.0) for n in range(9)]) == 6 * MIN
    assert hold_ms([reading(n / 60, 1.0) for n in range(9)]) == MIN, "a minute at least"
    assert hold_ms([reading(0, 1.0)]) == 30 * MIN, "nothing is known of it"
    assert [narrow_enough(ms) for ms in (1, 300_000, 3_599_999, 3_600_000)] == [
        0, 300_000, 300_000, 3_600_000,
    ]  # fmt: skip


SERIES = st.lists(
    st.tuples(
        st.integers(1, 20 * MIN),
        st.none() | st.floats(-1e3, 1e3),
        st.sampled_from([Quality.GOOD, Quality.WARMING_UP, Quality.STUCK]),
    ),
    max_size=60,
)


@given(SERIES, st.sampled_from([MIN, 17 * MIN, math.inf]))
def test_parts_come_to_the_same_as_the_whole(
    rows: list[tuple[int, float | None, Quality]], hold: float
) -> None:
    at_ms, readings = 0, []
    for gap, value, quality in rows:
        at_ms += gap
        readings.append(reading(at_ms / MIN, value, quality))
    end = (at_ms // HOUR_MS + 1) * HOUR_MS
    whole = roll(readings, (0, end), hold)
    parts = roll(readings, range(0, end + 1, FIVE_MINUTES_MS), hold)
    good = [r.value for r in readings if r.value is not None and r.quality < Quality.STUCK]
    assert sum(part.count for part in parts) == len(good)
    joined = merge(parts, 0)
    assert len(joined) == len(whole) == bool(good)
    for one, other in zip(joined, whole, strict=True):
        assert (one.count, one.low, one.high, one.last, one.held_ms) == (
            other.count, min(good), max(good), good[-1], other.held_ms,
        )  # fmt: skip
        assert one.mean == pytest.approx(other.mean, abs=1e-6)
        assert other.held_ms <= end
    assert all(part.low - 1e-9 <= part.mean <= part.high + 1e-9 for part in parts)
