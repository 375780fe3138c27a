"""The comparisons of a watch, a file for each sort: how it is written, what is wrong
with one, what it says of a value, and how it reads."""

from hombi.core.automation.comparisons.base import Comparison, ComparisonWord
from hombi.core.automation.comparisons.is_ import Is, IsNot
from hombi.core.automation.comparisons.ranges import Outside, Within
from hombi.core.automation.comparisons.sides import Over, Under
from hombi.core.automation.comparisons.slopes import Falling, Rising, Slope
from hombi.core.automation.comparisons.timed import Changes, Silent, Timed

# By their word in a text; one more file is one more line here.
COMPARISONS: dict[str, ComparisonWord] = {
    word.word: word
    for word in (Over, Under, Within, Outside, Is, IsNot, Rising, Falling, Changes, Silent)
}

__all__ = [
    "COMPARISONS",
    "Changes",
    "Comparison",
    "ComparisonWord",
    "Is",
    "IsNot",
    "Outside",
    "Over",
    "Silent",
    "Slope",
    "Timed",
    "Under",
    "Within",
]
