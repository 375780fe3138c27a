"""What the files of a house hold, and their text."""

from __future__ import annotations

import tomllib
from typing import Any, TypeVar

import msgspec

from hombi.wire.dashboards import TileSize, TileSort


class FileError(Exception):
    """A file cannot be used; the message says where and why."""


class Absent(FileError):
    """What a file names belongs to a node that is not in this house."""


class Entry(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What stands under one address in a file."""


class RoomEntry(Entry, frozen=True):
    """A room. The rooms of a floor stand in their order, the lowest floor's first."""

    name: str
    floor: str


class NodeEntry(Entry, frozen=True):
    """What a person gave a node: its name, and its room."""

    name: str
    room: str = ""


class Computed(Entry, frozen=True):
    """How a value is computed, as `hombi compute add` takes it."""

    method: str
    sources: list[str]
    parameters: dict[str, str] = {}


class ValueEntry(Entry, frozen=True):
    """What a person chose for a value; `computed` makes it where it is not there."""

    name: str
    hidden: bool = False
    unit: str = ""
    decimals: int = -1
    keep: str = ""
    room: str = ""
    computed: Computed | None = None
    steps: list[dict[str, float | str]] = []


class TileEntry(Entry, frozen=True):
    """A tile, as the API takes it."""

    sort: TileSort
    of: list[str] = []
    size: TileSize = "small"
    text: str = ""
    address: str = ""


class DashboardEntry(Entry, frozen=True):
    """A page of tiles."""

    title: str
    tiles: list[TileEntry] = []


E = TypeVar("E", bound=Entry)


def written(entries: dict[str, E]) -> str:
    """The text of a file."""
    import tomlkit  # noqa: PLC0415 - it takes a moment, and few commands write

    plain = msgspec.to_builtins(entries)
    return tomlkit.dumps(plain).strip() + "\n" if plain else ""


def read(text: str, file: str, shape: type[E]) -> dict[str, E]:
    """What a file's text says. Raises FileError."""
    try:
        result: Any = tomllib.loads(text)
        return msgspec.convert(result, dict[str, shape])  # type: ignore[valid-type]
    except (ValueError, msgspec.ValidationError) as error:
        sentence = str(error).replace("`$", "`").replace("[...]", " of an entry")
        raise FileError(f"{file}: {sentence}") from error
    except RecursionError as error:
        raise FileError(f"{file}: it is nested too deep") from error
