"""When two values count as the same one."""

from __future__ import annotations

import pytest

from hombi.core.automation.comparisons import Is
from hombi.core.automation.comparisons.is_ import IsNot
from hombi.core.same import answers, grain, same


def test_what_is_shown_alike_is_the_same() -> None:
    assert same(29.0, 28.999999999999996)
    assert not same(29.0, 28.9)
    assert same(29.0, 28.96, 0.1)
    assert Is(29.0, 0.1).starts_with(28.999999999999996)
    assert IsNot(29.0, 0.1).starts_with(28.9)
    assert Is(1.0).starts_with(1.0)


@pytest.mark.parametrize(
    ("values", "step"),
    [([20.5, 21.0, 19.5], 0.5), ([1499.0], 1.0), ([0.1, 0.3], 0.1), ([20.0, 40.0], 10.0),
     ([0.0], 0.0), ([21.37, 20.11], 0.01), ([1 / 3], 0.0)],
)  # fmt: skip
def test_the_step_in_which_values_go(values: list[float], step: float) -> None:
    assert grain(values) == step


@pytest.mark.parametrize(
    ("asked", "told", "before", "seen", "yes"),
    [
        (20.3, 20.5, 19.0, [19.0, 20.5], True),
        (20.3, 20.5, 20.5, [20.5], False),
        (20.3, 20.5, 20.5, [19.0, 21.5, 20.5], True),
        (1500.0, 1499.0, 1499.0, [1499.0], False),
        (100.0, 99.8, 0.0, [99.8], True),
        (40.0, 50.0, 0.0, [0.0, 50.0], False),
        (40.0, 39.9, None, [39.9], True),
    ],
)
def test_an_answer(
    asked: float, told: float, before: float | None, seen: list[float], yes: bool
) -> None:
    assert answers(asked, told, before, seen, 1.0 if told > 30 and asked < 1000 else 0.1) is yes
