"""Values that are computed from others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from hombi.client.calls.base import Call
from hombi.wire.entities import ComputedRequest, EntityDetail, MethodSort


def methods() -> Call[list[MethodSort]]:
    """The ways to compute a value, with what they take and give."""
    return Call("GET", "/api/methods", list[MethodSort])


def make(
    method: str,
    sources: Sequence[str],
    *,
    title: str = "",
    room: str = "",
    parameters: Mapping[str, float | str] | None = None,
) -> Call[EntityDetail]:
    """Make a value that is computed from others, with its past. It stands in the room
    of its first source unless one is named."""
    body = ComputedRequest(
        method=method,
        sources=list(sources),
        title=title,
        room=room,
        parameters=dict(parameters or {}),
    )
    return Call("POST", "/api/computed", EntityDetail, body=body)
