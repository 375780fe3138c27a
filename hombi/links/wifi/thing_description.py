"""A node's Thing Description (W3C Web of Things TD 1.1), and the entities it promises."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

import msgspec

from hombi.core.errors import UnitError
from hombi.core.kinds import KINDS, Kind
from hombi.core.units import conversion, find_unit

MAX_PROPERTIES = 64
# Which kind a unit speaks for, when neither @type nor the name says.
_KIND_BY_MEASURE = {
    "temperature": "temperature",
    "pressure": "pressure",
    "illuminance": "illuminance",
    "concentration": "co2",
    "density": "pm25",
    "power": "power",
    "energy": "energy",
    "voltage": "voltage",
    "current": "current",
    "length": "distance",
    "signal": "signal",
    "ratio": "level",
}


class DescriptionError(Exception):
    """A Thing Description cannot be used; the message says where in it and why."""


class _Property(msgspec.Struct, rename={"semantic_type": "@type", "read_only": "readOnly"}):
    type: str = ""
    title: str = ""
    unit: str = ""
    minimum: float | None = None
    maximum: float | None = None
    read_only: bool = False
    semantic_type: str | list[str] = msgspec.field(default_factory=list)


class _Thing(msgspec.Struct, rename={"context": "@context", "security_definitions": "securityDefinitions"}):
    context: str | list[Any]
    title: str
    security: str | list[str]
    security_definitions: dict[str, Any]
    id: str = ""
    description: str = ""
    properties: dict[str, _Property] = msgspec.field(default_factory=dict)
    actions: dict[str, Any] = msgspec.field(default_factory=dict)
    events: dict[str, Any] = msgspec.field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Promised:
    """An entity that a node says it has. `wire_name` and `wire_unit` are the node's own; limits are in `wire_unit`."""

    name: str
    title: str
    kind: Kind
    wire_name: str
    wire_unit: str
    low: float | None
    high: float | None
    writable: bool


@dataclass(frozen=True, slots=True)
class ThingDescription:
    """What a description comes to: who the node is, what it has, and what of it the hub leaves alone."""

    thing_id: str
    title: str
    about: str
    promised: tuple[Promised, ...]
    left_out: tuple[str, ...]


def read_description(source: object) -> ThingDescription:
    """Understand a Thing Description given as decoded JSON.

    Raises DescriptionError with the place as a path ("$.properties.humidity.unit").
    """
    try:
        thing = msgspec.convert(source, _Thing)
    except msgspec.ValidationError as error:
        raise DescriptionError(f"this is no Thing Description: {error}") from error
    try:
        msgspec.json.encode(thing)
    except UnicodeEncodeError as error:
        raise DescriptionError("a text of the Thing Description holds half of a character (a lone surrogate)") from error
    if not thing.id:
        raise DescriptionError("the Thing Description has no id; give the node one that it keeps, like urn:uuid:…")
    if not thing.title.strip():
        raise DescriptionError("the Thing Description has an empty title")
    if not 0 < len(thing.properties) <= MAX_PROPERTIES:
        raise DescriptionError(f"the Thing Description has {len(thing.properties)} properties; 1 to {MAX_PROPERTIES} are taken")
    promised: list[Promised] = []
    left_out = [f"action {name}: actions are not used yet" for name in thing.actions]
    left_out += [f"event {name}: events are not used yet" for name in thing.events]
    for name, found in thing.properties.items():
        if found.type not in ("number", "integer", "boolean"):
            left_out.append(f"property {name}: its type {found.type or '(none)'} is no number and no boolean")
            continue
        promised.append(_promised(name, found))
    names = [p.name for p in promised]
    if len(set(names)) != len(names):
        raise DescriptionError("two properties have names that differ only in capitals or signs")
    if not promised:
        raise DescriptionError("no property of this Thing Description is a number or a boolean")
    return ThingDescription(thing.id, thing.title.strip(), thing.description, tuple(promised), tuple(left_out))


def slug(text: str) -> str:
    """A text as an address uses it: small letters, digits and hyphens; "" when nothing is left."""
    text = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "-", text)
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:60]


def _promised(name: str, found: _Property) -> Promised:
    kind = _kind(name, found)
    unit = ""
    if kind.unit:
        unit = found.unit or kind.unit
        try:
            conversion(unit, kind.unit)
        except UnitError as error:
            raise DescriptionError(f"$.properties.{name}.unit: {error}") from error
    if not slug(name):
        raise DescriptionError(f"$.properties: {name!r} cannot be made an address; use letters and digits")
    if found.minimum is not None and found.maximum is not None and found.minimum > found.maximum:
        raise DescriptionError(f"$.properties.{name}: minimum {found.minimum:g} is over maximum {found.maximum:g}")
    title = found.title or name
    return Promised(slug(name), title, kind, name, unit, found.minimum, found.maximum, not found.read_only)


def _kind(name: str, found: _Property) -> Kind:
    """The kind by @type, else by the name, else by the unit; a number without any of them is just a number."""
    types = [found.semantic_type] if isinstance(found.semantic_type, str) else found.semantic_type
    words = [re.split(r"[:/#]", t)[-1].lower() for t in types]
    words += slug(name).split("-") + slug(found.title).split("-")
    binary = found.type == "boolean"
    for word in words:
        kind = KINDS.get(word)
        if kind is not None and (kind.words is not None) == binary and _fits(found.unit, kind):
            return kind
    if binary:
        return KINDS["contact" if found.read_only else "switch"]
    if found.unit:
        try:
            return KINDS[_KIND_BY_MEASURE[find_unit(found.unit).measures]]
        except UnitError as error:
            raise DescriptionError(f"$.properties.{name}.unit: {error}") from error
    return KINDS["number"]


def _fits(unit: str, kind: Kind) -> bool:
    if not unit or not kind.unit:
        return not unit
    try:
        conversion(unit, kind.unit)
    except UnitError:
        return False
    return True
