"""The step for a value by which a sensor says that it has none."""

from __future__ import annotations

import math

from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured


class NoValue:
    """This one value means that there is none: 85 °C from a sensor that has just been
    switched on, -127 °C from one that does not answer."""

    warm_ms = 0

    def __init__(self, value: float) -> None:
        self._means_none = value
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, _ = measured
        if value is not None and math.isclose(value, self._means_none, rel_tol=1e-9, abs_tol=1e-9):
            measured = (at_ms, None, Quality.NO_VALUE)
        self._last = measured

    def get(self) -> Measured | None:
        return self._last
