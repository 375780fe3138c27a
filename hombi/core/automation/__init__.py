"""Automations: their text, their meaning, and the state machine that runs them."""

from hombi.core.automation.model import Automation, Condition, Notify, Only, Switch, Watch
from hombi.core.automation.parse import Parsed, parse
from hombi.core.automation.sentence import sentence
from hombi.core.automation.step import Edge, Phase, State, Why, due_ms, step
from hombi.core.automation.write import Threshold, write

__all__ = [
    "Automation",
    "Condition",
    "Edge",
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
    "parse",
    "sentence",
    "step",
    "write",
]
