"""Roles: what a part of a node is for a person, by the values that it has."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, NamedTuple

from hombi.core.kinds import Kind

Role = Literal[
    "lamp", "covering", "thermostat", "lock", "fan", "remote", "outlet", "meter", "sensor"
]
_COLOURS = {"white", "hue", "saturation"}
# What is meant where a node is set as a whole: the first of these that takes the text.
SET_FIRST = ("lock", "position", "switch", "level", "temperature", "choice", "white", "tilt")
# What people say to a covering.
COVERING_WORDS = {"open": "100 %", "close": "0 %", "closed": "0 %"}


class Has(NamedTuple):
    """One value of a part: its name and kind, and whether it can be set."""

    name: str
    kind: Kind
    writable: bool


def role_of(values: Iterable[Has]) -> Role:
    """What a part with these values is."""
    values = list(values)
    all_kinds = {value.kind.name for value in values}
    set_kinds = {value.kind.name for value in values if value.writable}
    if "lock" in set_kinds:
        return "lock"
    if {"position", "tilt"} & set_kinds:
        return "covering"
    if _COLOURS & set_kinds or {"switch", "level"} <= set_kinds:
        return "lamp"
    if "temperature" in set_kinds:
        return "thermostat"
    if any(v.writable and v.kind.name == "choice" and v.name.startswith("fan") for v in values):
        return "fan"
    if any(value.kind.moment for value in values):
        return "remote"
    if "switch" in set_kinds:
        return "outlet"
    return "meter" if {"power", "energy"} & all_kinds else "sensor"
