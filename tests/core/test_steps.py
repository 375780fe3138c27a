"""The contract of a chain's steps, which every step passes, and what each is for."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.errors import UnitError
from hombi.core.kinds import KINDS
from hombi.core.quality import Quality
from hombi.core.series import Channel, Sample, usual_chain
from hombi.core.series.steps import Convert, Limits, Measured, Step

STEPS: dict[str, Callable[[], Step]] = {
    "convert": lambda: Convert("[degF]", "°C"),
    "limits": lambda: Limits(-40.0, 85.0),
}
VALUES = st.lists(
    st.tuples(
        st.integers(0, 60_000),
        st.none() | st.floats(-1e6, 1e6),
        st.sampled_from([Quality.GOOD, Quality.STUCK, Quality.OUT_OF_RANGE]),
    ),
    max_size=20,
)


def course(rows: list[tuple[int, float | None, Quality]]) -> list[Measured]:
    at_ms, found = 0, []
    for gap, value, quality in rows:
        at_ms += gap
        found.append(Measured(at_ms, value, Quality.NO_VALUE if value is None else quality))
    return found


@pytest.fixture(params=STEPS)
def make(request: pytest.FixtureRequest) -> Callable[[], Step]:
    return STEPS[request.param]


def test_there_is_a_contract_for_every_step() -> None:
    from hombi.core.series import steps

    made = {type(make()).__name__ for make in STEPS.values()}
    assert made == set(steps.__all__) - {"Measured", "Step"}


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
            assert given_back.at_ms == measured.at_ms
            assert given_back.quality >= measured.quality
            if measured.value is None:
                assert (given_back.value, given_back.quality) == (None, Quality.NO_VALUE)


def test_converting_is_exact_by_definition() -> None:
    step = Convert("[degF]", "°C")
    step.update(Measured(0, 212.0, Quality.GOOD))
    assert step.get() == Measured(0, pytest.approx(100.0), Quality.GOOD)
    with pytest.raises(UnitError):
        Convert("hPa", "°C")


def test_limits_belong_to_what_is_believed() -> None:
    step = Limits(0.0, 100.0)
    for value, quality in (
        (0.0, Quality.GOOD),
        (100.0, Quality.GOOD),
        (100.5, Quality.OUT_OF_RANGE),
    ):
        step.update(Measured(0, value, Quality.GOOD))
        assert step.get() == Measured(0, value, quality)
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
