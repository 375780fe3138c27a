"""`within` and `outside`: the value is between two limits, or beyond them."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Any, ClassVar, Self

from hombi.core.automation.text import quantity
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_limit, show_value


@dataclass(frozen=True, slots=True)
class _Range(ABC):
    """Between `low` and `high`, both within."""

    low: float
    high: float
    until: ClassVar[None] = None

    word: ClassVar[str]

    @property
    def limit(self) -> float:
        return self.low

    @classmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> Self | None:
        """Understand it from the table that watches."""
        given = table[cls.word]
        if kind.words is not None:
            what = f"a {kind.name} has two states, and is not {cls.word} anything"
            toml.blame((*path, cls.word), what, f'write is = "{kind.words[1]}"')
            return None
        if not isinstance(given, list) or len(given) != 2:
            hint = f'write {cls.word} = ["{kind.low:g} {kind.unit}", "{kind.high:g} {kind.unit}"]'
            toml.blame((*path, cls.word), f"{cls.word} has two limits in brackets", hint)
            return None
        if "until" in table:
            what = "until goes with over, under, rising and falling"
            hint = f"with {cls.word}, it ends when that is so no more"
            toml.blame((*path, "until"), what, hint)
        low, high = (
            quantity(toml, (*path, cls.word, place), one, kind) for place, one in enumerate(given)
        )
        if low is None or high is None:
            return None
        if low >= high:
            toml.blame((*path, cls.word), "the first limit must be the lower one")
            return None
        return cls(low, high)

    def ends_with(self, value: float) -> bool:
        return not self.starts_with(value)

    @abstractmethod
    def starts_with(self, value: float) -> bool:
        """Whether this value is on the side that counts."""

    def sentence(self, kind: Kind) -> str:
        return f"{self.word} {show_limit(self.low, kind)} to {show_limit(self.high, kind)}"

    def sentence_until(self, kind: Kind) -> str:
        return ""

    def seen(self, value: float, kind: Kind) -> str:
        return f"{show_value(value, kind)} {self.sentence(kind)}"


class Within(_Range):
    """Between both limits; at them is between."""

    __slots__ = ()
    word = "within"

    def starts_with(self, value: float) -> bool:
        return self.low <= value <= self.high


class Outside(_Range):
    """Beyond one of the limits."""

    __slots__ = ()
    word = "outside"

    def starts_with(self, value: float) -> bool:
        return not self.low <= value <= self.high
