"""What a call is."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar
from urllib.parse import quote

import msgspec

from hombi.client.errors import problem
from hombi.wire.base import UNSET, Ask, UnsetType

T = TypeVar("T")
Page = TypeVar("Page")


# What a parameter of an address can be; a list is named once for each.
Param = str | int | float | list[str]


@dataclass(frozen=True, slots=True)
class Call(Generic[T]):
    """One request, and the type of its answer. A body of bytes is a CSV; `quiet_s` is
    how long the hub may work on it without a word."""

    method: str
    path: str
    answer: Any
    params: Mapping[str, Param] = field(default_factory=dict)
    body: Ask | Mapping[str, Any] | bytes | None = None
    quiet_s: float | None = None

    def read(self, status: int, content: bytes) -> T:
        """The answer. Raises HubProblem."""
        if status >= 400:
            raise problem(status, content)
        if self.answer is None:
            return None  # type: ignore[return-value]
        result: T = msgspec.json.decode(content, type=self.answer)
        return result


@dataclass(frozen=True, slots=True)
class Pages(Generic[Page, T]):
    """A listing in pages: the call for the page at a place, and how a page is taken
    apart."""

    page: Callable[[int | None], Call[Page]]
    items: Callable[[Page], list[T]]
    next: Callable[[Page], int | None]


@dataclass(frozen=True, slots=True)
class News(Generic[T]):
    """News of one kind, from a stream with these parameters."""

    path: str
    params: Mapping[str, Param]
    kind: type[T]


# Years of readings are copied, packed and opened again before a backup begins to come.
MAKING_S = 3600.0


def path(*parts: str) -> str:
    """The address of something, by its parts."""
    return "/api/" + "/".join(quote(part, safe="/") for part in parts)


def entity_path(address: str, *more: str) -> str:
    """The address of something of an entity, which is named by its own address, or as
    people call it ("Loft lamp level")."""
    return path("entities", address if "/" in address else f"~/{address}", *more)


def given(**params: Param | None) -> dict[str, Param]:
    """The parameters that were given."""
    return {name: value for name, value in params.items() if value is not None and value != ""}


def unless_none(value: T | None) -> T | UnsetType:
    """A field that is left out when it is None."""
    return UNSET if value is None else value
