"""The step that smooths by a time constant."""

from __future__ import annotations

import math

from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured

# After a silence of so many time constants nothing is left of what was before; and
# what was before this long ago weighs less than a hundredth.
FORGOTTEN = 5.0


class LowPass:
    """A first-order low-pass that is right for uneven sampling: with Δt since the value
    before, y += (1 - exp(-Δt/τ)) (x - y). `time_ms` is τ.

    It begins again after a gap of five time constants.
    """

    def __init__(self, time_ms: float) -> None:
        if time_ms <= 0:
            raise ValueError("the time constant must be more than nothing")
        self._time_ms = time_ms
        self.warm_ms = round(FORGOTTEN * time_ms)
        self._at_ms: int | None = None
        self._smooth = 0.0
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is None or quality >= Quality.STUCK:
            self._last = measured
            return
        before = self._at_ms
        if before is None or at_ms - before > FORGOTTEN * self._time_ms:
            self._smooth = value
        else:
            part = 1.0 - math.exp((before - at_ms) / self._time_ms)
            self._smooth += part * (value - self._smooth)
        self._at_ms = at_ms
        self._last = (at_ms, self._smooth, quality)

    def get(self) -> Measured | None:
        return self._last
