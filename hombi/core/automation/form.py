"""The fields of a form that show the values of a text."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from hombi.core.toml_text import Path


@dataclass(frozen=True, slots=True)
class Field:
    """One value: where it stands, what it is, and how it is written; "" for one that
    could be there and is not."""

    path: Path
    label: str
    value: str


def given(table: Mapping[str, Any], path: Path, labels: Mapping[str, str]) -> Iterator[Field]:
    """The values that a table has, of these keys."""
    for key, label in labels.items():
        if isinstance(table.get(key), str):
            yield Field((*path, key), label, table[key])


def optional(table: Mapping[str, Any], path: Path, labels: Mapping[str, str]) -> Iterator[Field]:
    """The same, with those that could be there and are not."""
    for key, label in labels.items():
        value = table.get(key, "")
        if isinstance(value, str):
            yield Field((*path, key), label, value)
