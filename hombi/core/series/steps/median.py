"""The step that takes the middle of the last while."""

from __future__ import annotations

from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured
from hombi.core.series.steps.window import TimeWindow


class Median:
    """The median of the values of the last `window_ms` (Tukey 1977, running medians):
    single odd values leave no trace, and edges stay sharp."""

    def __init__(self, window_ms: float) -> None:
        self._window = TimeWindow(window_ms)
        self.warm_ms = round(window_ms)
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is None or quality >= Quality.STUCK:
            self._last = measured
            return
        self._window.add(at_ms, value)
        self._last = (at_ms, self._window.median, quality)

    def get(self) -> Measured | None:
        return self._last
