"""The step that says which values are believed."""

from __future__ import annotations

from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured


class Limits:
    """A value outside `low` to `high` (both in the kind's unit, both still believed) is
    bad: out of range. No value is bad: no value. The value itself stays as it is."""

    warm_ms = 0

    def __init__(self, low: float, high: float) -> None:
        if low > high:
            raise ValueError("the lower limit is over the upper one")
        self._low, self._high = low, high
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is None:
            self._last = (at_ms, None, Quality.NO_VALUE)
        elif self._low <= value <= self._high:
            self._last = measured
        else:
            self._last = (at_ms, value, max(quality, Quality.OUT_OF_RANGE))

    def get(self) -> Measured | None:
        return self._last
