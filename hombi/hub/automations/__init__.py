"""What the house does by itself."""

from hombi.hub.automations.changes import (
    AddAutomation,
    ChangeAutomation,
    RemoveAutomation,
    RunActions,
)
from hombi.hub.automations.part import Automations
from hombi.hub.automations.runner import Runner

__all__ = [
    "AddAutomation",
    "Automations",
    "ChangeAutomation",
    "RemoveAutomation",
    "RunActions",
    "Runner",
]
