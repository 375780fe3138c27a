"""The actions of an automation, one file each: how it is written, what is wrong with
one, what it wants done, and how it reads."""

from hombi.core.automation.actions.base import Action, ActionWord, Effect
from hombi.core.automation.actions.notify import Notify, Tell, fill
from hombi.core.automation.actions.switch import Switch, SwitchTo

# By their word in a text; one more file is one more line here.
ACTIONS: dict[str, ActionWord] = {"switch": Switch, "notify": Notify}

__all__ = [
    "ACTIONS",
    "Action",
    "ActionWord",
    "Effect",
    "Notify",
    "Switch",
    "SwitchTo",
    "Tell",
    "fill",
]
