"""What a step is: it takes one value after another, and has one to give."""

from __future__ import annotations

from typing import Protocol, TypeAlias

from hombi.core.quality import Quality

# A value on its way through a chain: time in ms since 1970, value (None for none),
# quality. A plain tuple: to make one with names takes ten times as long.
Measured: TypeAlias = tuple[int, float | None, Quality]


class Step(Protocol):
    """One stage of a chain.

    Its state is made from its parameters and from what it was given, alone. `update`
    changes it and returns nothing, `get` gives and changes nothing. A value that is
    none, or bad, goes through as it is.
    """

    @property
    def warm_ms(self) -> int:
        """How much of the past it must have seen to give what it would always give."""

    def update(self, measured: Measured) -> None:
        """Take the next value; times never go back."""

    def get(self) -> Measured | None:
        """What it makes of all that came; None before anything did."""
