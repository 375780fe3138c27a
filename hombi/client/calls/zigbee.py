"""The Zigbee stick and its network."""

from __future__ import annotations

from typing import Literal

from hombi.client.calls.base import Call
from hombi.wire.nodes import ChoiceRequest
from hombi.wire.nodes import Zigbee as ZigbeeShape


def info() -> Call[ZigbeeShape]:
    """The stick and its network."""
    return Call("GET", "/api/zigbee", ZigbeeShape)


def choose(choice: Literal["keep", "clean"]) -> Call[ZigbeeShape]:
    """What to do with a foreign network on the stick: "keep" it, or start "clean"."""
    body = ChoiceRequest(choice=choice)
    return Call("POST", "/api/zigbee/network", ZigbeeShape, body=body)
