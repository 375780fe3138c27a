"""The client library: the hub from a program, with blocking calls (`Hub`) or asynchronous ones (`AsyncHub`).

with Hub("http://127.0.0.1:4662", token) as hub:
    for entity in hub.entities(room="cheese-cellar"):
        print(entity.entity, entity.shown)
"""

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
from hombi.client.hub import AsyncHub, Hub
from hombi.client.models import (
    Arrival,
    Automation,
    Checked,
    Command,
    Entity,
    Floor,
    History,
    House,
    JournalEntry,
    Mistake,
    Need,
    Node,
    Notice,
    Phone,
    Reading,
    Room,
    Window,
)
from hombi.client.stream import LiveEvent

__all__ = [
    "Arrival",
    "AsyncHub",
    "Automation",
    "Checked",
    "Command",
    "Conflict",
    "Entity",
    "Floor",
    "History",
    "House",
    "Hub",
    "HubProblem",
    "HubUnreachable",
    "JournalEntry",
    "LiveEvent",
    "Missing",
    "Mistake",
    "Need",
    "Node",
    "NotAllowed",
    "NotSignedIn",
    "Notice",
    "Phone",
    "Reading",
    "Room",
    "TooMany",
    "Window",
    "Wrong",
]
