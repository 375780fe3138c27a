"""How far a value has moved, against the plain definition."""

from __future__ import annotations

from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from hombi.core.automation.comparisons.slopes import POINTS, Falling, Rising, Slope

WINDOW_MS = 600_000


def moved(said: list[tuple[int, float]], window_ms: int, sign: int) -> float:
    """By definition: the last value less the lowest one (highest, falling) within the
    window."""
    now, last = said[-1]
    within = [value for at, value in said if at > now - window_ms]
    return last * sign - min(value * sign for value in within)


@given(
    st.lists(
        st.tuples(st.integers(1, 200_000), st.floats(-50, 50).map(lambda v: round(v, 2))),
        min_size=1,
        max_size=200,
    ),
    st.sampled_from([Rising, Falling]),
)
def test_it_is_as_defined_but_for_a_sixtieth_of_its_time(
    gaps: list[tuple[int, float]], way: type[Slope]
) -> None:
    slope, past, said = way(2.0, WINDOW_MS), (), list[tuple[int, float]]()
    at_ms = 1_800_000_000_000
    for gap, value in gaps:
        at_ms += gap
        said.append((at_ms, value))
        past, result = slope.moved(past, at_ms, value)
        assert len(past) <= POINTS + 1
        shorter = moved(said, WINDOW_MS - WINDOW_MS // POINTS, way.sign)
        assert shorter - 1e-9 <= result <= moved(said, WINDOW_MS, way.sign) + 1e-9


def test_a_steady_rise_is_one_rise() -> None:
    """0.3 K a minute, each 5 s, for an hour: above 2 K in 10 min once, and for good."""
    slope, past, above = Rising(2.0, WINDOW_MS), (), list[bool]()
    for n in range(720):
        past, result = slope.moved(past, 1_800_000_000_000 + 5_000 * n, 0.3 / 12 * n)
        above.append(slope.starts_with(result))
    assert sum(a != b for a, b in pairwise(above)) == 1
    assert above[-1]
