"""Values that are computed from others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from hombi import wire
from hombi.client.calls.base import Call


def methods() -> Call[list[wire.MethodSort]]:
    """The ways to compute a value, with what they take and give."""
    return Call("GET", "/api/methods", list[wire.MethodSort])


def make(
    method: str,
    sources: Sequence[str],
    *,
    title: str = "",
    room: str = "",
    parameters: Mapping[str, float | str] | None = None,
) -> Call[wire.EntityDetail]:
    """Make a value that is computed from others, with its past. It stands in the room
    of its first source unless one is named."""
    body = wire.ComputedRequest(
        method=method,
        sources=list(sources),
        title=title,
        room=room,
        parameters=dict(parameters or {}),
    )
    return Call("POST", "/api/computed", wire.EntityDetail, body=body)
