"""Units in formulas: what they measure, and how much of its base one is.

Temperatures are numbers in °C, so that a difference of two is one in K. What is
measured on a logarithmic scale has a dimension of its own, and goes with nothing else.
"""

from __future__ import annotations

import difflib
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from hombi.core.errors import UnitError
from hombi.core.units import UNITS, conversion

# Exponents of base dimensions; empty: a plain number.
Dimension = Mapping[str, float]
PLAIN: Dimension = {}
TEMPERATURE: Dimension = {"[temperature]": 1.0}
OF_THEIR_OWN = {"dBm": "signal", "dBW": "signal", "dB": "sound", "B(SPL)": "sound", "pH": "acidity"}
# What the unit library calls otherwise, or takes for something else.
CALLED = {"%": "percent", "‰": "permille", "l": "liter", "in": "inch", "d": "day"}


@lru_cache(maxsize=1)
def registry() -> Any:
    """The unit library; to make it takes half a second, so it is made where a formula
    is."""
    from pint import UnitRegistry  # noqa: PLC0415 - only where there is a formula

    made: Any = UnitRegistry()
    made.define("ppb = 1e-9")
    return made


@lru_cache(maxsize=512)
def measured(unit: str) -> tuple[Dimension, float, float]:
    """(dimension, factor, addend) of a unit: base = value * factor + addend. Raises
    UnitError for one that nobody knows."""
    if not unit:
        return PLAIN, 1.0, 0.0
    known = UNITS.get(unit)
    symbol = known.symbol if known is not None else unit
    if known is not None and known.measures == "temperature":
        if symbol == "K":  # a difference
            return TEMPERATURE, 1.0, 0.0
        return TEMPERATURE, *conversion(symbol, "°C")
    if symbol in OF_THEIR_OWN:
        own = OF_THEIR_OWN[symbol]
        base = "dBm" if own == "signal" else "dB" if own == "sound" else "pH"
        return {f"[{own}]": 1.0}, *conversion(symbol, base)
    text = CALLED.get(symbol, symbol).replace("³", "**3").replace("²", "**2").replace("·", "*")
    text = "/".join(CALLED.get(part, part) for part in text.split("/"))
    try:
        result = registry().Quantity(1.0, text).to_base_units()
    except Exception as error:
        near = difflib.get_close_matches(unit, UNITS, 1)
        hint = f"; did you mean {UNITS[near[0]].symbol}?" if near else ""
        raise UnitError(f"no unit {unit[:40]!r} is known{hint}") from error
    return dict(result.dimensionality), float(result.magnitude), 0.0


def named(dimension: Dimension) -> str:
    """A dimension in words: "temperature", "power", "length^2"."""
    for unit in dict.fromkeys(UNITS.values()):
        if dimension and measured(unit.symbol)[0] == dimension:
            return unit.measures
    parts = []
    for name, power in sorted(dimension.items(), key=lambda one: -one[1]):
        shown = name.strip("[]")
        parts.append(shown if power == 1 else f"{shown}^{power:g}")
    return " · ".join(parts) or "a plain number"


def multiplied(a: Dimension, b: Dimension, power: float = 1.0) -> Dimension:
    """The dimension of a product: of `a` with `b` to a power."""
    result = dict(a)
    for name, exponent in b.items():
        result[name] = result.get(name, 0.0) + power * exponent
    return {name: exponent for name, exponent in result.items() if abs(exponent) > 1e-9}
