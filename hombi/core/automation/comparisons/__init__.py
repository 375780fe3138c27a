"""The comparisons of a watch, a file for each sort: how it is written, what is wrong
with one, what it says of a value, and how it reads."""

from hombi.core.automation.comparisons.base import Comparison, ComparisonWord
from hombi.core.automation.comparisons.is_ import Is, IsNot
from hombi.core.automation.comparisons.ranges import Outside, Within
from hombi.core.automation.comparisons.sides import Over, Under

# By their word in a text; one more file is one more line here.
COMPARISONS: dict[str, ComparisonWord] = {
    word.word: word for word in (Over, Under, Within, Outside, Is, IsNot)
}

__all__ = [
    "COMPARISONS",
    "Comparison",
    "ComparisonWord",
    "Is",
    "IsNot",
    "Outside",
    "Over",
    "Under",
    "Within",
]
