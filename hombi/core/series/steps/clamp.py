"""The step that keeps values within bounds."""

from __future__ import annotations

from hombi.core.series.steps.base import Measured


class Clamp:
    """A value below `low` becomes `low`, one above `high` becomes `high`: a humidity of
    101 % after its correction is 100 %."""

    warm_ms = 0

    def __init__(self, low: float, high: float) -> None:
        if low > high:
            raise ValueError("the lower bound is over the upper one")
        self._low, self._high = low, high
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is None or self._low <= value <= self._high:
            self._last = measured
        else:
            self._last = (at_ms, min(max(value, self._low), self._high), quality)

    def get(self) -> Measured | None:
        return self._last
