"""The people of the household, and who is home."""

from __future__ import annotations

from collections.abc import Sequence

from hombi import wire
from hombi.client.calls.base import Call, path, unless_none


def list_() -> Call[list[wire.Presence]]:
    """Everybody, by name."""
    return Call("GET", "/api/presence", list[wire.Presence])


def say(person: str, *, home: bool) -> Call[wire.Presence]:
    """Say that somebody is home, or away."""
    return Call(
        "PATCH", path("presence", person), wire.Presence, body=wire.PresenceChange(home=home)
    )


def follow(
    person: str, entities: Sequence[str] | None = None, linger: str = ""
) -> Call[wire.Presence]:
    """Name the values that tell whether somebody is home, and for how long they count
    as home after the last sign of them; an empty list: their own word alone."""
    given = None if entities is None else list(entities)
    body = wire.PresenceChange(follows=unless_none(given), linger=linger)
    return Call("PATCH", path("presence", person), wire.Presence, body=body)


def quiet(person: str, hours: str) -> Call[wire.Presence]:
    """When they are told only what is urgent, like "22:00-06:30"; "" for never."""
    body = wire.PresenceChange(quiet=hours)
    return Call("PATCH", path("presence", person), wire.Presence, body=body)
