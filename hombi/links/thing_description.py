"""A node's Thing Description (W3C Web of Things TD 1.1): what it offers, and what of
that is left out.

`forms.py` says how those are reached; here is what they are.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import msgspec

from hombi.core.errors import UnitError
from hombi.core.kinds import KINDS, LONGEST_WORD, MOST_WORDS, Kind, kind_called
from hombi.core.names import slug
from hombi.core.nesting import deeper_than
from hombi.core.units import COUNTS, conversion, find_unit
from hombi.links.offer import Action, Offer, OfferedValue, Setting

MAX_PROPERTIES, MOST_VALUES = 64, 128
MAX_DESCRIPTION, MAX_NESTING = 64 * 1024, 32
MAX_ID = 200
MAX_TITLE, MAX_ABOUT, MAX_LEFT_OUT = 120, 500, 200
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
    "conductivity": "conductivity",
    "ratio": "level",
    "time": "duration",
}
# What can be written and is called this is how the node works, not what it does in the
# house.
_SETTING_WORDS = frozenset({
    "interval", "sensitivity", "threshold", "offset", "delay", "period", "rate", "range", "unit",
    "units", "gain", "resolution",
    "timeout", "hysteresis", "setting", "mode", "led", "averaging", "samples", "calibration",
    "debounce", "brightness", "sleep",
})  # fmt: skip
# One of several words is a setting when it is called one of these; a mode is what a
# household chooses.
_SETTING_CHOICES = _SETTING_WORDS - {"mode"}
# What an event is, by its name.
_BELLS = frozenset({"bell", "ring", "doorbell", "chime"})
_BUTTONS = frozenset({"button", "press", "pressed", "key", "dial", "remote"})


class DescriptionError(Exception):
    """A Thing Description cannot be used; the message says where in it and why."""


class _Schema(
    msgspec.Struct,
    rename={"semantic_type": "@type", "read_only": "readOnly", "write_only": "writeOnly"},
):
    """A DataSchema (TD 1.1, 5.3.2), as far as the hub understands it."""

    type: str = ""
    title: str = ""
    description: str = ""
    unit: str = ""
    minimum: float | None = None
    maximum: float | None = None
    enum: list[Any] = msgspec.field(default_factory=list)
    format: Any = ""
    read_only: bool = False
    write_only: bool = False
    semantic_type: str | list[str] = msgspec.field(default_factory=list)
    properties: dict[str, _Schema] = msgspec.field(default_factory=dict)


class _Property(
    _Schema,
    rename={
        "hombi_name": "hombi:name",
        "hombi_hidden": "hombi:hidden",
    },
):
    """A PropertyAffordance. What begins with "hombi:" is written by the hub's own
    links: a name beside that on the wire, and that it is not shown unless a person
    wants it."""

    hombi_name: str = ""
    hombi_hidden: bool = False
    forms: list[Any] = msgspec.field(default_factory=list)


class _Action(msgspec.Struct):
    title: str = ""
    description: str = ""
    input: _Schema | None = None


class _Event(msgspec.Struct):
    title: str = ""
    data: _Schema | None = None
    forms: list[Any] = msgspec.field(default_factory=list)


class _Thing(
    msgspec.Struct, rename={"context": "@context", "security_definitions": "securityDefinitions"}
):
    context: str | list[Any]
    title: str
    security: str | list[str]
    security_definitions: dict[str, Any]
    id: str = ""
    description: str = ""
    properties: dict[str, _Property] = msgspec.field(default_factory=dict)
    actions: dict[str, _Action] = msgspec.field(default_factory=dict)
    events: dict[str, Any] = msgspec.field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ThingDescription:
    """What a description comes to: which node it is, and what that offers."""

    thing_id: str
    offer: Offer


def check_size(source: object) -> None:
    """Raises DescriptionError for one that is larger than a description need be; a
    stranger may have sent it."""
    if deeper_than(source, MAX_NESTING):
        raise DescriptionError(f"the Thing Description is nested deeper than {MAX_NESTING} levels")
    try:
        size = len(msgspec.json.encode(source))
    except UnicodeEncodeError as error:
        raise DescriptionError(
            "a text of the Thing Description holds half of a character (a lone surrogate)"
        ) from error
    if size > MAX_DESCRIPTION:
        raise DescriptionError(
            f"the Thing Description has {size // 1024} kB; at most "
            f"{MAX_DESCRIPTION // 1024} kB are taken"
        )


def read_description(source: object) -> ThingDescription:
    """Understand a Thing Description given as decoded JSON.

    Raises DescriptionError with the place as a path ("$.properties.humidity.unit").
    """
    thing = _convert(source)
    values: list[OfferedValue] = []
    settings: list[Setting] = []
    left_out: list[str] = []
    for name, result in thing.properties.items():
        if result.unit in COUNTS:
            result.unit = ""
        if result.type == "object" and result.properties:
            parts, problems = _parts(name, result)
            values += parts
            left_out += problems
        elif problem := _unusable(name, result):
            left_out.append(f"property {name}: {problem}")
        elif _is_setting(name, result):
            settings.append(_setting(name, result, result.hombi_name))
        elif result.write_only:
            left_out.append(
                f"property {name}: it can only be written, so nothing could confirm that it was"
            )
        else:
            values.append(_value(name, result))
    actions = []
    for name, action in thing.actions.items():
        inputs = _inputs(action)
        if isinstance(inputs, str):
            left_out.append(f"action {name}: {inputs}")
        else:
            actions.append(
                Action(slug(name), action.title or name, action.description, name, inputs)
            )
    # A node without any forms speaks by itself: its events come as its values do.
    by_itself = not any(affordance.forms for affordance in thing.properties.values())
    for name, source_of_event in thing.events.items():
        event = _event(source_of_event)
        moment = _moment(name, event)
        if not (event.forms or (by_itself and moment)):
            left_out.append(f"event {name}: no form says how it is followed")
        elif moment is not None:
            taken = {v.name for v in values} | {s.name for s in settings}
            if name in thing.properties or moment.name in taken:
                left_out.append(f"event {name}: something else has its name")
            elif len(values) >= MOST_VALUES:
                left_out.append(f"event {name}: {MOST_VALUES} values are taken at most")
            else:
                values.append(moment)
    names = [v.name for v in values] + [s.name for s in settings]
    if len(set(names)) != len(names):
        raise DescriptionError("two properties have names that differ only in capitals or signs")
    if not values:
        why = f": {left_out[0]}" if left_out else ""
        raise DescriptionError(
            f"no property of this Thing Description is a number, a boolean or one of several "
            f"words, and no event is one that the hub can take{why}"
        )
    offer = Offer(
        thing.title.strip(),
        thing.description[:MAX_ABOUT],
        tuple(values),
        tuple(settings),
        tuple(actions),
        tuple(one[:MAX_LEFT_OUT] for one in left_out[:MAX_PROPERTIES]),
    )
    return ThingDescription(thing.id, offer)


def _convert(source: object) -> _Thing:
    try:
        thing = msgspec.convert(source, _Thing)
    except msgspec.ValidationError as error:
        raise DescriptionError(f"this is not a Thing Description: {error}") from error
    try:
        msgspec.json.encode(thing)
    except UnicodeEncodeError as error:
        raise DescriptionError(
            "a text of the Thing Description holds half of a character (a lone surrogate)"
        ) from error
    if not thing.id:
        raise DescriptionError(
            "the Thing Description has no id; give the node one that it keeps, like urn:uuid:…"
        )
    if not thing.title.strip():
        raise DescriptionError("the Thing Description has an empty title")
    named = {"title": thing.title, **{f"properties.{name[:20]}": name for name in thing.properties}}
    named |= {f"properties.{name[:20]}.title": one.title for name, one in thing.properties.items()}
    for place, name in named.items():
        if len(name) > MAX_TITLE:
            raise DescriptionError(
                f"$.{place} has {len(name)} characters; at most {MAX_TITLE} are taken"
            )
    if len(thing.id) > MAX_ID:
        raise DescriptionError(f"$.id has {len(thing.id)} characters; at most {MAX_ID} are taken")
    count = len(thing.properties)
    if count > MAX_PROPERTIES or not (count or thing.events):
        raise DescriptionError(
            f"the Thing Description has {count} properties; 1 to {MAX_PROPERTIES} are taken, or "
            f"none beside events"
        )
    return thing


def _unusable(name: str, found: _Property) -> str:
    """Why the hub cannot use a property, or ""."""
    if found.type == "string":
        problem = "" if found.enum and _is_setting(name, found) else _not_words(found.enum)
        if problem:
            return problem
    elif found.type not in ("number", "integer", "boolean"):
        return f"its type {found.type or '(none)'} is neither a number nor a boolean"
    if not slug(name):
        raise DescriptionError(
            f"$.properties: {name!r} cannot be made an address; use letters and digits"
        )
    return ""


def _not_words(enum: Sequence[Any]) -> str:
    """Why these cannot be the words of a choice, or ""."""
    if not enum:
        return "a text without a list of choices is neither a reading nor a setting"
    texts = tuple(word for word in enum if isinstance(word, str))
    if len(texts) < len(enum):
        return "not all of its choices are texts"
    if KINDS["choice"].with_words(texts).words != texts:
        return (
            f"of its choices, of which at most {MOST_WORDS} are taken, each needs 1 to "
            f"{LONGEST_WORD} plain characters that no other has"
        )
    return ""


def _is_known(unit: str) -> bool:
    try:
        find_unit(unit)
    except UnitError:
        return False
    return True


def _is_setting(name: str, found: _Property) -> bool:
    if found.read_only:
        return False
    called = _SETTING_CHOICES if found.type == "string" else _SETTING_WORDS
    return not called.isdisjoint(_words(name, found))


def _setting(name: str, schema: _Schema, called: str = "") -> Setting:
    title = schema.title or name
    return Setting(
        slug(called) or slug(name),
        title,
        name,
        schema.type,
        schema.unit,
        schema.minimum,
        schema.maximum,
        tuple(schema.enum),
        "uri" if schema.format == "uri" else "",
    )


def _event(source: Any) -> _Event:
    """An event, as far as it can be understood."""
    try:
        return msgspec.convert(source, _Event)
    except msgspec.ValidationError:
        forms = source.get("forms") if isinstance(source, dict) else None
        return _Event(data=_Schema(type="object"), forms=forms if isinstance(forms, list) else [])


def _moment(name: str, event: _Event) -> OfferedValue | None:
    """The entity of an event that says one of several words, or no more than that it
    happened; None for one that says something else."""
    words: tuple[str, ...] = ()
    if event.data is not None and event.data.type not in ("", "null"):
        if event.data.type != "string" or _not_words(event.data.enum):
            return None
        words = tuple(event.data.enum)
    called = frozenset(_parts_of(name) + _parts_of(event.title))
    if not slug(name):
        return None
    if not words and not _BELLS.isdisjoint(called):
        kind = KINDS["ring"]
    elif not _BUTTONS.isdisjoint(called):
        kind = KINDS["press"].with_words(words or ("pressed",))
    else:
        kind = KINDS["event"].with_words(words or (event.title,))
        # A title may hold nothing that can be stored.
        kind = kind if kind.words else KINDS["event"].with_words((slug(name),))
    return OfferedValue(slug(name), (event.title or name)[:MAX_TITLE], kind.key, name, "")


def _inputs(action: _Action) -> tuple[Setting, ...] | str:
    """What an action wants to know, or why the hub cannot ask for it."""
    wanted = action.input
    if wanted is None:
        return ()
    parts = wanted.properties if wanted.type == "object" else {"": wanted}
    for name, part in parts.items():
        if part.type not in ("number", "integer", "boolean", "string"):
            return (
                f"its input {name or 'is'} {part.type or '(no type)'}, no number, boolean or text"
            )
    return tuple(_setting(name, part) for name, part in parts.items())


def part_of(wire_name: str) -> tuple[str, str]:
    """The property that a value is part of, and the JSON Pointer to it there:
    "climate/t" is ("climate", "/t"), "climate" is ("climate", "")."""
    name, slash, rest = wire_name.partition("/")
    return name, slash + rest


def _parts(name: str, affordance: _Property) -> tuple[list[OfferedValue], list[str]]:
    """Each number, boolean and choice in an object is a value; the object is read as a
    whole, so none of them can be set alone. What cannot be used is said."""
    values, problems = [], []
    for inner, schema in affordance.properties.items():
        if schema.unit in COUNTS:
            schema.unit = ""
        title = schema.title or f"{affordance.title or name} {inner}"
        part = _Property(
            schema.type,
            title,
            schema.description,
            schema.unit,
            schema.minimum,
            schema.maximum,
            schema.enum,
            read_only=True,
            semantic_type=schema.semantic_type,
        )
        if problem := _unusable(inner, part):
            problems.append(f"property {name}, its {inner}: {problem}")
            continue
        offered = _value(inner, part)
        wire_name = f"{name}/{inner.replace('~', '~0').replace('/', '~1')}"
        address = f"{slug(affordance.hombi_name) or slug(name)}-{offered.name}"
        values.append(msgspec.structs.replace(offered, name=address, wire_name=wire_name))
    return values, problems


def _value(name: str, affordance: _Property) -> OfferedValue:
    kind = _kind(name, affordance)
    low, high = affordance.minimum, affordance.maximum
    if low is not None and high is not None and low > high:
        raise DescriptionError(f"$.properties.{name}: minimum {low:g} is over maximum {high:g}")
    counted = affordance.type not in ("boolean", "string")
    unknown = affordance.unit if counted and not _is_known(affordance.unit) else ""
    return OfferedValue(
        slug(affordance.hombi_name) or slug(name),
        affordance.title or name,
        kind.key,
        name,
        (affordance.unit or kind.unit) if kind.unit else "",
        low,
        high,
        writable=not affordance.read_only,
        hidden=affordance.hombi_hidden,
        unknown_unit=unknown[:MAX_TITLE],
    )


def _words(name: str, found: _Property) -> list[str]:
    types = [found.semantic_type] if isinstance(found.semantic_type, str) else found.semantic_type
    return (
        [re.split(r"[:/#]", t)[-1].lower() for t in types]
        + _parts_of(name)
        + _parts_of(found.title)
    )


def _parts_of(name: str) -> list[str]:
    """A name as a whole, and its words: "wind from" says more than "wind"."""
    return [slug(name), *slug(name).split("-")]


def _kind(name: str, affordance: _Property) -> Kind:
    """The kind by @type, else by the name, else by the unit; a number without any of
    them, or in a unit that the hub does not know, is just a number."""
    if affordance.type == "string":
        return KINDS["choice"].with_words(affordance.enum)
    binary = affordance.type == "boolean"
    for word in _words(name, affordance):
        kind = kind_called(word, two_states=binary)
        if kind is not None and _fits(affordance.unit, kind):
            return kind
    if binary:
        return KINDS["contact" if affordance.read_only else "switch"]
    if affordance.unit and _is_known(affordance.unit):
        return _kind_by_unit(affordance.unit)
    return KINDS["number"]


def kind_in(offered: OfferedValue, unit: str) -> Kind:
    """What a value is that comes in this unit: what its name says, if that has such a
    unit, else the usual kind. Raises UnitError."""
    find_unit(unit)
    words = [*_parts_of(offered.name), *_parts_of(offered.title)]
    named = (kind_called(word, two_states=False) for word in words)
    return next((k for k in named if k and _fits(unit, k)), None) or _kind_by_unit(unit)


def _kind_by_unit(unit: str) -> Kind:
    measures = find_unit(unit).measures
    return KINDS[_KIND_BY_MEASURE.get(measures, measures)]


def _fits(unit: str, kind: Kind) -> bool:
    if not unit or not kind.unit:
        return not unit
    try:
        conversion(unit, kind.unit)
    except UnitError:
        return False
    return True
