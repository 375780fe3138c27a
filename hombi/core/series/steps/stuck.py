"""The step that finds a sensor that does not move any more."""

from __future__ import annotations

from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured


class Stuck:
    """The very same value for longer than `time_ms` is bad: stuck. For what always
    moves a little."""

    def __init__(self, time_ms: float) -> None:
        if time_ms <= 0:
            raise ValueError("the time must be longer than nothing")
        self._time_ms = time_ms
        self.warm_ms = round(time_ms)
        self._value: float | None = None
        self._since_ms = 0
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is None or quality >= Quality.STUCK:
            self._last = measured
            return
        if value != self._value:
            self._value, self._since_ms = value, at_ms
        elif at_ms - self._since_ms > self._time_ms:
            quality = Quality.STUCK
        self._last = (at_ms, value, quality)

    def get(self) -> Measured | None:
        return self._last
