"""Automations: their text, their meaning, and the state machine that runs them."""

from hombi.core.automation.model import Automation, Condition, Lost, Notify, Only, Switch, Watch
from hombi.core.automation.parse import Parsed, fill, parse
from hombi.core.automation.sentence import sentence
from hombi.core.automation.step import Edge, EdgeKind, Phase, State, Why, due_ms, ended, step
from hombi.core.automation.write import Threshold, write

__all__ = [
    "Automation",
    "Condition",
    "Edge",
    "EdgeKind",
    "Lost",
    "Notify",
    "Only",
    "Parsed",
    "Phase",
    "State",
    "Switch",
    "Threshold",
    "Watch",
    "Why",
    "due_ms",
    "ended",
    "fill",
    "parse",
    "sentence",
    "step",
    "write",
]
