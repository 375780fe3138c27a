"""The contract of a chain's steps, which every step passes, and what each is for."""

from __future__ import annotations

import math
from collections.abc import Callable
from statistics import median
from typing import NamedTuple

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.arithmetic import CIRCLE
from hombi.core.errors import UnitError
from hombi.core.kinds import KINDS
from hombi.core.quality import Quality
from hombi.core.series import Channel, Sample, chain_of, usual_chain
from hombi.core.series.steps import (
    ByFormula,
    Clamp,
    Clips,
    Convert,
    Despike,
    HoldOff,
    Limits,
    Linear,
    LowPass,
    Measured,
    Median,
    NoValue,
    Resample,
    Settle,
    Step,
    Stuck,
)
from hombi.core.series.steps.turning import ByParts

STEPS: dict[str, Callable[[], Step]] = {
    "convert": lambda: Convert("[degF]", "°C"),
    "limits": lambda: Limits(-40.0, 85.0),
    "linear": lambda: Linear(1.02, -0.7),
    "clamp": lambda: Clamp(0.0, 50.0),
    "no value": lambda: NoValue(85.0),
    "despike": lambda: Despike(60_000, 3.0, 0.1),
    "median": lambda: Median(60_000),
    "low-pass": lambda: LowPass(30_000),
    "hold-off": lambda: HoldOff(0.5),
    "settle": lambda: Settle(CIRCLE),
    "by parts": lambda: ByParts(lambda: LowPass(30_000), CIRCLE),
    "resample": lambda: Resample(30_000),
    "clips": lambda: Clips(-40.0, 85.0),
    "stuck": lambda: Stuck(60_000),
    "formula": lambda: ByFormula(KINDS["temperature"], "value * 1.02 - 0.7 K"),
}
VALUES = st.lists(
    st.tuples(
        st.integers(0, 60_000),
        st.none() | st.floats(-1e6, 1e6),
        st.sampled_from([Quality.GOOD, Quality.STUCK, Quality.OUT_OF_RANGE]),
    ),
    max_size=20,
)


class Given(NamedTuple):
    """What a step gave, by name."""

    at_ms: int
    value: float | None
    quality: Quality


def course(rows: list[tuple[int, float | None, Quality]]) -> list[Measured]:
    at_ms, result = 0, []
    for gap, value, quality in rows:
        at_ms += gap
        result.append((at_ms, value, Quality.NO_VALUE if value is None else quality))
    return result


@pytest.fixture(params=STEPS)
def make(request: pytest.FixtureRequest) -> Callable[[], Step]:
    return STEPS[request.param]


def test_there_is_a_contract_for_every_step() -> None:
    from hombi.core.series import steps

    made = {type(make()).__name__ for make in STEPS.values()}
    assert made - {"ByParts"} == set(steps.__all__) - {"Measured", "Step"}


def test_it_gives_nothing_before_anything_came(make: Callable[[], Step]) -> None:
    assert make().get() is None
    assert make().warm_ms >= 0


@given(rows=VALUES)
def test_it_gives_the_same_for_the_same_and_giving_changes_nothing(
    rows: list[tuple[int, float | None, Quality]],
) -> None:
    for make in STEPS.values():
        one, other = make(), make()
        for measured in course(rows):
            one.update(measured)
            other.update(measured)
            assert one.get() == one.get() == other.get()


@given(rows=VALUES)
def test_no_value_stays_none_and_no_value_gets_better(
    rows: list[tuple[int, float | None, Quality]],
) -> None:
    for make in STEPS.values():
        step = make()
        for measured in course(rows):
            step.update(measured)
            given_back = step.get()
            assert given_back is not None
            at_ms, value, quality = given_back
            assert at_ms == measured[0]
            assert quality >= measured[2]
            if measured[1] is None:
                assert (value, quality) == (None, Quality.NO_VALUE)


def test_converting_is_exact_by_definition() -> None:
    step = Convert("[degF]", "°C")
    step.update((0, 212.0, Quality.GOOD))
    assert step.get() == (0, pytest.approx(100.0), Quality.GOOD)
    with pytest.raises(UnitError):
        Convert("hPa", "°C")


def test_limits_belong_to_what_is_believed() -> None:
    step = Limits(0.0, 100.0)
    for value, quality in (
        (0.0, Quality.GOOD),
        (100.0, Quality.GOOD),
        (100.5, Quality.OUT_OF_RANGE),
    ):
        step.update((0, value, Quality.GOOD))
        assert step.get() == (0, value, quality)
    with pytest.raises(ValueError, match="over the upper"):
        Limits(1.0, 0.0)


def test_a_reading_keeps_its_sample_as_it_was_sent() -> None:
    chain = usual_chain(KINDS["temperature"], "[degF]", -40.0, 85.0)
    reading = chain.reading(
        Sample(5, 50.0, "[degF]"), Channel(2, KINDS["temperature"], "[degF]", 0)
    )
    assert (reading.at_ms, reading.channel, reading.sent) == (5, 2, 50.0)
    assert reading.value == pytest.approx(10.0)
    assert reading.quality is Quality.GOOD


def fed(step: Step, *values: float | None, every_ms: int = 60_000) -> list[Given]:
    result = []
    for number, value in enumerate(values):
        none = Quality.NO_VALUE if value is None else Quality.GOOD
        step.update((number * every_ms, value, none))
        given_back = step.get()
        assert given_back is not None
        result.append(Given(*given_back))
    return result


def test_hampel_by_hand() -> None:
    # 20, 21, 22, 21, 60: median 21, deviations 1 0 1 0 39, their median 1; 39 > 4.45.
    *_, spike = fed(Despike(600_000), 20.0, 21.0, 22.0, 21.0, 60.0)
    assert (spike.value, spike.quality) == (60.0, Quality.SPIKE)
    # 20, 21, 22, 21, 25: 4 is under 4.45.
    assert fed(Despike(600_000), 20.0, 21.0, 22.0, 21.0, 25.0)[-1].quality is Quality.GOOD
    # What stands still needs a floor, or each flicker is a spike.
    assert fed(Despike(600_000), 5.0, 5.0, 5.0, 5.1)[-1].quality is Quality.SPIKE
    assert fed(Despike(600_000, floor=0.1), 5.0, 5.0, 5.0, 5.1)[-1].quality is Quality.GOOD
    # A level that stays is believed after half the window.
    qualities = [m.quality for m in fed(Despike(300_000), *[20.0, 20.1] * 3, *[30.0] * 5)]
    assert qualities[6] is Quality.SPIKE
    assert qualities[-1] is Quality.GOOD


@given(st.lists(st.integers(0, 40).map(lambda n: n / 4), min_size=3, max_size=24))
def test_a_spike_is_what_the_definition_says(values: list[float]) -> None:
    for made, count in zip(fed(Despike(600_000, 2.0, 0.25), *values), range(1, 99), strict=False):
        window = values[max(0, count - 10) : count]
        middle = median(window)
        spread = max(1.4826 * median([abs(one - middle) for one in window]), 0.25)
        odd = len(window) >= 3 and abs(window[-1] - middle) > 2.0 * spread
        assert (made.quality is Quality.SPIKE) == odd, window


def test_a_median_leaves_no_trace_of_one_odd_value_and_keeps_edges() -> None:
    values = [m.value for m in fed(Median(180_000), 1.0, 1.0, 9.0, 1.0, 5.0, 5.0, 5.0)]
    assert values == [1.0, 1.0, 1.0, 1.0, 5.0, 5.0, 5.0]
    assert fed(Median(120_000), 1.0, 2.0)[-1].value == 1.5


@pytest.mark.parametrize("every_ms", [1_000, 7_000, 60_000])
def test_a_low_pass_follows_a_jump_alike_however_often_it_is_sampled(every_ms: int) -> None:
    values = fed(LowPass(60_000), 0.0, *[1.0] * (60_000 // every_ms), every_ms=every_ms)
    gone = (60_000 // every_ms) * every_ms / 60_000
    assert values[-1].value == pytest.approx(1 - math.exp(-gone))


def test_a_low_pass_begins_again_after_a_gap() -> None:
    assert fed(LowPass(1_000), 0.0, 100.0)[-1].value == 100.0


def test_a_stretch_has_the_mean_of_the_one_before_it() -> None:
    # A value each minute, stretches of two: 1 and 3 make 2; 5 and 5 make 5.
    made = fed(Resample(120_000), 1.0, 3.0, 5.0, 5.0, 9.0, 9.0)
    assert [m.value for m in made] == [1.0, 1.0, 2.0, 2.0, 5.0, 5.0]
    # Each value counts for as long as it held: 4 for 90 s, 8 for 30 s.
    step = Resample(120_000)
    for at_ms, value in ((0, 4.0), (90_000, 8.0), (120_000, 0.0)):
        step.update((at_ms, value, Quality.GOOD))
    assert step.get() == (120_000, 5.0, Quality.GOOD)
    # What held over the end of a stretch counts on both sides; a week is not a stretch.
    step.update((180_000, 6.0, Quality.GOOD))
    step.update((270_000, 1.0, Quality.GOOD))
    assert step.get() == (270_000, 3.0, Quality.GOOD)
    step.update((600_000_000, 7.0, Quality.GOOD))
    assert step.get() == (600_000_000, 7.0, Quality.GOOD)


def test_clamp_and_no_value() -> None:
    assert [m.value for m in fed(Clamp(0.0, 100.0), -1.0, 50.0, 101.0)] == [0.0, 50.0, 100.0]
    none, some = fed(NoValue(85.0), 85.0, 84.9)
    assert (none.value, none.quality) == (None, Quality.NO_VALUE)
    assert (some.value, some.quality) == (84.9, Quality.GOOD)


@pytest.mark.parametrize(
    "make",
    [lambda: Clamp(2, 1), lambda: LowPass(0), lambda: Median(-1), lambda: Despike(60, 0),
     lambda: Despike(60, 3, -1), lambda: Resample(0)],
)  # fmt: skip
def test_a_step_that_cannot_be_is_refused(make: Callable[[], Step]) -> None:
    with pytest.raises(ValueError, match=r"over|than nothing"):
        make()


PLAN = (
    {"step": "despike", "window": "2 min", "times": 3.0, "floor": 0.2},
    {"step": "median", "window": "1 min"},
    {"step": "low-pass", "time": "30 s"},
    {"step": "linear", "offset": -0.7, "gain": 1.01},
)


@given(
    rows=st.lists(st.tuples(st.integers(1, 90_000), st.floats(-30, 80)), min_size=5, max_size=60),
    part=st.floats(0, 1),
)
def test_a_chain_that_is_warmed_gives_what_it_would_have_given(
    rows: list[tuple[int, float]], part: float
) -> None:
    temperature = KINDS["temperature"]
    channel = Channel(0, temperature, "°C", 0)
    at_ms, samples = 0, []
    for gap, value in rows:
        at_ms += gap
        samples.append(Sample(at_ms, value, "°C"))
    whole = chain_of(PLAN, temperature, "°C", -40.0, 85.0)
    readings = [whole.reading(sample, channel) for sample in samples]
    cut = int(part * (len(samples) - 1))
    again = chain_of(PLAN, temperature, "°C", -40.0, 85.0)
    reach = 4 * again.warm_ms
    for sample in samples[:cut]:
        if sample.at_ms >= samples[cut].at_ms - reach:
            again.reading(sample, channel)
    for sample, reading in zip(samples[cut:], readings[cut:], strict=True):
        made = again.reading(sample, channel)
        assert made.value == pytest.approx(reading.value, abs=1e-6)


def test_a_chain_warms_up_and_what_it_makes_must_be_believed() -> None:
    temperature = KINDS["temperature"]
    channel = Channel(0, temperature, "°C", 0)
    chain = chain_of(({"step": "low-pass", "time": "1 min"},), temperature, "°C", -40.0, 85.0)
    qualities = [
        chain.reading(Sample(minute * 60_000, 20.0, "°C"), channel).quality for minute in range(7)
    ]
    assert qualities == [Quality.WARMING_UP] * 5 + [Quality.GOOD] * 2
    plus = chain_of(
        ({"step": "linear", "offset": 70.0, "gain": 1.0},), temperature, "°C", -40.0, 85.0
    )
    assert plus.reading(Sample(0, 20.0, "°C"), channel).quality is Quality.OUT_OF_RANGE


def given_to(step: Step, *values: float | None, every_ms: int = 60_000) -> list[Given]:
    """What a step makes of values, one a minute."""
    result = []
    for number, value in enumerate(values):
        step.update((number * every_ms, value, Quality.GOOD))
        made = step.get()
        assert made is not None
        result.append(Given(*made))
    return result


def test_a_value_that_flickers_by_less_than_the_band_stands_still() -> None:
    values = [one.value for one in given_to(HoldOff(0.5), 20.0, 20.4, 19.6, 20.5, 20.1, 19.9)]
    assert values == [20.0, 20.0, 20.0, 20.5, 20.5, 19.9]


def test_a_light_sensor_at_its_end_is_clipped_and_one_that_does_not_move_is_stuck() -> None:
    light = given_to(Clips(-1e12, 20_000.0), 500.0, 20_000.0, 25_000.0)
    assert [one.quality for one in light] == [Quality.GOOD, Quality.CLIPPED, Quality.CLIPPED]
    assert Quality.CLIPPED.level == "uncertain"
    wind = given_to(Stuck(120_000), 3.1, 3.1, 3.1, 3.1, 3.2)
    assert [one.quality.reason for one in wind] == ["", "", "", "stuck", ""]


def test_a_formula_as_a_step() -> None:
    made = given_to(
        ByFormula(KINDS["humidity"], "if(value > 60 %, value * 1.1, value)"), 50.0, 70.0
    )
    assert [one.value for one in made] == [pytest.approx(50.0), pytest.approx(77.0)]
    (none,) = given_to(ByFormula(KINDS["number"], "1 / value"), 0.0)
    assert (none.value, none.quality) == (None, Quality.NO_VALUE)
    for text, said in (
        ("loft-beam/humidity", "knows `value` alone"),
        ("value + 2 K", "does not fit"),
        ("value * 1 m", "gives length"),
        ("", "is empty"),
    ):
        with pytest.raises(ValueError, match=said):
            ByFormula(KINDS["humidity"], text)
