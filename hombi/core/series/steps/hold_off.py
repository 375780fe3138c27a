"""The step that does not follow small changes."""

from __future__ import annotations

from hombi.core.arithmetic import LINE, Arithmetic
from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured


class HoldOff:
    """The value stays what it was until it differs by `band` or more (a deadband): one
    that flickers by its last digit stands still."""

    # What it stands at follows from where the value went; an hour of it says so.
    warm_ms = 3_600_000

    def __init__(self, band: float, arithmetic: Arithmetic = LINE) -> None:
        if band < 0:
            raise ValueError("the band is less than nothing")
        self._band, self._arithmetic = band, arithmetic
        self._held: float | None = None
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is None or quality >= Quality.STUCK:
            self._last = measured
            return
        if self._held is None or abs(self._arithmetic.difference(value, self._held)) >= self._band:
            self._held = value
        self._last = (at_ms, self._held, quality)

    def get(self) -> Measured | None:
        return self._last
