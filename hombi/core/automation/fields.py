"""The values in a text that a form can show: each with its place, so that a change of
one changes that place alone. What is written otherwise stays a matter of the text."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from hombi.core.automation.actions import ACTIONS
from hombi.core.automation.comparisons import COMPARISONS
from hombi.core.automation.form import Field, given
from hombi.core.toml_text import read_toml

_EDGES = {"starts": "When it starts", "ends": "When it ends"}


def fields_of(text: str) -> list[Field]:
    """The values of a text that a form can show, in its order; none where it is no
    TOML."""
    toml = read_toml(text)
    return [] if toml.mistakes else list(_fields(toml.data))


def _fields(data: dict[str, Any]) -> Iterator[Field]:
    yield from given(data, (), {"name": "Name"})
    watch = data.get("watch")
    if isinstance(watch, dict):
        yield from _watch(watch)
    only = data.get("only", {})
    if isinstance(only, dict):
        value = only.get("between", "")
        if isinstance(value, str):
            yield Field(("only", "between"), "Only between", value)
        yield from given(only, ("only",), {"home": "Only while home"})
    for edge, when in _EDGES.items():
        tables = data.get(edge, [])
        tables = tables if isinstance(tables, list) else []
        for number, one in enumerate(tables):
            if isinstance(one, dict):
                last = number == len(tables) - 1
                for word in ACTIONS.keys() & one.keys():
                    yield from ACTIONS[word].fields(one, (edge, number), when, last=last)


def _watch(watch: dict[str, Any]) -> Iterator[Field]:
    moments = {"at": "At", "every": "Every", "rule": "By the rule", "lasts": "For"}
    yield from given(watch, ("watch",), {"home": "Home", **moments})
    for word, compared in COMPARISONS.items():
        if word in watch:
            yield from compared.fields(watch, ("watch",))
