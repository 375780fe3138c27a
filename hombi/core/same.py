"""When two values count as the same one.

A node rounds: a thermostat that goes by half degrees takes 20.3 °C as 20.5 °C, a lamp
with 254 levels shows 99.6 % for 100 %. Two values are the same when they are as near to
one another as the coarsest of what rounds them: how the kind is shown, and the steps in
which the node has been seen to go.
"""

from __future__ import annotations

from collections.abc import Collection

# Steps in which nodes go, coarsest first.
GRAINS = (10.0, 5.0, 2.0, 1.0, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01)
# So many different values say in what steps a node goes.
VALUES_TO_KNOW = 3
_EXACT = 1e-9


def same(one: float, other: float, step: float = 0.0) -> bool:
    """Whether two values are the same, in steps of this size; without one, but for how
    a machine rounds."""
    return abs(one - other) <= step / 2 + _EXACT * max(1.0, abs(one), abs(other))


def grain(values: Collection[float]) -> float:
    """The coarsest step of which all of these are whole multiples; 0 where there is
    none, or nothing but zeros."""
    if not any(values):
        return 0.0
    for step in GRAINS:
        if all(same(round(value / step) * step, value) for value in values):
            return step
    return 0.0


def answers(
    wanted: float, reported: float, before: float | None, seen: Collection[float], step: float
) -> bool:
    """Whether the value that a node tells is what it was asked to take: `before` is
    what it told last, `seen` are the values that it told lately, with this one; `step`
    is the one in which such a value is shown. All are in the node's own unit.

    A value that has not moved is an answer only where it is known that the node goes in
    such steps: 1499 is not 1500.
    """
    if same(wanted, reported, step):
        return True
    moved = before is None or not same(before, reported)
    if not moved and len(set(seen)) < VALUES_TO_KNOW:
        return False
    return same(wanted, reported, grain(seen))
