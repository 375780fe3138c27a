"""Formulas: a small language for values, with units that must fit. Checked when one is
written, and plain arithmetic from then on."""

from hombi.core.formula.compile import Formula, compile_formula, sources_of
from hombi.core.formula.grammar import FormulaError

__all__ = ["Formula", "FormulaError", "compile_formula", "sources_of"]
