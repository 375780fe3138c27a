"""What the house does by itself."""

from hombi.hub.automations.changes import (
    Acknowledge,
    AddAutomation,
    ChangeAutomation,
    PutOnDuty,
    RemoveAutomation,
    RunActions,
)
from hombi.hub.automations.part import Automations
from hombi.hub.automations.runner import Runner

__all__ = [
    "Acknowledge",
    "AddAutomation",
    "Automations",
    "ChangeAutomation",
    "PutOnDuty",
    "RemoveAutomation",
    "RunActions",
    "Runner",
]
