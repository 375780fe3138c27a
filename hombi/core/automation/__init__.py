"""Automations: their text, their meaning, and the state machine that runs them."""

from hombi.core.automation.account import Account, account
from hombi.core.automation.actions import ACTIONS, Action, Effect, Notify, Switch, SwitchTo, Tell
from hombi.core.automation.advice import advise, limits
from hombi.core.automation.comparisons import COMPARISONS, Comparison, Is, Over, Under
from hombi.core.automation.machine import (
    Began,
    EdgeKind,
    Event,
    Passed,
    Phase,
    Seen,
    Sight,
    State,
    Step,
    Taken,
    Why,
    World,
    due_ms,
    step,
)
from hombi.core.automation.only import DAY_NAMES, Only
from hombi.core.automation.parse import Parsed, parse
from hombi.core.automation.program import Lost, Program, Watch
from hombi.core.automation.replay import Course, Replayed, replay
from hombi.core.automation.write import Threshold, write

__all__ = [
    "ACTIONS",
    "COMPARISONS",
    "DAY_NAMES",
    "Account",
    "Action",
    "Began",
    "Comparison",
    "Course",
    "EdgeKind",
    "Effect",
    "Event",
    "Is",
    "Lost",
    "Notify",
    "Only",
    "Over",
    "Parsed",
    "Passed",
    "Phase",
    "Program",
    "Replayed",
    "Seen",
    "Sight",
    "State",
    "Step",
    "Switch",
    "SwitchTo",
    "Taken",
    "Tell",
    "Threshold",
    "Under",
    "Watch",
    "Why",
    "World",
    "account",
    "advise",
    "due_ms",
    "limits",
    "parse",
    "replay",
    "step",
    "write",
]
