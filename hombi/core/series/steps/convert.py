"""The step that converts between units of one measure."""

from __future__ import annotations

from hombi.core.series.steps.base import Measured
from hombi.core.units import conversion


class Convert:
    """From the unit that a channel is sent in to the unit of the entity's kind: factor
    and addend, exact by definition (NIST SP 811, appendix B). Raises UnitError."""

    warm_ms = 0

    def __init__(self, unit: str, to: str) -> None:
        self._factor, self._addend = conversion(unit, to) if to else (1.0, 0.0)
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is None:
            self._last = measured
        else:
            self._last = (at_ms, value * self._factor + self._addend, quality)

    def get(self) -> Measured | None:
        return self._last
