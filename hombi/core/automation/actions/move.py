"""`set` with `by`: give an entity a value that is so much higher or lower than the one
it has, such as a lamp by as much as a dial was turned."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any, ClassVar

import msgspec

from hombi.core.automation import describing
from hombi.core.automation.actions import confirmed
from hombi.core.automation.actions.switch import slowly
from hombi.core.automation.text import text
from hombi.core.errors import UnitError
from hombi.core.house_facts import EntityFacts, HouseFacts, did_you_mean
from hombi.core.kinds import Kind, difference_of
from hombi.core.toml_text import Path, TomlText
from hombi.core.units import conversion

BY = describing.text(
    "so much higher, or lower; or by as much as this dial was turned",
    "10 %",
    "loft-dial/dial",
    takes=describing.LIMIT,
)
# In this unit it is a share of all that the entity can be, whatever its own unit.
SHARE = "%"
_STEP = re.compile(r"\s*([-+]?\d+(?:\.\d+)?)\s*(\S.*?)?\s*")


class MoveBy(msgspec.Struct, frozen=True):
    """The effect: this entity is to have a value so much higher, in the unit of its
    kind, or by what `source` says; a `share` is in % of all that it can be."""

    entity: str
    by: float
    shown: str
    source: str = ""
    share: bool = False
    taking_ms: int = 0

    def spoken(self, name: Callable[[str], str]) -> str:
        how = f"by {name(self.source)}" if self.source else f"by {self.shown}"
        return f"{name(self.entity)} {how}{slowly(self.taking_ms)}"


class Move(msgspec.Struct, frozen=True):
    """The action: as its effect."""

    done: MoveBy

    word: ClassVar[str] = "set"

    @property
    def entity(self) -> str:
        """What is moved."""
        return self.done.entity

    @classmethod
    def parse(
        cls,
        toml: TomlText,
        path: Path,
        table: dict[str, Any],
        facts: HouseFacts,
        kind: Kind,
        taking_ms: int,
    ) -> Move | None:
        """Understand it from a table that has `by`."""
        for key in ("to", "for", *sorted(confirmed.KEYS)):
            if key in table:
                toml.blame((*path, key), f"{key} does not go with by", f"leave {key} out")
        if not kind.a_number:
            what = f"a {kind.shown} is not higher or lower"
            toml.blame((*path, "by"), what, "write to, and what it is to be")
            return None
        written = text(toml, path, table, "by", required=True).strip()
        if not written:
            return None
        if (source := facts.entities.get(written)) is not None:
            return cls._by_source(toml, path, table["set"], kind, source, written, taking_ms)
        match = _STEP.fullmatch(written)
        if match is None:
            hint = did_you_mean(written, facts.entities) or 'write it like "10 %" or "-0.5 °C"'
            toml.blame((*path, "by"), f"{written!r} is no step and no entity", hint)
            return None
        number, unit = float(match[1]), match[2] or ""
        factor = _factor(unit, difference_of(kind))
        if factor is None:
            what = f"{written!r} is no step of a {kind.shown}"
            toml.blame((*path, "by"), what, f"write it in {kind.unit or 'no unit'}, or in %")
            return None
        share = unit == SHARE != kind.unit
        return cls(MoveBy(table["set"], number * factor, written, share=share, taking_ms=taking_ms))

    @classmethod
    def _by_source(
        cls,
        toml: TomlText,
        path: Path,
        address: str,
        kind: Kind,
        source: EntityFacts,
        named: str,
        taking_ms: int,
    ) -> Move | None:
        factor = _factor(source.kind.unit, difference_of(kind)) if not source.kind.words else None
        if factor is None:
            what = f"{named} says nothing by which a {kind.shown} could go up or down"
            toml.blame((*path, "by"), what, "name a dial, or write a step like 10 %")
            return None
        share = source.kind.unit == SHARE != kind.unit
        return cls(MoveBy(address, factor, "", named, share, taking_ms))

    def effect(self, fields: Mapping[str, str]) -> MoveBy:
        return self.done

    def sentence(self, name: Callable[[str], str]) -> str:
        return self.done.spoken(name)


def _factor(unit: str, difference: Kind) -> float | None:
    """By what a step in this unit is multiplied to be one of a kind, or a share in %;
    None where it is neither."""
    if unit == SHARE != difference.unit:
        return 1.0
    if not unit or not difference.unit:
        return 1.0 if unit == difference.unit else None
    try:
        factor, _ = conversion(unit, difference.unit)
    except UnitError:
        return None
    return factor
