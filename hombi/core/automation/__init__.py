"""Automations: their text, their meaning, and the state machine that runs them."""

from hombi.core.automation.account import Account, account
from hombi.core.automation.actions import (
    ACTIONS,
    Action,
    Doing,
    Duty,
    Effect,
    Notify,
    OnDuty,
    Recall,
    Scene,
    Set,
    Switch,
    SwitchOver,
    SwitchTo,
    Tell,
    TuneTo,
    Wait,
)
from hombi.core.automation.actions.sequence import Sequence, read_sequence
from hombi.core.automation.acts import let_go, reminds
from hombi.core.automation.advice import advise, limits
from hombi.core.automation.comparisons import (
    COMPARISONS,
    Comparison,
)
from hombi.core.automation.machine import alone, due_ms, lost_ms, rejoined, step
from hombi.core.automation.only import DAY_NAMES, Only
from hombi.core.automation.parse import Parsed, parse
from hombi.core.automation.program import Again, Program, Remind
from hombi.core.automation.rehearse import Named, Rehearsed, Said, rehearse
from hombi.core.automation.replay import Course, Replayed, replay
from hombi.core.automation.schema import schema
from hombi.core.automation.state import (
    Acknowledged,
    Began,
    Called,
    EdgeKind,
    Event,
    Handled,
    Passed,
    Phase,
    Seen,
    Sight,
    State,
    Step,
    Taken,
    Waiting,
    Why,
    World,
)
from hombi.core.automation.watch import Lost, Watch
from hombi.core.automation.write import Threshold, write

__all__ = [
    "ACTIONS",
    "COMPARISONS",
    "DAY_NAMES",
    "Account",
    "Acknowledged",
    "Action",
    "Again",
    "Began",
    "Called",
    "Comparison",
    "Course",
    "Doing",
    "Duty",
    "EdgeKind",
    "Effect",
    "Event",
    "Handled",
    "Lost",
    "Named",
    "Notify",
    "OnDuty",
    "Only",
    "Parsed",
    "Passed",
    "Phase",
    "Program",
    "Recall",
    "Rehearsed",
    "Remind",
    "Replayed",
    "Said",
    "Scene",
    "Seen",
    "Sequence",
    "Set",
    "Sight",
    "State",
    "Step",
    "Switch",
    "SwitchOver",
    "SwitchTo",
    "Taken",
    "Tell",
    "Threshold",
    "TuneTo",
    "Wait",
    "Waiting",
    "Watch",
    "Why",
    "World",
    "account",
    "advise",
    "alone",
    "due_ms",
    "let_go",
    "limits",
    "lost_ms",
    "parse",
    "read_sequence",
    "rehearse",
    "rejoined",
    "reminds",
    "replay",
    "schema",
    "step",
    "write",
]
