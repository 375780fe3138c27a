"""The client library: the hub from a program, with blocking calls (`Hub`) or
asynchronous ones (`AsyncHub`).

with Hub("http://127.0.0.1:21460", token) as hub:
    for entity in hub.entities.list(room="cheese-cellar"):
        print(entity.entity, entity.shown)
"""

from typing import TYPE_CHECKING, Any

from hombi.client.errors import (
    Conflict,
    HubProblem,
    HubUnreachable,
    Missing,
    NotAllowed,
    NotSignedIn,
    TooMany,
    Wrong,
)
from hombi.client.hub import Hub
from hombi.client.stream import LiveEvent

if TYPE_CHECKING:
    from hombi.client.async_hub import AsyncHub

__all__ = [
    "AsyncHub",
    "Conflict",
    "Hub",
    "HubProblem",
    "HubUnreachable",
    "LiveEvent",
    "Missing",
    "NotAllowed",
    "NotSignedIn",
    "TooMany",
    "Wrong",
]


def __getattr__(name: str) -> Any:
    """`AsyncHub`, which is loaded when it is asked for: a command that answers at once
    has no use for it."""
    if name != "AsyncHub":
        raise AttributeError(f"hombi.client has no {name}")
    from hombi.client.async_hub import AsyncHub  # noqa: PLC0415

    return AsyncHub
