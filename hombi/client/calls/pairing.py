"""Letting nodes in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

from hombi import wire
from hombi.client.calls.base import Call, given, path

# What a person chose for the entities of an arrival:
# {name: {"title": ..., "hidden": ...}}.
Choices = Mapping[str, Mapping[str, Any]]
NO_CHOICES: Choices = MappingProxyType({})


def window() -> Call[wire.Window]:
    """The pairing window."""
    return Call("GET", "/api/pairing", wire.Window)


def open_(length: str = "2 min") -> Call[wire.Window]:
    """Open the pairing window."""
    return Call("POST", "/api/pairing", wire.Window, body=wire.WindowRequest(length=length))


def close() -> Call[None]:
    """Close the pairing window."""
    return Call("DELETE", "/api/pairing", None)


def arrivals() -> Call[list[wire.Arrival]]:
    """The nodes that ask to join."""
    return Call("GET", "/api/arrivals", list[wire.Arrival])


def look(address: str) -> Call[wire.Arrival]:
    """The node whose description is at an address, as an arrival."""
    body = wire.LookRequest(address=address)
    return Call("POST", "/api/arrivals/look", wire.Arrival, body=body)


def admit(
    arrival: str,
    setup_code: str = "",
    name: str = "",
    room: str = "",
    *,
    secret: str = "",
    entities: Choices = NO_CHOICES,
    origins: Sequence[str] = (),
) -> Call[wire.Node]:
    """Let an arrival in; a room that does not exist is made. `origins` are those of its
    `elsewhere` that it may use."""
    body = wire.AdmitRequest(
        setup_code=setup_code,
        name=name,
        room=room,
        secret=secret,
        entities=[wire.EntityChoice(name=one, **choice) for one, choice in entities.items()],
        origins=list(origins),
    )
    return Call("POST", path("arrivals", arrival, "admit"), wire.Node, body=body)


def ask_again(arrival: str) -> Call[None]:
    """Ask an arrival again what it has."""
    return Call("POST", path("arrivals", arrival, "again"), None)


def turn_away(arrival: str) -> Call[None]:
    """Turn an arrival away."""
    return Call("DELETE", path("arrivals", arrival), None)


def setup_code(thing: str, code: str = "") -> Call[wire.SetupCode]:
    """A setup code with its QR code; a new one unless it is given."""
    params = given(thing=thing, code=code)
    return Call("GET", "/api/setup-code", wire.SetupCode, params=params)
