"""The steps of a chain, one file each."""

from hombi.core.series.steps.base import Measured, Step
from hombi.core.series.steps.by_formula import ByFormula
from hombi.core.series.steps.clamp import Clamp
from hombi.core.series.steps.clips import Clips
from hombi.core.series.steps.convert import Convert
from hombi.core.series.steps.despike import Despike
from hombi.core.series.steps.hold_off import HoldOff
from hombi.core.series.steps.limits import Limits
from hombi.core.series.steps.linear import Linear
from hombi.core.series.steps.low_pass import LowPass
from hombi.core.series.steps.median import Median
from hombi.core.series.steps.no_value import NoValue
from hombi.core.series.steps.resample import Resample
from hombi.core.series.steps.stuck import Stuck
from hombi.core.series.steps.turning import Settle

__all__ = [
    "ByFormula",
    "Clamp",
    "Clips",
    "Convert",
    "Despike",
    "HoldOff",
    "Limits",
    "Linear",
    "LowPass",
    "Measured",
    "Median",
    "NoValue",
    "Resample",
    "Settle",
    "Step",
    "Stuck",
]
