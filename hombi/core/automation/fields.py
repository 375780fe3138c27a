"""The values in a text that a form can show: each with its place, so that a change of
one changes that place alone. What is written otherwise stays a matter of the text."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from hombi.core.automation.comparisons import COMPARISONS
from hombi.core.automation.text import to_other
from hombi.core.toml_text import Path, read_toml

_EDGES = {"starts": "When it starts", "ends": "When it ends"}
_WORDS = {"is_not": "is not"}


@dataclass(frozen=True, slots=True)
class Field:
    """One value: where it stands, what it is, and how it is written; "" for one that
    could be there and is not."""

    path: Path
    label: str
    value: str


def fields_of(text: str) -> list[Field]:
    """The values of a text that a form can show, in its order; none where it is no
    TOML."""
    toml = read_toml(text)
    return [] if toml.mistakes else list(_fields(toml.data))


def _fields(data: dict[str, Any]) -> Iterator[Field]:
    yield from _some(data, (), {"name": "Name"})
    watch = data.get("watch")
    if isinstance(watch, dict):
        yield from _watch(watch)
    only = data.get("only", {})
    if isinstance(only, dict):
        value = only.get("between", "")
        if isinstance(value, str):
            yield Field(("only", "between"), "Only between", value)
        yield from _some(only, ("only",), {"home": "Only while home"})
    for edge, when in _EDGES.items():
        tables = data.get(edge, [])
        tables = tables if isinstance(tables, list) else []
        for number, one in enumerate(tables):
            if isinstance(one, dict):
                last = number == len(tables) - 1
                yield from _action(one, (edge, number), when, last=last)


def _watch(watch: dict[str, Any]) -> Iterator[Field]:
    moments = {"at": "At", "every": "Every", "rule": "By the rule", "lasts": "For"}
    yield from _some(watch, ("watch",), {"home": "Home", **moments})
    for word in COMPARISONS:
        both = watch.get(word)
        if isinstance(both, list) and len(both) == 2 and all(isinstance(v, str) for v in both):
            entity = watch.get("entity", "the value")
            for place, end in enumerate(("from", "to")):
                yield Field(("watch", word, place), f"{entity} {word}, {end}", both[place])
            yield from _optional(watch, ("watch",), {"held": "Held for", "until_held": "Back for"})
        if isinstance(watch.get(word), str):
            entity = watch.get("entity", "the value")
            label = f"{entity} {_WORDS.get(word, word)}"
            yield Field(("watch", word), label, watch[word])
            if word in ("over", "under"):
                yield from _optional(watch, ("watch",), {"until": "Until it is back at"})
            if word not in ("changes", "silent"):
                held = {"held": "Held for", "until_held": "Back for"}
                yield from _optional(watch, ("watch",), held)


def _optional(table: dict[str, Any], path: Path, labels: dict[str, str]) -> Iterator[Field]:
    for key, label in labels.items():
        value = table.get(key, "")
        if isinstance(value, str):
            yield Field((*path, key), label, value)


def _action(table: dict[str, Any], path: Path, when: str, *, last: bool) -> Iterator[Field]:
    for word in ("switch", "set"):
        if isinstance(table.get(word), str):
            yield from _some(table, path, {"to": f"{when}: {table[word]} to"})
            if word == "set":
                yield from _some(table, path, {"taking": f"{when}: taking"})
            yield from _some(table, path, {"for": f"{when}: for"})
            # What nothing follows need not be waited for, and nobody knows before which
            # is the other state.
            last = last or to_other(table)
            sure = {"confirmed": f"{when}: wait until it is done, at most"}
            yield from (_some if last else _optional)(table, path, sure)
            if table.get("confirmed"):
                otherwise = {"otherwise": f"{when}: if it is not done, stop or go on"}
                yield from _optional(table, path, otherwise)
    yield from _some(table, path, {"wait": f"{when}: wait"})
    if "notify" in table:
        yield from _some(table, path, {"title": f"{when}: tell {table['notify']}"})
        yield from _some(table, path, {key: f"{when}: {key}" for key in ("text", "picture")})


def _some(table: dict[str, Any], path: Path, labels: dict[str, str]) -> Iterator[Field]:
    for key, label in labels.items():
        if isinstance(table.get(key), str):
            yield Field((*path, key), label, table[key])
