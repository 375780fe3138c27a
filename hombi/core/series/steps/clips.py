"""The step that knows where a sensor ends."""

from __future__ import annotations

from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured


class Clips:
    """A value at an end of what its sensor can say (`low` or less, `high` or more) is
    uncertain: clipped. What is measured may lie further out."""

    warm_ms = 0

    def __init__(self, low: float, high: float) -> None:
        if low >= high:
            raise ValueError("the lower end is not under the upper one")
        self._low, self._high = low, high
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is not None and not self._low < value < self._high:
            quality = max(quality, Quality.CLIPPED)
        self._last = (at_ms, value, quality)

    def get(self) -> Measured | None:
        return self._last
