"""Formulas: a small language for values, with units that must fit. Checked when one is
written, and plain arithmetic from then on."""

from hombi.core.formula.compile import (
    OWN,
    Formula,
    compile_formula,
    past_of,
    past_source,
    sources_of,
)
from hombi.core.formula.grammar import FormulaError


def prepare() -> None:
    """Make what takes long at the first formula (the unit library, the parser), where
    nobody waits for it."""
    compile_formula("1", ())


__all__ = [
    "OWN",
    "Formula",
    "FormulaError",
    "compile_formula",
    "past_of",
    "past_source",
    "prepare",
    "sources_of",
]
