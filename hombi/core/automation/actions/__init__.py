"""The actions of an automation, one file each: how it is written, what is wrong with
one, what it wants done, and how it reads."""

from hombi.core.automation.actions.base import Action, ActionWord, Effect
from hombi.core.automation.actions.notify import Notify, Tell, fill
from hombi.core.automation.actions.scene import Recall, Scene
from hombi.core.automation.actions.set_ import Set
from hombi.core.automation.actions.switch import Switch, SwitchTo
from hombi.core.automation.actions.wait import Wait

# By their word in a text; one more file is one more line here.
ACTIONS: dict[str, ActionWord] = {word.word: word for word in (Switch, Set, Scene, Notify, Wait)}

__all__ = [
    "ACTIONS",
    "Action",
    "ActionWord",
    "Effect",
    "Notify",
    "Recall",
    "Scene",
    "Set",
    "Switch",
    "SwitchTo",
    "Tell",
    "Wait",
    "fill",
]
