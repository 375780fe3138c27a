"""What became of something that was handed over, for whoever handed it over."""

from __future__ import annotations

from collections.abc import Callable
from enum import IntEnum


class Outcome(IntEnum):
    """`SAFE`: it is on the disk. `REFUSED`: it will never be taken; to send it again is
    of no use. `LATER`: it cannot be taken now; it is to be sent again."""

    SAFE = 0
    REFUSED = 1
    LATER = 2


Acknowledge = Callable[[Outcome], None]


def after(times: int, acknowledge: Acknowledge) -> Acknowledge:
    """An acknowledgement of so many parts: it is made once all of them were, with the
    worst of their outcomes."""
    left, worst = times, Outcome.SAFE

    def once_more(outcome: Outcome) -> None:
        nonlocal left, worst
        left, worst = left - 1, max(worst, outcome)
        if not left:
            acknowledge(worst)

    return once_more


def first_only(acknowledge: Acknowledge) -> Acknowledge:
    """The same acknowledgement, which takes no notice of a second outcome."""
    made = False

    def once(outcome: Outcome) -> None:
        nonlocal made
        if not made:
            made = True
            acknowledge(outcome)

    return once
