"""Node profiles: what a make and model needs beyond its standard self-description, as
TOML data.

They come with Hombi (`profiles/`), and from `profiles/` in the data folder, where one
for the same make and model goes before ours. docs/node-profiles.md has the whole
format.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from hombi.core.errors import UnitError
from hombi.core.house_facts import did_you_mean
from hombi.core.kinds import KINDS, LONGEST_WORD, MOST_WORDS
from hombi.core.toml_text import TomlText, read_toml
from hombi.core.units import conversion
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee.points import Point, Reports, name_apart
from hombi.links.zigbee.presses import GivenPress
from hombi.links.zigbee.tunnel import GIVEN_TYPES


@dataclass(frozen=True, slots=True)
class Profile:
    """What is special about one make and model. `changes` are by (endpoint or 0,
    cluster, attribute, manufacturer)."""

    make: str
    models: tuple[str, ...]
    changes: Mapping[tuple[int, int, int, int], Mapping[str, Any]] = field(default_factory=dict)
    added: tuple[Point, ...] = ()
    # Where it tunnels values: (endpoint, cluster).
    tunnels: frozenset[tuple[int, int]] = frozenset()
    presses: tuple[GivenPress, ...] = ()
    text: str = field(default="", compare=False)

    def apply(self, points: Iterable[Point]) -> list[Point]:
        """The points of a node of this make and model, given those of its
        self-description."""
        changed = []
        for point in points:
            key = (point.cluster, point.attribute, point.manufacturer)
            change = self.changes.get((point.endpoint, *key)) or self.changes.get((0, *key)) or {}
            changed.append(replace(point, **change))
        return name_apart([*changed, *self.added])


PLAIN = Profile("", ())


def profile_folder(data: Path) -> Path:
    """Where a house keeps node profiles of its own, in its data folder."""
    return data / "profiles"


def read_profile(text: str) -> tuple[Profile | None, TomlText]:
    """A profile from its text, None when there are mistakes in it; those are in the
    TomlText with line and column."""
    toml = read_toml(text)
    if toml.mistakes:
        return None, toml
    reader = _Reader(toml)
    profile = reader.profile()
    return (None if toml.mistakes else profile), toml


@dataclass(frozen=True, slots=True)
class _Key:
    """One key of a table: what is expected, and whether a value is that."""

    expected: str
    fits: Any


def _number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _whole(high: int) -> Any:
    return lambda value: (
        isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= high
    )


_TEXT = _Key('a text, like "Soil moisture"', lambda v: isinstance(v, str) and v.strip() != "")
_YES = _Key("true or false", lambda v: isinstance(v, bool))
_ENDPOINT = _Key("an endpoint from 1 to 240", lambda v: _whole(240)(v) and v > 0)
_CLUSTER = _Key("a cluster, like 0x0402", _whole(0xFFFF))
_ATTRIBUTE = _Key("an attribute, like 0x0000", _whole(0xFFFF))
_KIND = _Key(f"a kind: {', '.join(KINDS)}", lambda v: isinstance(v, str) and v in KINDS)
_TYPE = _Key(
    f"a type: {', '.join(dt.TYPE_NAMES)}",
    lambda v: isinstance(v, str) and v in dt.TYPE_NAMES,
)
_NUMBER = _Key("a number", _number)
_FACTOR = _Key("a number that is not 0", lambda v: _number(v) and v != 0)
_MAKER = _Key("a manufacturer code, like 0x1234", lambda v: _whole(0xFFFF)(v) and v > 0)


def _report(value: Any) -> bool:
    """Both times fit into the 16 bits that they have (ZCL, 2.5.7.1), and the change is
    one."""
    if not isinstance(value, list) or len(value) != 3 or not all(map(_number, value)):
        return False
    shortest, longest, change = value
    return bool(
        _whole(0xFFFE)(shortest)
        and _whole(0xFFFE)(longest)
        and shortest <= longest
        and 0 <= change < 2**48
    )


_REPORT = _Key(
    "[shortest s, longest s, change], like [10, 600, 20], with times up to 65534 s", _report
)
_CLEAR = _Key("seconds, like 90", lambda v: _number(v) and 0 < v <= 86_400)


def _is_word(value: Any) -> bool:
    return isinstance(value, str) and KINDS["event"].with_words([value]).words == (value,)


def _raw_words(value: Any) -> bool:
    """Texts by the raw number that each stands for; TOML writes all keys as texts."""
    return (
        isinstance(value, dict)
        and 0 < len(value) <= MOST_WORDS
        and all(raw.isdigit() and _is_word(word) for raw, word in value.items())
    )


def _hex(value: Any) -> bool:
    try:
        return isinstance(value, str) and len(bytes.fromhex(value)) <= 64
    except ValueError:
        return False


_MEANING = {
    "name": _TEXT, "kind": _KIND, "unit": _TEXT, "scale": _FACTOR, "addend": _NUMBER,
    "hidden": _YES, "clear_after": _CLEAR,
    "words": _Key('words by raw value, like { 0 = "off", 4 = "heat" }', _raw_words),
}  # fmt: skip
_LIMITS = {"low": _NUMBER, "high": _NUMBER}
_PLACE = {"endpoint": _ENDPOINT, "cluster": _CLUSTER, "attribute": _ATTRIBUTE}
TABLES: dict[str, dict[str, _Key]] = {
    "profile": {
        "make": _TEXT,
        "model": _TEXT,
        "models": _Key(
            "a list of texts",
            lambda v: isinstance(v, list) and bool(v) and all(isinstance(m, str) for m in v),
        ),
    },
    "value": {
        **_PLACE,
        **_MEANING,
        "type": _TYPE,
        "manufacturer": _MAKER,
        "writable": _YES,
        "report": _REPORT,
    },
    "setting": {**_PLACE, **_MEANING, **_LIMITS, "type": _TYPE, "manufacturer": _MAKER},
    "press": {
        "endpoint": _ENDPOINT,
        "cluster": _CLUSTER,
        "command": _Key("a command, like 0x00", _whole(0xFF)),
        "payload": _Key('how its payload begins, in hex, like "0001"', _hex),
        "word": _Key(f"a word of up to {LONGEST_WORD} letters, like pressed", _is_word),
    },
    "tunnelled": {
        "endpoint": _ENDPOINT,
        "cluster": _CLUSTER,
        "id": _Key("a tunnelled value's number, 1 to 255", lambda v: _whole(255)(v) and v > 0),
        **_MEANING,
        **_LIMITS,
        "type": _Key(
            f"a type: {', '.join(GIVEN_TYPES)}",
            lambda v: isinstance(v, str) and v in GIVEN_TYPES,
        ),
        "writable": _YES,
        "setting": _YES,
    },
}
_NEEDED = {
    "profile": ("make",),
    "value": ("cluster", "attribute"),
    "setting": ("cluster", "attribute", "type", "name"),
    "press": ("cluster", "command", "word"),
    "tunnelled": ("cluster", "id", "type", "name"),
}


class _Reader:
    """Turns the tables of a profile into points, and notes what is wrong with them."""

    def __init__(self, toml: TomlText) -> None:
        self._toml = toml

    def profile(self) -> Profile | None:
        data = self._toml.data
        for table in data:
            if table not in TABLES:
                hint = did_you_mean(table, TABLES) or f"tables are {', '.join(TABLES)}"
                if table in ("datapoint", "datapoints"):
                    hint = "write [[tunnelled]], each with its cluster; types are "
                    hint += ", ".join(GIVEN_TYPES)
                self._toml.blame((table,), f"{table!r} means nothing here", hint, at_value=False)
        head = data.get("profile")
        if not isinstance(head, dict):
            self._toml.blame(
                (), "there is no [profile]", 'begin with [profile], make = "…" and model = "…"'
            )
            return None
        self._check("profile", ("profile",), head)
        if "model" not in head and "models" not in head:
            self._toml.blame(
                ("profile",), "[profile] has no model", 'add model = "…"', at_value=False
            )
        values = self._tables("value")
        settings = self._tables("setting")
        tunnelled = self._tables("tunnelled")
        presses = self._tables("press")
        if self._toml.mistakes:
            return None
        changes = {
            (v.get("endpoint", 0), v["cluster"], v["attribute"], v.get("manufacturer", 0)): _change(
                v
            )
            for v in values
            if "type" not in v
        }
        added = [_point(v) for v in values if "type" in v]
        added += [_point(s, setting=True) for s in settings]
        added += [_point({**one, "attribute": one["id"]}) for one in tunnelled]
        models = (head["model"],) if "model" in head else tuple(head["models"])
        return Profile(
            head["make"],
            models,
            changes,
            tuple(added),
            frozenset((one.get("endpoint", 1), one["cluster"]) for one in tunnelled),
            tuple(_press(one) for one in presses),
            self._toml.text,
        )

    def _tables(self, name: str) -> list[dict[str, Any]]:
        result = self._toml.data.get(name, [])
        if not isinstance(result, list):
            self._toml.blame(
                (name,), f"{name} is a list of tables", f"write [[{name}]]", at_value=False
            )
            return []
        for place, table in enumerate(result):
            self._check(name, (name, place), table)
        return result

    def _check(self, name: str, path: tuple[str | int, ...], table: Any) -> None:
        known = TABLES[name]
        if not isinstance(table, dict):
            self._toml.blame(path, f"{name} is not a table")
            return
        for key, value in table.items():
            if key not in known:
                hint = did_you_mean(key, known) or f"known in {name}: {', '.join(known)}"
                self._toml.blame((*path, key), f"{key} means nothing here", hint, at_value=False)
            elif not known[key].fits(value):
                hint = (
                    did_you_mean(value, KINDS) if key == "kind" and isinstance(value, str) else ""
                )
                self._toml.blame(
                    (*path, key), f"{key} is {value!r}; expected {known[key].expected}", hint or ""
                )
        for key in _NEEDED.get(name, ()):
            if key not in table:
                self._toml.blame(
                    path,
                    f"{name} has no {key}",
                    f"add {key} = {known[key].expected}",
                    at_value=False,
                )
        if name in ("value", "tunnelled"):
            self._check_words(path, table)
        unit = table.get("unit")
        if (
            name in ("value", "setting", "tunnelled")
            and isinstance(unit, str)
            and table.get("kind") in KINDS
        ):
            self._check_unit(path, unit, table["kind"])

    def _check_words(self, path: tuple[str | int, ...], table: Mapping[str, Any]) -> None:
        """Words go with the kinds whose nodes bring them; and a choice needs some."""
        kind = KINDS.get(str(table.get("kind", "")))
        brings = kind is not None and kind.brings
        if "words" in table and not brings:
            kinds = ", ".join(name for name, one in KINDS.items() if one.brings)
            what = "words go with the kinds whose nodes bring them"
            self._toml.blame((*path, "words"), what, f"write kind, one of {kinds}")
        elif brings and "words" not in table:
            hint = 'add words = { 0 = "…", 1 = "…" }, each by its raw value'
            self._toml.blame(path, f"a {table['kind']} has no words", hint, at_value=False)

    def _check_unit(self, path: tuple[str | int, ...], unit: str, kind: str) -> None:
        wanted = KINDS[kind].unit
        if not wanted:
            self._toml.blame((*path, "unit"), f"a {kind} has no unit", "leave it out")
            return
        try:
            conversion(unit, wanted)
        except UnitError as error:
            self._toml.blame((*path, "unit"), str(error))


def _change(table: Mapping[str, Any]) -> dict[str, Any]:
    """What a [[value]] without a type changes of a point that is there already."""
    taken = {
        key: table[key]
        for key in ("name", "kind", "unit", "scale", "addend", "hidden", "writable")
        if key in table
    }
    if "words" in table:
        taken |= _worded(table)
    if "report" in table:
        taken["reports"] = Reports(*table["report"])
    if "clear_after" in table:
        taken["clear_s"] = float(table["clear_after"])
    return taken


def _worded(table: Mapping[str, Any]) -> dict[str, Any]:
    """What words make of a point: a kind that has them, and their raw values."""
    words = {int(raw): str(word) for raw, word in table["words"].items()}
    kind = KINDS[table["kind"]].with_words(words.values())
    places = {word: raw for raw, word in reversed(words.items())}
    return {
        "kind": kind.key,
        "raws": tuple(places.get(word, -1) for word in kind.words or ()),
    }


def _press(table: Mapping[str, Any]) -> GivenPress:
    return GivenPress(
        table.get("endpoint", 1),
        table["cluster"],
        table["command"],
        bytes.fromhex(table.get("payload", "")),
        table["word"],
    )


def _point(table: Mapping[str, Any], *, setting: bool = False) -> Point:
    kind = KINDS[table.get("kind", "number")]
    tunnelled = "id" in table
    point = Point(
        table.get("name", kind.name),
        kind.name,
        table["cluster"],
        table["attribute"],
        GIVEN_TYPES[table["type"]] if tunnelled else dt.TYPE_NAMES[table["type"]],
        table.get("unit", kind.unit),
        float(table.get("scale", 1.0)),
        float(table.get("addend", 0.0)),
        writable=table.get("writable", False) or setting or table.get("setting", False),
        setting=setting or table.get("setting", False),
        hidden=table.get("hidden", False),
        endpoint=table.get("endpoint", 1),
        manufacturer=table.get("manufacturer", 0),
        tunnelled=tunnelled,
        low=table.get("low"),
        high=table.get("high"),
        clear_s=float(table.get("clear_after", 0.0)),
    )
    if "words" in table:
        point = replace(point, **_worded(table))
    if not tunnelled and not point.setting:
        point = replace(point, reports=Reports(*table.get("report", (10, 600, 1))))
    return point
