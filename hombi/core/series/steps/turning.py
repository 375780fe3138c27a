"""Steps for directions."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from hombi.core.arithmetic import Arithmetic
from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured, Step


class ByParts:
    """A step that smooths, for directions: each part of their unit vectors goes through
    a step of its own, and what comes out is the direction of both."""

    def __init__(self, make: Callable[[], Step], arithmetic: Arithmetic) -> None:
        self._steps = [make() for _ in arithmetic.parts(0.0)]
        self._arithmetic = arithmetic
        self.warm_ms = self._steps[0].warm_ms

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        parts: Sequence[float | None] = (
            [None] * len(self._steps) if value is None else self._arithmetic.parts(value)
        )
        for step, part in zip(self._steps, parts, strict=True):
            step.update((at_ms, part, quality))

    def get(self) -> Measured | None:
        made = [step.get() for step in self._steps]
        parts = []
        for measured in made:
            if measured is None:
                return None
            at_ms, part, quality = measured
            if part is None:
                return at_ms, None, quality
            parts.append(part)
        value = self._arithmetic.whole(parts)
        return at_ms, value, Quality.NO_VALUE if value is None else quality


class Settle:
    """Writes a direction as one from 0 to 360."""

    warm_ms = 0

    def __init__(self, arithmetic: Arithmetic) -> None:
        self._arithmetic = arithmetic
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        self._last = (at_ms, None if value is None else self._arithmetic.settled(value), quality)

    def get(self) -> Measured | None:
        return self._last
