"""The step that corrects by a gain and an offset."""

from __future__ import annotations

from hombi.core.series.steps.base import Measured


class Linear:
    """`value * gain + offset`, both in the kind's unit: what a calibration with one or
    two parameters comes to (JCGM 200:2012, 2.53, correction)."""

    warm_ms = 0

    def __init__(self, gain: float = 1.0, offset: float = 0.0) -> None:
        self._gain, self._offset = gain, offset
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is None:
            self._last = measured
        else:
            self._last = (at_ms, value * self._gain + self._offset, quality)

    def get(self) -> Measured | None:
        return self._last
