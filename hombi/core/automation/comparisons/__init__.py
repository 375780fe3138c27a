"""The comparisons of a watch, one file each: how it is written, what is wrong with one,
what it says of a value, and how it reads."""

from hombi.core.automation.comparisons.base import Comparison, ComparisonWord
from hombi.core.automation.comparisons.is_ import Is
from hombi.core.automation.comparisons.over import Over
from hombi.core.automation.comparisons.under import Under

# By their word in a text; one more file is one more line here.
COMPARISONS: dict[str, ComparisonWord] = {"over": Over, "under": Under, "is": Is}

__all__ = ["COMPARISONS", "Comparison", "ComparisonWord", "Is", "Over", "Under"]
