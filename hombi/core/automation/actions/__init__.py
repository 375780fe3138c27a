"""The actions of an automation: a module for each, with everything about it."""

from hombi.core.automation.actions.base import ACTIONS, Action, ActionWord, read_action
from hombi.core.automation.actions.branch import Branch
from hombi.core.automation.actions.do import Do, Doing
from hombi.core.automation.actions.duty import Duty, OnDuty
from hombi.core.automation.actions.move import Move, MoveBy
from hombi.core.automation.actions.notify import Notify, Tell, fill
from hombi.core.automation.actions.run import Run
from hombi.core.automation.actions.scene import Recall, Scene
from hombi.core.automation.actions.set_ import Set, Tune, TuneTo
from hombi.core.automation.actions.switch import Other, Switch, SwitchOver, SwitchTo
from hombi.core.automation.actions.together import Together
from hombi.core.automation.actions.wait import Wait
from hombi.core.automation.actions.wait_until import WaitUntil
from hombi.core.automation.effects import Effect
from hombi.core.automation.installed import installed_words

GROUP = "hombi.actions"


# Those of the modules of this package, and those that entry points of the group name.
ACTIONS |= installed_words(__name__, __path__, ActionWord, GROUP)

# What stands in a list of actions: what wants something done, and what says when.
Step = Action | Wait | WaitUntil | Branch | Together | Run

__all__ = [
    "ACTIONS",
    "Action",
    "ActionWord",
    "Branch",
    "Do",
    "Doing",
    "Duty",
    "Effect",
    "Move",
    "MoveBy",
    "Notify",
    "OnDuty",
    "Other",
    "Recall",
    "Run",
    "Scene",
    "Set",
    "Step",
    "Switch",
    "SwitchOver",
    "SwitchTo",
    "Tell",
    "Together",
    "Tune",
    "TuneTo",
    "Wait",
    "WaitUntil",
    "fill",
    "read_action",
]
