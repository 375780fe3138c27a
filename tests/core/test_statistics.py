from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.series.statistics import quantiles, time_over


def test_quantiles_by_hand() -> None:
    # 60 ms at 10, 30 ms at 20, 10 ms at 30
    held = [(20.0, 30.0), (10.0, 60.0), (30.0, 10.0)]
    assert quantiles(held, (0.5, 0.6, 0.61, 0.9, 0.95, 0.0, 1.0)) == [
        10.0, 10.0, 20.0, 20.0, 30.0, 10.0, 30.0,
    ]  # fmt: skip
    assert time_over(held, 10.0) == 40.0
    assert time_over(held, 30.0) == 0.0


def test_what_held_for_no_time_says_nothing() -> None:
    assert quantiles([(5.0, 0.0), (7.0, 1.0)], (0.0, 0.5)) == [7.0, 7.0]
    with pytest.raises(ValueError, match="no value held"):
        quantiles([(5.0, 0.0)], (0.5,))


@given(st.lists(st.tuples(st.floats(-1e6, 1e6), st.floats(1, 1e6)), min_size=1, max_size=30))
def test_quantiles_rise_and_are_values_that_there_were(held: list[tuple[float, float]]) -> None:
    result = quantiles(held, (0.05, 0.5, 0.95))
    assert result == sorted(result)
    assert {*result} <= {value for value, _ in held}
    total = sum(ms for _, ms in held)
    assert time_over(held, result[1]) <= total / 2 * (1 + 1e-9)
