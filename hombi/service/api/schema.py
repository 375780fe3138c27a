"""What each operation of the API takes and gives, as it is written beside it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

import msgspec

from hombi.wire.base import Ask

F = TypeVar("F", bound=Callable[..., Any])


class Query(msgspec.Struct, frozen=True):
    """A parameter of the query."""

    name: str
    type: type
    required: bool = False
    description: str = ""
    enum: Sequence[Any] | None = None
    default: Any = None
    many: bool | None = None


class Operation(msgspec.Struct, frozen=True):
    """One operation. See `operation`."""

    takes: type[Ask] | None
    gives: Any
    status: int
    parameters: Sequence[Query]
    name: str | None
    open_to_all: bool
    body: dict[str, Any] | None


def operation(
    *,
    takes: type[Ask] | None = None,
    gives: Any = None,
    status: int = 200,
    parameters: Sequence[Query] = (),
    name: str | None = None,
    open_to_all: bool = False,
    body: dict[str, Any] | None = None,
) -> Callable[[F], F]:
    """What an operation takes as its body, what it gives, and with which status.
    `gives` of None is an answer without a body; `body` is another one than JSON."""
    if status == 200 and gives is None:
        status = 204

    def keep(call: F) -> F:
        described = Operation(takes, gives, status, parameters, name, open_to_all, body)
        call.operation = described  # type: ignore[attr-defined]
        return call

    return keep
