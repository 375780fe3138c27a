"""What a node offers, typed: its values, its settings, its actions, and what of it the
hub cannot use. Every link says so in this form, whatever its nodes speak.

It is kept as plain data (`as_data`, `offer_of`).
"""

from __future__ import annotations

from collections.abc import Collection
from functools import lru_cache
from typing import Any

import msgspec

from hombi.core.errors import UnitError
from hombi.core.kinds import Kind, kind_by_key
from hombi.core.units import find_unit


# Finding the nearest unit takes a millisecond; a stranger may name sixty, in each list.
@lru_cache(maxsize=4096)
def _said_of(unit: str) -> str:
    try:
        find_unit(unit)
    except UnitError as error:
        end = "" if str(error).endswith("?") else "."
        return f"{error}{end} It is a plain number until you choose its unit"
    return f"the hub knows its unit {unit} now; choose it"


class OfferedValue(msgspec.Struct, frozen=True, omit_defaults=True):
    """A value that a node says it has. `wire_name` and `unit` are the node's own;
    limits are in `unit`. `unknown_unit` is what the node calls a unit that the hub does
    not know: its value is a plain number until a person chooses a unit. `endpoint` is
    the part of the node that has it, "" where the node has no parts."""

    name: str
    title: str
    kind_name: str
    wire_name: str
    unit: str
    low: float | None = None
    high: float | None = None
    writable: bool = False
    hidden: bool = False
    unknown_unit: str = ""
    endpoint: str = ""

    @property
    def kind(self) -> Kind:
        """What it is."""
        return kind_by_key(self.kind_name)

    def unit_note(self) -> str:
        """What a person should know of a unit that the hub does not; or ""."""
        if not self.unknown_unit:
            return ""
        return f"{self.name}: {_said_of(self.unknown_unit)}"


class Setting(msgspec.Struct, frozen=True, omit_defaults=True):
    """A value that says how a node works: `type` is number, integer, boolean or string;
    `choices` are the allowed ones. A string with the format "uri" is an address."""

    name: str
    title: str
    wire_name: str
    type: str
    unit: str = ""
    low: float | None = None
    high: float | None = None
    choices: tuple[Any, ...] = ()
    format: str = ""


class Action(msgspec.Struct, frozen=True, omit_defaults=True):
    """Something that a node can be asked to do. `inputs` are what it wants to know; one
    without a name is the whole input."""

    name: str
    title: str
    about: str
    wire_name: str
    inputs: tuple[Setting, ...] = ()


class Offer(msgspec.Struct, frozen=True, omit_defaults=True):
    """All that one node has. `left_out` says in sentences what the hub does not use."""

    title: str
    about: str = ""
    values: tuple[OfferedValue, ...] = ()
    settings: tuple[Setting, ...] = ()
    actions: tuple[Action, ...] = ()
    left_out: tuple[str, ...] = ()

    def unit_notes(self, chosen: Collection[str] = ()) -> list[str]:
        """Which units the hub does not know, in sentences; not of the values (their
        wire names) that a person has `chosen` a unit for."""
        notes = (v.unit_note() for v in self.values if v.wire_name not in chosen)
        return list(filter(None, notes))

    def endpoints(self) -> dict[str, str]:
        """The part of the node that each value belongs to, by wire name."""
        return {value.wire_name: value.endpoint for value in self.values}

    def unknown_unit(self, wire_name: str) -> str:
        """What the node calls a value's unit, if the hub does not know it."""
        return next((v.unknown_unit for v in self.values if v.wire_name == wire_name), "")

    def as_data(self) -> dict[str, Any]:
        """As plain data, to be kept."""
        return dict(msgspec.to_builtins(self))


def offer_of(data: dict[str, Any]) -> Offer:
    """What was kept; nothing for a node of which nothing is."""
    return msgspec.convert(data, Offer) if data else Offer("")
