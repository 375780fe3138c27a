"""The step that gives one value for each stretch of time."""

from __future__ import annotations

from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured


class Resample:
    """The mean of the stretch of `every_ms` that ended last, each value weighted by how
    long it held; stretches begin at whole multiples since 1970. In the first one, and
    after a stretch without a value, the value itself."""

    def __init__(self, every_ms: float) -> None:
        if every_ms <= 0:
            raise ValueError("the stretch must be longer than nothing")
        self._every_ms = every_ms
        self.warm_ms = round(2 * every_ms)
        self._value = self._mean = 0.0
        self._at_ms: int | None = None
        self._sum = self._held_ms = 0.0
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is None or quality >= Quality.STUCK:
            self._last = measured
            return
        before = self._at_ms
        begin = at_ms // self._every_ms * self._every_ms
        if before is None or begin - before > self._every_ms:
            self._mean, self._sum, self._held_ms = value, 0.0, 0.0
        elif begin > before:
            self._hold(begin - before)
            self._mean = self._sum / self._held_ms
            self._sum, self._held_ms = self._value * (at_ms - begin), at_ms - begin
        else:
            self._hold(at_ms - before)
        self._at_ms, self._value = at_ms, value
        self._last = (at_ms, self._mean, quality)

    def _hold(self, ms: float) -> None:
        self._sum += self._value * ms
        self._held_ms += ms

    def get(self) -> Measured | None:
        return self._last
