"""A sensor beside a reference: the correction is found, and said when it is not to be
trusted."""

from __future__ import annotations

import math
import random

import pytest

from hombi.core.quality import Quality
from hombi.core.series import HOUR_MS, Reading
from hombi.core.series.calibration import (
    compared,
    compared_with_typed,
    hours_of,
    hours_of_typed,
)

MIN = 60_000


def course(values: list[float], every_ms: int = 10 * MIN, start: int = 0) -> list[Reading]:
    return [Reading(start + n * every_ms, 0, v, v) for n, v in enumerate(values)]


def day(n: int) -> float:
    """A temperature that swings by five degrees in a day."""
    return 18 + 5 * math.sin(n / 144 * 2 * math.pi)


def noisy(hours: int, gain: float = 1.0, offset: float = 0.0, noise: float = 0.05) -> list[float]:
    draw = random.Random(3)
    return [(day(n) - offset) / gain + draw.gauss(0, noise) for n in range(hours * 6)]


def test_an_offset_is_found_within_its_interval_whatever_single_values_do() -> None:
    truth = [day(n) for n in range(72 * 6)]
    wrong = noisy(72, offset=-0.7)
    for spiked in range(0, len(wrong), 37):
        wrong[spiked] += 30.0
    result = compared(course(wrong), course(truth), "°C")
    assert result.offset is not None
    assert result.offset.offset == pytest.approx(-0.7, abs=0.02)
    assert result.offset.low <= -0.7 + 0.02
    assert result.offset.high >= -0.7 - 0.02
    assert result.offset.high - result.offset.low < 0.05
    assert result.offset.residual < 0.1
    assert len(result.hours) == 72


def test_a_gain_is_found_where_the_range_supports_one() -> None:
    truth = [day(n) for n in range(72 * 6)]
    result = compared(course(noisy(72, gain=1.1, offset=-2.0)), course(truth), "°C")
    assert result.both is not None
    assert result.both.gain == pytest.approx(1.1, abs=0.02)
    assert result.both.offset == pytest.approx(-2.0, abs=0.3)
    assert result.both.gain_low <= 1.1 <= result.both.gain_high + 0.01
    still = [20.0 + random.Random(n).gauss(0, 0.05) for n in range(72 * 6)]
    flat = compared(course(still), course([20.5] * len(still)), "°C")
    assert flat.both is None
    assert any("a gain is not supported" in remark for remark in flat.remarks)


@pytest.mark.parametrize("late", [0, 20, 60, -40])
def test_it_is_seen_how_much_later_a_sensor_follows(late: int) -> None:
    minutes = range(3 * 1440)

    def air(minute: float) -> float:
        return 18 + 4 * math.sin(minute / 1440 * 2 * math.pi) + 2 * math.sin(minute / 300)

    draw = random.Random(late)
    sensor = course([air(m - late) + 0.7 + draw.gauss(0, 0.1) for m in minutes[::5]], 5 * MIN)
    result = compared(sensor, course([air(m) for m in minutes], MIN), "°C")
    assert result.behind_ms == pytest.approx(late * MIN, abs=5 * MIN)
    said = [remark for remark in result.remarks if "than the reference" in remark]
    assert bool(said) == bool(late), result.remarks
    assert not late or ("later" in said[0]) == (late > 0)
    with_a_gap = [one for one in sensor if not 20 <= one.at_ms / 3.6e6 <= 44]
    again = compared(with_a_gap, course([air(m) for m in minutes], MIN), "°C")
    assert again.behind_ms == pytest.approx(late * MIN, abs=5 * MIN)


def test_it_says_when_there_is_not_enough_or_nothing_to_correct() -> None:
    few = compared(course([20.0] * 12), course([21.0] * 12), "°C")
    assert few.offset is None
    assert few.remarks == ("there is not enough yet: 2 hours in which both were heard, 6 at least",)
    assert compared([], [], "°C").offset is None
    same = compared(course(noisy(48)), course([day(n) for n in range(48 * 6)]), "°C")
    assert "the sensor does not differ from the reference by more than chance" in same.remarks
    draw = random.Random(1)
    elsewhere = [draw.uniform(10, 30) for _ in range(48)]
    poor = compared(course(elsewhere, HOUR_MS), course([20.0] * 48, HOUR_MS), "°C")
    assert any("the fit is poor" in remark for remark in poor.remarks)


def test_the_reference_is_interpolated_and_never_over_a_gap() -> None:
    reference = course([0.0, 60.0, 120.0, 180.0], HOUR_MS)
    (one,) = hours_of([Reading(HOUR_MS + 30 * MIN, 0, 1.0, 1.0)], reference)
    assert one.reference == 90.0
    gap = [*course([0.0] * 5, MIN), *course([9.0] * 5, MIN, 5 * HOUR_MS)]
    assert hours_of([Reading(2 * HOUR_MS, 0, 1.0, 1.0)], gap) == []
    bad = [Reading(HOUR_MS, 0, 1.0, 1.0, Quality.SPIKE), Reading(HOUR_MS + 1, 0, None, None)]
    assert hours_of(bad, reference) == []
    assert hours_of([Reading(9 * HOUR_MS, 0, 1.0, 1.0)], reference) == []


def test_values_read_off_an_instrument_are_compared_each_with_its_moment() -> None:
    minute = 60_000
    sensor = [Reading(n * minute, 0, None, 20 + n / 100) for n in range(1_000)]
    typed = [Reading(n * 100 * minute + 30_000, 0, None, 20 + n + 0.005 - 0.4) for n in range(9)]
    result = compared_with_typed(sensor, typed, "°C")
    assert [hour.start_ms for hour in result.hours] == [one.at_ms for one in typed]
    assert result.hours[3].sensor == pytest.approx(23.005)
    assert result.offset is not None
    assert result.offset.offset == pytest.approx(-0.4)
    assert result.both is None
    assert "a gain needs 24 values, and 9 are there" in result.remarks
    few = compared_with_typed(sensor, typed[:3], "°C")
    assert few.remarks == (
        "there is not enough yet: 3 values at which the sensor was heard, 6 at least",
    )
    gap = [one for one in sensor if not 250 < one.at_ms / minute < 350]
    assert len(hours_of_typed(gap, typed)) == 8, "none is made up over a gap"
