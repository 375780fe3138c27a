"""In which units a household sees its values. They are kept, compared and computed with
in the units of their kinds; what is shown is converted."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

from hombi.core.errors import UnitError
from hombi.core.kinds import Kind, Seen
from hombi.core.units import conversion, find_unit, units_for

MOST_DECIMALS = 6
USUAL_MOST_DECIMALS = 3
# Rain is a length, but nobody reads it in feet because a distance is.
RAIN = {"mm", "cm", "in"}


def units_of_house(given: Sequence[str]) -> tuple[str, ...]:
    """The units that a household prefers, by their symbols, one for each thing that is
    measured. Raises ValueError, which says what is wrong."""
    result: dict[str, str] = {}
    for one in given:
        try:
            unit = find_unit(one)
        except UnitError as error:
            raise ValueError(str(error)) from error
        if unit.measures in result:
            raise ValueError(f"{result[unit.measures]} and {unit.symbol} measure the same")
        result[unit.measures] = unit.symbol
    return tuple(result.values())


@lru_cache(maxsize=1024)
def as_seen(
    kind: Kind, house: tuple[str, ...] = (), unit: str = "", decimals: int | None = None
) -> Kind:
    """The kind as a household sees it: in an entity's own unit, or the first of the
    house's that fits, with its own decimals or those that suit the unit. Raises
    UnitError for an own unit that does not fit."""
    if not kind.unit or kind.difference:
        return kind if decimals is None else replace(kind, seen=Seen(kind.unit, decimals))
    wanted = find_unit(unit).symbol if unit else _of_house(kind, house)
    factor, addend = conversion(kind.unit, wanted)
    usual = kind.decimals - int(math.log10(factor))
    if decimals is None:
        decimals = kind.decimals if wanted == kind.unit else min(max(usual, 0), USUAL_MOST_DECIMALS)
    if wanted == kind.unit and decimals == kind.decimals:
        return kind
    return replace(kind, seen=Seen(wanted, decimals, factor, addend))


def _of_house(kind: Kind, house: tuple[str, ...]) -> str:
    fitting = units_for(kind.unit)
    for one in house:
        if one in fitting and (kind.name != "rain" or one in RAIN):
            return one
    return kind.unit
