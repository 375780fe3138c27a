"""The Zigbee stick and its network."""

from __future__ import annotations

from typing import Literal

from hombi import wire
from hombi.client.calls.base import Call


def info() -> Call[wire.Zigbee]:
    """The stick and its network."""
    return Call("GET", "/api/zigbee", wire.Zigbee)


def choose(choice: Literal["keep", "clean"]) -> Call[wire.Zigbee]:
    """What to do with a foreign network on the stick: "keep" it, or start "clean"."""
    body = wire.ChoiceRequest(choice=choice)
    return Call("POST", "/api/zigbee/network", wire.Zigbee, body=body)
