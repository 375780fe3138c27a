"""A kind's arithmetic, and directions wherever values are calculated with."""

from __future__ import annotations

import cmath
import math
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.arithmetic import CIRCLE, LINE, STATES
from hombi.core.automation import parse
from hombi.core.automation.comparisons.ranges import Outside, Within
from hombi.core.errors import ValueTextError
from hombi.core.formula.compile import compile_formula
from hombi.core.formula.grammar import FormulaError
from hombi.core.house_facts import EntityFacts, HouseFacts
from hombi.core.kinds import KINDS, difference_of
from hombi.core.quality import Quality
from hombi.core.series import Channel, Reading, Sample, chain_of
from hombi.core.series.conditioning import PlanError, checked
from hombi.core.series.course import Course, made_by, marks_in
from hombi.core.series.methods import MethodError, computing
from hombi.core.series.methods import checked as checked_method
from hombi.core.series.rollup import HOUR_MS, hold_ms, merge, roll
from hombi.core.series.running import ChangeOver, MovingMean
from hombi.core.values import parse_value, show_value

MIN = 60_000
WIND = KINDS["wind-direction"]
DEGREES = st.floats(-720, 720)


def apart(one: float, other: float) -> float:
    return abs(CIRCLE.difference(one, other))


def test_only_what_stands_in_a_circle_is_one() -> None:
    circular = [name for name, kind in KINDS.items() if kind.arithmetic is CIRCLE]
    assert circular == ["wind-direction", "hue"]
    assert all(kind.words is not None for kind in KINDS.values() if kind.arithmetic is STATES)
    assert difference_of(WIND) is KINDS["angle"]


@given(values=st.lists(st.tuples(DEGREES, st.floats(0.1, 10)), min_size=1, max_size=20))
def test_the_mean_of_directions_is_that_of_their_vectors(values: list[tuple[float, float]]) -> None:
    vector = sum(weight * cmath.rect(1, math.radians(value)) for value, weight in values)
    mean = CIRCLE.mean(values)
    if abs(vector) > 1e-6:
        assert mean is not None
        assert apart(mean, math.degrees(cmath.phase(vector))) < 1e-4


@given(value=DEGREES, turn=st.floats(-180, 180))
def test_a_difference_goes_the_short_way(value: float, turn: float) -> None:
    difference = CIRCLE.difference(value + turn, value)
    assert -180 <= difference <= 180
    assert apart(value + difference, value + turn) < 1e-6
    assert 0 <= CIRCLE.settled(value) < 360


@given(values=st.lists(DEGREES, min_size=1, max_size=12))
def test_an_extent_has_all_in_it_and_is_the_narrowest(values: list[float]) -> None:
    low, high = CIRCLE.extent((value, value) for value in values)
    width = (high - low) % 360
    assert all((CIRCLE.settled(value) - low + 1e-6) % 360 <= width + 2e-6 for value in values)
    for begin in values:
        # From no other value on, all of them lie in a narrower arc.
        assert max((value - begin + 1e-9) % 360 for value in values) >= width - 1e-6
    assert CIRCLE.spread(values) == pytest.approx(width, abs=1e-6)


@pytest.mark.parametrize(
    ("ranges", "extent"),
    [
        ([(350, 350), (10, 10)], (350, 10)),
        ([(0, 200), (100, 110)], (0, 200)),
        ([(340, 20), (10, 40)], (340, 40)),
        ([(0, 120), (120, 240), (240, 0)], (0, pytest.approx(360))),
        ([(90, 90)], (90, 90)),
        ([(2, 3), (320, 38)], (320, 38)),
        ([(300, 100), (20, 30), (90, 200)], (300, 200)),
    ],
)
def test_ranges_of_directions_are_put_together(
    ranges: list[tuple[float, float]], extent: tuple[float, float]
) -> None:
    assert CIRCLE.extent(ranges) == extent


@given(ranges=st.lists(st.tuples(st.integers(0, 359), st.integers(0, 359)), min_size=1, max_size=6))
def test_an_extent_has_whole_ranges_in_it_and_is_the_narrowest(
    ranges: list[tuple[int, int]],
) -> None:
    low, high = CIRCLE.extent(ranges)
    covered = {
        (start + step) % 360 for start, end in ranges for step in range((end - start) % 360 + 1)
    }
    assert all(CIRCLE.between(degree, low, high) for degree in covered)
    free = max(
        (
            next(step for step in range(1, 361) if (degree + step) % 360 in covered)
            for degree in covered
        ),
        default=360,
    )
    assert (high - low) % 360 == pytest.approx(360 - free, abs=1 if free == 1 else 1e-9)


def readings(*values: float | None, every_ms: int = MIN) -> list[Reading]:
    return [
        Reading(n * every_ms, 0, value, value, Quality.GOOD if value is not None else Quality.STUCK)
        for n, value in enumerate(values)
    ]


def test_an_hour_around_north_has_its_mean_in_the_north() -> None:
    rng = random.Random(3)
    around = readings(*(rng.gauss(0, 15) % 360 for _ in range(60)))
    hold = hold_ms(around, CIRCLE)
    (hour,) = roll(around, (0, HOUR_MS), hold, CIRCLE)
    assert apart(hour.mean, 0) < 6
    assert hour.low > 300
    assert hour.high < 60
    assert hour.count == 60
    fives = roll(around, range(0, HOUR_MS + 1, 5 * MIN), hold, CIRCLE)
    (merged,) = merge(fives, 0, CIRCLE)
    assert apart(merged.mean, hour.mean) < 1
    assert (merged.low, merged.high) == (pytest.approx(hour.low), pytest.approx(hour.high))
    assert merged.count == 60
    (plain,) = roll(around, (0, HOUR_MS), hold)
    assert plain.mean == pytest.approx(sum(r.value or 0 for r in around) / 60), (
        "on a line it is not"
    )


def test_directions_that_cancel_out_are_the_last_of_them() -> None:
    (hour,) = roll(readings(0, 180, every_ms=HOUR_MS // 2), (0, HOUR_MS), math.inf, CIRCLE)
    assert hour.mean == 180
    assert CIRCLE.mean([(0, 1), (180, 1)]) is None


@pytest.mark.parametrize("machine", [lambda: MovingMean(30 * MIN, CIRCLE)])
def test_a_moving_mean_of_directions(machine: type[MovingMean]) -> None:
    around = readings(*(350 if n % 2 else 10 for n in range(90)))
    made = made_by(Course(machine(), holds=False), around, marks_in(0, 90 * MIN))
    assert made
    assert all(apart(reading.value or 0, 0) < 1 for reading in made)


def test_a_change_of_direction_goes_the_short_way() -> None:
    machine = ChangeOver(10 * MIN, CIRCLE)
    for n in range(30):
        machine.take(n * MIN, (340 + n) % 360)
    assert machine.at(29 * MIN) == pytest.approx(10)


def chain(*steps: dict[str, object]) -> list[float | None]:
    plan = checked(steps, WIND)
    made = chain_of(plan, WIND, "°", -180, 180)
    channel = Channel(0, WIND, "°", 0)
    readings = [
        made.reading(Sample(n * MIN, value, "°"), channel)
        for n, value in enumerate([-10, 10, -10, 5, -5])
    ]
    assert all(reading.usable for reading in readings)
    return [reading.value for reading in readings]


def test_a_vane_that_counts_from_minus_180_is_kept_from_0_to_360() -> None:
    assert chain() == [350, 10, 350, 5, 355]


@pytest.mark.parametrize("step", ["low-pass", "resample", "hold-off"])
def test_what_smooths_a_direction_stays_in_the_north(step: str) -> None:
    given = {"step": step, **({"band": 60.0} if step == "hold-off" else {})}
    assert all(value is not None and apart(value, 0) <= 10.001 for value in chain(given))


def test_an_offset_turns_a_direction_over_north() -> None:
    assert chain({"step": "linear", "offset": 20.0}) == [10, 30, 10, 25, 15]


@pytest.mark.parametrize("step", ["median", "despike"])
def test_what_needs_an_order_says_so(step: str) -> None:
    with pytest.raises(PlanError, match="directions have none; use linear, low-pass"):
        checked([{"step": step}], WIND)


def test_what_is_computed_of_directions() -> None:
    def made(method: str, *values: float) -> float | None:
        of, _, parameters = checked_method(method, [WIND] * len(values), {})
        kept = {name: str(value) for name, value in parameters.items()}
        return computing(of.name, tuple(kept.items()))(values)

    assert made("mean", 350, 20) == pytest.approx(5)
    assert made("difference", 10, 350) == pytest.approx(20)
    assert made("difference", 350, 10) == pytest.approx(-20)
    assert made("spread", 350, 10, 0) == pytest.approx(20)
    assert made("mean", 0, 180) is None
    assert checked_method("difference", [WIND, WIND], {})[1] is KINDS["angle"]
    _, _, kept = checked_method("mean", [WIND, WIND], {})
    assert checked_method("mean", [WIND, WIND], kept)[2] == kept, "a file gives it back"
    for method in ("lowest", "sum", "median", "counter"):
        with pytest.raises(MethodError, match="one is higher than another"):
            checked_method(method, [WIND] * (1 if method == "counter" else 2), {})


def test_formulas_of_directions() -> None:
    def value(text: str, *given: float) -> float:
        names = (WIND.name,) * len(given)
        kind = checked_method("formula", [WIND] * len(given), {"text": text})[1]
        return compile_formula(text, names, kind.name).compute(given)

    assert value("mast/wind + 180 °", 270) == pytest.approx(90)
    assert value("mast/wind - 30 °", 10) == pytest.approx(340)
    assert value("mean(mast/wind, dam/wind)", 350, 30) == pytest.approx(10)
    assert value("mast/wind - dam/wind", 350, 10) == pytest.approx(-20)
    chosen = "mean(if(mast/wind > -1, mast/wind, dam/wind), dam/wind)"
    with pytest.raises(FormulaError, match="no direction is under"):
        value(chosen, 350, 10)
    chosen = "mean(if(a/speed > 1 m/s, mast/wind, dam/wind), dam/wind)"
    made = compile_formula(chosen, ("speed", WIND.name, WIND.name), WIND.name)
    assert made.compute((2.0, 350.0, 10.0)) == pytest.approx(0, abs=1e-9)
    for text in ("max(a/b, c/d)", "if(a/b > c/d, 1, 2)"):
        with pytest.raises(FormulaError, match="direction"):
            compile_formula(text, (WIND.name, WIND.name))


def test_a_range_of_directions_goes_clockwise() -> None:
    north = Within(330, 30, CIRCLE)
    assert [north.starts_with(value) for value in (330, 0, 30, 31, 180, 329)] == [
        *(True, True, True),
        *(False, False, False),
    ]
    assert Outside(330, 30, CIRCLE).starts_with(180)
    assert not Outside(330, 30, CIRCLE).starts_with(0)
    assert not Within(330, 30, LINE).possible


def test_a_range_of_directions_may_follow_another() -> None:
    known = {name: EntityFacts(WIND, writable=False) for name in ("mast/wind", "dam/wind")}
    text = """name = "Apart"
    [watch]
    entity = "mast/wind"
    within = ["= dam/wind - 20 °", "= dam/wind + 20 °"]
    [[starts]]
    notify = "everyone"
    title = "Alike"
    """
    program = parse(text, HouseFacts(known)).program
    assert program is not None
    moving = program.watch.moving
    assert moving is not None
    low, high = (formula.compute([10.0]) for _, formula in moving.formulas)
    assert (low, high) == (350, pytest.approx(30))
    alike = text.replace('"= dam/wind - 20 °", "= dam/wind + 20 °"', '"0 °", "360 °"')
    (mistake,) = parse(alike, HouseFacts(known)).mistakes
    assert mistake.what == "the two limits must differ"


def test_directions_are_written_from_0_to_360() -> None:
    assert parse_value("-10 °", WIND) == 350
    assert parse_value("360 °", WIND) == 0
    assert show_value(359.7, WIND) == "0 °"
    with pytest.raises(ValueTextError):
        parse_value("400 °", WIND)
