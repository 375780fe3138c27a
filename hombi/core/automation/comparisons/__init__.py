"""The comparisons of a watch: a module for each sort, with everything about it.

A module of this package that has a comparison with a word is enough; so is one outside,
which an entry point of the group `hombi.comparisons` names.
"""

from __future__ import annotations

from hombi.core.automation.comparisons.base import Comparison
from hombi.core.automation.comparisons.is_ import Is
from hombi.core.automation.comparisons.ranges import Within
from hombi.core.automation.comparisons.slopes import Slope
from hombi.core.automation.comparisons.timed import Silent, Timed
from hombi.core.automation.installed import installed_words

GROUP = "hombi.comparisons"


COMPARISONS = installed_words(__name__, __path__, Comparison, GROUP)

__all__ = ["COMPARISONS", "Comparison", "Is", "Silent", "Slope", "Timed", "Within"]
