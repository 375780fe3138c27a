"""`within` and `outside`: the value is between two limits, or beyond them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Self

from hombi.core.arithmetic import LINE, Arithmetic
from hombi.core.automation import describing
from hombi.core.automation.comparisons.base import Comparison, use_is
from hombi.core.automation.form import Field, optional
from hombi.core.automation.text import quantity
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_limit, show_value


@dataclass(frozen=True, slots=True)
class _Range(Comparison):
    """Between `low` and `high`, both within."""

    low: float
    high: float
    # How values of the kind are calculated with: a range of directions goes clockwise.
    arithmetic: Arithmetic = LINE
    until: ClassVar[None] = None  # type: ignore[misc]

    @property
    def limit(self) -> float:  # type: ignore[override]
        return self.low

    @property
    def possible(self) -> bool:
        return self.low < self.high if self.arithmetic.ordered else self.low != self.high

    @property
    def numbers(self) -> dict[str, float]:
        return {"low": self.low, "high": self.high}

    @classmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> Self | None:
        """Understand it from the table that watches."""
        made = cls.parse_followed(toml, path, table, kind)
        if made is None or made.possible:
            return made
        wrong = "the first limit must be the lower one"
        toml.blame((*path, cls.word), wrong if kind.measures else "the two limits must differ")
        return None

    @classmethod
    def parse_followed(
        cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind
    ) -> Self | None:
        given = table[cls.word]
        if not kind.a_number:
            has = "has two states" if kind.two_states else "is no measurement"
            what = f"a {kind.name} {has}, and is not {cls.word} anything"
            toml.blame((*path, cls.word), what, use_is(kind))
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
        return None if low is None or high is None else cls(low, high, kind.arithmetic)

    def ends_with(self, value: float) -> bool:
        return not self.starts_with(value)

    def sentence(self, kind: Kind) -> str:
        return f"{self.word} {show_limit(self.low, kind)} to {show_limit(self.high, kind)}"

    def ended(self, value: float, target: float, kind: Kind) -> str:
        return f"{show_value(value, kind)}, no longer {self.sentence(kind)}"

    @classmethod
    def schema(cls) -> dict[str, Any]:
        return {
            **describing.listed(cls.means, {"type": "string"}),
            "minItems": 2,
            "maxItems": 2,
            "examples": list(cls.examples),
            describing.TAKES: cls.takes,
        }

    @classmethod
    def fields(cls, table: Mapping[str, Any], path: Path) -> Iterator[Field]:
        both, about = table[cls.word], table.get("entity", "the value")
        if isinstance(both, list) and len(both) == 2 and all(isinstance(v, str) for v in both):
            for place, end in enumerate(("from", "to")):
                yield Field((*path, cls.word, place), f"{about} {cls.word}, {end}", both[place])
            yield from optional(table, path, cls.beside)

    def seen(self, value: float, kind: Kind) -> str:
        return f"{show_value(value, kind)} {self.sentence(kind)}"


class Within(_Range):
    """Between both limits; at them is between."""

    __slots__ = ()
    word = "within"
    means = "between these two values"
    examples = (["18 °C", "22 °C"],)
    so_while = "between both, or at one of them"
    place = 20.0
    exact = True
    formulas: ClassVar[Mapping[str, Path]] = {"low": ("within", 0), "high": ("within", 1)}

    def span(self) -> tuple[float, float]:
        return (self.low, self.high) if self.arithmetic.ordered else Comparison.span(self)

    def starts_with(self, value: float) -> bool:
        return self.arithmetic.between(value, self.low, self.high)


class Outside(_Range):
    """Beyond one of the limits."""

    __slots__ = ()
    word = "outside"
    means = "beyond one of these two values"
    examples = (["18 °C", "22 °C"],)
    so_while = "beyond one of them"
    place = 21.0
    formulas: ClassVar[Mapping[str, Path]] = {"low": ("outside", 0), "high": ("outside", 1)}

    def starts_with(self, value: float) -> bool:
        return not self.arithmetic.between(value, self.low, self.high)
