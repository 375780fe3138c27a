"""How entities' values are conditioned: by which steps, since when, and over the past.

An entity has a list of plans. Each holds from a moment on, and from its moment on the
latest one counts: one that holds from the beginning corrects the whole past. Samples
are never changed, so a plan can be taken back, and what was before comes back with it.
"""

from hombi.hub.conditioning.calibrating import CalibrateEntity, calibrated, reference_of
from hombi.hub.conditioning.changes import ConditionEntity, UndoConditioning, conditionable
from hombi.hub.conditioning.part import Conditioning
from hombi.hub.conditioning.plans import Conditioned, Version
from hombi.hub.conditioning.trying import Tried, suggested, tried

__all__ = [
    "CalibrateEntity",
    "ConditionEntity",
    "Conditioned",
    "Conditioning",
    "Tried",
    "UndoConditioning",
    "Version",
    "calibrated",
    "conditionable",
    "reference_of",
    "suggested",
    "tried",
]
