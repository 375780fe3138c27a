"""The step that computes."""

from __future__ import annotations

from hombi.core.formula import FormulaError, compile_formula, sources_of
from hombi.core.kinds import Kind
from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured


class ByFormula:
    """The value that a formula makes of `value`. Where it makes no number, there is no
    value."""

    warm_ms = 0

    def __init__(self, kind: Kind, text: str) -> None:
        other = [one for one in sources_of(text) if one != "value"]
        if other:
            raise FormulaError(f"a step knows `value` alone; {other[0]} is for a computed value")
        names = tuple(kind.name for _ in sources_of(text))
        self._compute = compile_formula(text, names, kind.name).compute
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is not None:
            try:
                value = self._compute((value,))
            except (ArithmeticError, ValueError):
                value, quality = None, Quality.NO_VALUE
        self._last = (at_ms, value, quality)

    def get(self) -> Measured | None:
        return self._last
