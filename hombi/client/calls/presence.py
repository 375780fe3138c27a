"""The people of the household, and who is home."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.client.calls.base import Call, path, unless_none
from hombi.wire.presence import Presence, PresenceChange


def list_() -> Call[list[Presence]]:
    """Everybody, by name."""
    return Call("GET", "/api/presence", list[Presence])


def say(person: str, *, home: bool) -> Call[Presence]:
    """Say that somebody is home, or away."""
    return Call("PATCH", path("presence", person), Presence, body=PresenceChange(home=home))


def follow(person: str, entities: Sequence[str] | None = None, linger: str = "") -> Call[Presence]:
    """Name the values that tell whether somebody is home, and for how long they count
    as home after the last sign of them; an empty list: their own word alone."""
    given = None if entities is None else list(entities)
    body = PresenceChange(follows=unless_none(given), linger=linger)
    return Call("PATCH", path("presence", person), Presence, body=body)


def quiet(person: str, hours: str) -> Call[Presence]:
    """When they are told only what is urgent, like "22:00-06:30"; "" for never."""
    body = PresenceChange(quiet=hours)
    return Call("PATCH", path("presence", person), Presence, body=body)
