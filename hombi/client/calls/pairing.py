"""Letting nodes in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

from hombi.client.calls.base import Call, given, path
from hombi.wire.nodes import Node, SetupCode
from hombi.wire.pairing import (
    AdmitRequest,
    Arrival,
    EntityChoice,
    LookRequest,
    Window,
    WindowRequest,
)

# What a person chose for the entities of an arrival:
# {name: {"title": ..., "hidden": ...}}.
Choices = Mapping[str, Mapping[str, Any]]
NO_CHOICES: Choices = MappingProxyType({})


def window() -> Call[Window]:
    """The pairing window."""
    return Call("GET", "/api/pairing", Window)


def open_(length: str = "2 min") -> Call[Window]:
    """Open the pairing window."""
    return Call("POST", "/api/pairing", Window, body=WindowRequest(length=length))


def close() -> Call[None]:
    """Close the pairing window."""
    return Call("DELETE", "/api/pairing", None)


def arrivals() -> Call[list[Arrival]]:
    """The nodes that ask to join."""
    return Call("GET", "/api/arrivals", list[Arrival])


def look(address: str) -> Call[Arrival]:
    """The node whose description is at an address, as an arrival."""
    body = LookRequest(address=address)
    return Call("POST", "/api/arrivals/look", Arrival, body=body)


def admit(
    arrival: str,
    setup_code: str = "",
    name: str = "",
    room: str = "",
    *,
    secret: str = "",
    entities: Choices = NO_CHOICES,
    origins: Sequence[str] = (),
) -> Call[Node]:
    """Let an arrival in; a room that does not exist is made. `origins` are those of its
    `elsewhere` that it may use."""
    body = AdmitRequest(
        setup_code=setup_code,
        name=name,
        room=room,
        secret=secret,
        entities=[EntityChoice(name=one, **choice) for one, choice in entities.items()],
        origins=list(origins),
    )
    return Call("POST", path("arrivals", arrival, "admit"), Node, body=body)


def ask_again(arrival: str) -> Call[None]:
    """Ask an arrival again what it has."""
    return Call("POST", path("arrivals", arrival, "again"), None)


def turn_away(arrival: str) -> Call[None]:
    """Turn an arrival away."""
    return Call("DELETE", path("arrivals", arrival), None)


def setup_code(thing: str, code: str = "") -> Call[SetupCode]:
    """A setup code with its QR code; a new one unless it is given."""
    params = given(thing=thing, code=code)
    return Call("GET", "/api/setup-code", SetupCode, params=params)
