"""Values that run on, by hand and as properties."""

from __future__ import annotations

from datetime import UTC, date
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.house_time import moment_ms
from hombi.core.quality import Quality
from hombi.core.series import HOUR_MS, Reading
from hombi.core.series.course import Course, made_by, marks_in
from hombi.core.series.running import (
    MARK_MS,
    PERIODS,
    ChangeOver,
    Counter,
    Hysteresis,
    Integral,
    MovingMean,
    Rhythm,
    Running,
    Tally,
    TimeSince,
    period_of,
)

MIN = 60_000
NOON = moment_ms(date(2026, 11, 27), 12 * 60, UTC)


def told(machine: Running, *readings: tuple[float, float | None]) -> list[float | None]:
    """What it is after each reading (minutes after noon, value)."""
    result = []
    for minute, value in readings:
        machine.take(NOON + round(minute * MIN), value)
        result.append(machine.at(NOON + round(minute * MIN)))
    return result


def test_hysteresis_ignores_what_flickers_between_its_limits() -> None:
    level = Hysteresis(70.0, 30.0, 0, 0)
    values = [20.0, 69.0, 71.0, 50.0, 31.0, 29.0, 50.0, 70.0, 70.1]
    assert told(level, *enumerate(values)) == [0, 0, 1, 1, 1, 0, 0, 0, 1]
    dry = Hysteresis(30.0, 40.0, 0, 0)
    assert told(dry, *enumerate([50.0, 29.0, 39.0, 41.0])) == [0, 1, 1, 0]
    assert told(Hysteresis(5.0, 1.0, 0, 0), (0, None)) == [None]


def test_a_state_lasts_for_its_least_time() -> None:
    machine = Hysteresis(10.0, 10.0, 5 * MIN, 2 * MIN)
    readings = [(0, 0.0), (1, 11.0), (2, 9.0), (5, 9.0), (6, 9.0), (7, 11.0), (8, 11.0)]
    assert told(machine, *readings) == [0, 1, 1, 1, 0, 0, 1]
    # It also ends between readings, at a mark.
    machine.take(NOON + 9 * MIN, 0.0)
    assert [machine.at(NOON + m * MIN) for m in (10, 12, 13)] == [1, 1, 0]


def test_the_change_within_a_time() -> None:
    machine = ChangeOver(10 * MIN)
    readings = [(0, 5.0), (5, 6.0), (10, 8.0), (12, 9.0), (20, 8.5)]
    assert told(machine, *readings) == [None, None, 3.0, 4.0, 0.5]
    assert told(ChangeOver(10 * MIN), (0, 1.0), (60, 9.0)) == [None, None], "over a gap: nothing"
    again = ChangeOver(10 * MIN)
    again.resume([(NOON, 3.0)], [(NOON - 12 * MIN, 4.0), (NOON - 10 * MIN, 5.0), (NOON, 8.0)])
    assert told(again, (0.1, 8.0)) == [3.0]
    with pytest.raises(ValueError, match="longer than nothing"):
        ChangeOver(0)


def test_energy_is_the_sum_of_power_and_nothing_is_added_over_a_gap() -> None:
    kwh = 1 / 3.6e9
    machine = Integral(kwh)
    # 1 kW for half an hour, then up to 3 kW within half an hour: 0.5 + 1.0 kWh.
    assert told(machine, (0, 1000.0), (30, 1000.0), (60, 3000.0)) == [
        0, pytest.approx(0.5), pytest.approx(1.5),
    ]  # fmt: skip
    machine.take(NOON + 600 * MIN, 3000.0, gap=True)
    assert machine.at(NOON + 600 * MIN) == pytest.approx(1.5), "for nine hours nothing was heard"
    told(machine, (601, None))
    assert told(machine, (602, 3000.0)) == [pytest.approx(1.5)]


def test_a_total_goes_on_where_its_counter_begins_anew() -> None:
    pulses = Counter(65_536)
    # After its end, after a restart, and one that was read wrong and says nothing.
    readings = [(0, 65_000.0), (1, 65_500.0), (2, 64.0), (3, None), (4, 100.0), (5, 7.0)]
    assert told(pulses, *readings) == [65_000, 65_500, 65_600, 65_600, 65_636, 65_643]
    assert told(Counter(0), (0, 12.5), (1, 0.5)) == [12.5, 13.0]
    again = Counter(65_536)
    again.resume([(NOON, 65_643.0)], [(NOON - MIN, 7.0), (NOON, None)])
    assert told(again, (1, 9.0)) == [65_645]
    with pytest.raises(ValueError, match="less than nothing"):
        Counter(-1)


def test_the_mean_of_the_last_hour_knows_how_long_each_value_held() -> None:
    mean = MovingMean(60 * MIN)
    readings = [(0, 10.0), (20, 20.0), (30, 0.0), (60, 30.0), (80, 30.0)]
    assert told(mean, *readings) == [
        None, None, pytest.approx(400 / 30), pytest.approx(400 / 60), pytest.approx(800 / 60),
    ]  # fmt: skip
    assert mean.at(NOON + 90 * MIN) == pytest.approx(15.0)
    mean.take(NOON + 200 * MIN, 5.0, gap=True)
    assert mean.at(NOON + 200 * MIN) is None, "of this hour nothing is known"
    with pytest.raises(ValueError, match="longer than nothing"):
        MovingMean(0)


def test_how_long_ago_a_door_was_opened() -> None:
    opened, changed = TimeSince("on"), TimeSince("change")
    assert told(opened, (0, 0.0), (1, 1.0), (3, 0.0), (4, None)) == [None, 0, 120, 180]
    assert told(changed, (0, 0.0), (1, 1.0), (3, 0.0)) == [None, 0, 0]
    assert opened.at(NOON + 11 * MIN) == 600
    again = TimeSince("on")
    again.resume([(NOON, 60.0)], [(NOON, 0.0)])
    assert again.at(NOON + MIN) == 120


def test_a_tally_of_a_pump_over_midnight() -> None:
    zone = ZoneInfo("Europe/Vienna")
    midnight = moment_ms(date(2026, 11, 28), 0, zone)
    starts, time_on = Tally("starts", "day", zone), Tally("time", "day", zone)

    def both(minute: float, value: float) -> tuple[float | None, float | None]:
        at = midnight + round(minute * MIN)
        for one in (starts, time_on):
            one.take(at, value)
        return starts.at(at), time_on.at(at)

    assert both(-60, 0.0) == (0, 0)
    assert both(-50, 1.0) == (1, 0)
    assert both(-40, 0.0) == (1, 600)
    assert both(-5, 1.0) == (2, 600)
    assert (starts.at(midnight - 1), time_on.at(midnight - 1)) == (2, pytest.approx(900, abs=0.01))
    assert (starts.at(midnight), time_on.at(midnight)) == (0, 0), "a new day"
    assert both(3, 0.0) == (0, 180)
    assert both(4, 1.0) == (1, 180)


def test_a_counter_that_restarts_or_is_not_heard_over_midnight() -> None:
    counter = Tally("amount", "day", UTC)
    readings = [(0, 100.0), (1, 100.5), (2, 100.5), (3, 0.25), (4, 1.0)]
    assert told(counter, *readings) == [0, 0.5, 0.5, 0.75, 1.5]
    # A day later: what came meanwhile counts for the day on which it is heard.
    assert told(counter, (24 * 60, 5.0)) == [4.0]


def test_the_day_of_a_clock_change_has_25_hours() -> None:
    zone = ZoneInfo("Europe/Vienna")
    day = moment_ms(date(2026, 10, 25), 0, zone)
    assert period_of(day + 3 * HOUR_MS, "day", zone) == (day, day + 25 * HOUR_MS)
    tally = Tally("time", "day", zone)
    tally.take(day - HOUR_MS, 1.0)
    assert tally.at(day + 25 * HOUR_MS - 1000) == 25 * 3600 - 1
    assert tally.at(day + 25 * HOUR_MS) == 0


@given(
    st.integers(0, 4_000_000_000_000),
    st.sampled_from(PERIODS),
    st.sampled_from(["Europe/Vienna", "Asia/Kathmandu", "America/St_Johns", "UTC"]),
)
def test_periods_hold_their_moment_and_follow_one_another(at_ms: int, per: str, name: str) -> None:
    zone = ZoneInfo(name)
    start, end = period_of(at_ms, per, zone)  # type: ignore[arg-type]
    assert start <= at_ms < end
    assert period_of(start, per, zone) == (start, end)  # type: ignore[arg-type]
    assert period_of(end, per, zone)[0] == end  # type: ignore[arg-type]
    assert start % MARK_MS == 0, "a mark stands at its beginning"


MACHINES = {
    "hysteresis": lambda: Hysteresis(6.0, 3.0, 0, 0),
    "integral": lambda: Integral(1 / 3.6e6),
    "starts": lambda: Tally("starts", "hour", UTC),
    "time": lambda: Tally("time", "hour", UTC),
    "amount": lambda: Tally("amount", "hour", UTC),
    "counter": lambda: Counter(8),
    "moving mean": lambda: MovingMean(20 * MIN),
    "steady": lambda: Hysteresis(0.5, 0.5, 3 * MIN, 2 * MIN),
}


@pytest.mark.parametrize("name", MACHINES)
@given(data=st.data())
def test_it_goes_on_after_a_restart_as_if_there_was_none(name: str, data: st.DataObject) -> None:
    states = name in ("starts", "time")
    values = st.sampled_from([0.0, 1.0]) if states else st.integers(0, 9).map(float)
    gaps = data.draw(st.lists(st.integers(1, 400), min_size=2, max_size=30))
    times = [NOON + 1000 * sum(gaps[: n + 1]) for n in range(len(gaps))]
    readings = [Reading(at, 0, None, data.draw(values)) for at in times]
    cut = data.draw(st.integers(1, len(readings) - 1))

    def run(course: Course, some: list[Reading], until: int, after: int = NOON) -> list[Reading]:
        moments = sorted({*range(NOON, until, MARK_MS), *(one.at_ms for one in some)})
        moments = [at for at in moments if at > after]
        by_time = {one.at_ms: one for one in some}
        made = []
        for at in moments:
            if at in by_time:
                made.append(course.hear(by_time[at]))
            elif at > times[0]:
                made.append(course.mark(at))
        return [one for one in made if one is not None]

    end = times[-1] + 1
    whole = run(Course(MACHINES[name](), holds=states), readings, end)
    first = run(Course(MACHINES[name](), holds=states), readings[:cut], times[cut - 1] + 1)
    if not first:
        return
    second, own = Course(MACHINES[name](), holds=states), first[-1]
    second.resume(first, [reading for reading in readings if reading.at_ms <= own.at_ms])
    rest = run(
        second, [reading for reading in readings if reading.at_ms > own.at_ms], end, own.at_ms
    )
    last = {one.at_ms: one.value for one in whole}
    for one in rest:
        assert one.value == pytest.approx(last.get(one.at_ms, one.value))
    assert (rest or first)[-1].value == pytest.approx(whole[-1].value)
    assert all(a.at_ms < b.at_ms for a, b in pairwise(whole))


def test_a_moving_mean_knows_after_a_restart_for_how_long_nothing_was_heard() -> None:
    """A reading a minute for 20 minutes, 40 °C; then 11 minutes of silence, and 10 °C.
    What was on at a mark counts until there, and the rest of the silence does not."""
    said = [(NOON + n * MIN, 40.0) for n in range(20)]
    said += [(NOON + 30 * MIN + n * MIN, 10.0) for n in range(30)]
    readings = [Reading(at_ms, 0, None, value) for at_ms, value in said]

    def course() -> Course:
        return Course(MovingMean(30 * MIN), holds=False)

    whole = made_by(course(), readings, marks_in(NOON, NOON + 60 * MIN))
    for cut in range(21, len(readings)):
        at_ms = readings[cut].at_ms
        first = made_by(course(), readings[:cut], marks_in(NOON, at_ms))
        again = course()
        again.resume(first, [one for one in readings if one.at_ms <= first[-1].at_ms])
        rest = made_by(
            again,
            [one for one in readings if one.at_ms > first[-1].at_ms],
            marks_in(first[-1].at_ms + 1, NOON + 60 * MIN),
        )
        values = {one.at_ms: one.value for one in whole}
        assert [one.value for one in rest] == [pytest.approx(values[one.at_ms]) for one in rest], (
            f"cut at {cut}"
        )


def test_what_is_not_heard_says_nothing_at_a_mark() -> None:
    course = Course(Integral(1.0), holds=False)
    for minute in range(10):
        assert course.hear(Reading(NOON + minute * MIN, 0, None, 1.0)) is not None
    assert course.mark(NOON + 10 * MIN) is not None
    assert course.mark(NOON + 15 * MIN) is None, "a minute is usual"
    bad = course.hear(Reading(NOON + 16 * MIN, 0, None, None, Quality.NO_VALUE))
    assert bad is not None
    assert bad.quality is Quality.INPUT_MISSING
    door = Course(TimeSince("on"), holds=True)
    for minute, value in ((0, 0.0), (1, 1.0)):
        door.hear(Reading(NOON + minute * MIN, 0, None, value))
    long_after = door.mark(NOON + 600 * MIN)
    assert long_after is not None
    assert (long_after.value, long_after.quality) == (599 * 60, Quality.GOOD)
    unheard = door.mark(NOON + 605 * MIN, heard=False)
    assert unheard is not None
    assert unheard.quality is Quality.INPUT_MISSING


def test_a_rhythm_is_learned_from_the_latest_distances() -> None:
    rhythm = Rhythm()
    assert not rhythm.holds(NOON)
    rhythm.heard(NOON)
    assert rhythm.holds(NOON + 30 * MIN)
    for minute in range(1, 5):
        rhythm.heard(NOON + minute * MIN)
    assert rhythm.holds(NOON + 7 * MIN)
    assert not rhythm.holds(NOON + 7 * MIN + 1)
