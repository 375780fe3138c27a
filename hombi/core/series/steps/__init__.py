"""The steps of a chain, one file each."""

from hombi.core.series.steps.base import Measured, Step
from hombi.core.series.steps.convert import Convert
from hombi.core.series.steps.limits import Limits

__all__ = ["Convert", "Limits", "Measured", "Step"]
