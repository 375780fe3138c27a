"""`over` and `under`: the value is on one side of a limit, until it is back at `until`
or past it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Self

from hombi.core.automation.comparisons.base import Comparison, use_is
from hombi.core.automation.text import quantity
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_limit, show_value


@dataclass(frozen=True, slots=True)
class _Side(Comparison):
    """One side of `limit`. `side` turns `under` into `over` of the negated values."""

    limit: float
    until: float | None = None

    so_while = "on that side of the limit, until it is back at `until` (or at the limit)"
    beside: ClassVar[Mapping[str, str]] = {"until": "Until it is back at", **Comparison.beside}
    _back: ClassVar[str]

    @classmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> Self | None:
        """Understand it from the table that watches."""
        limit = quantity(toml, (*path, cls.word), table[cls.word], kind)
        if kind.words is not None:
            what = f"a {kind.name} is not over or under"
            toml.blame((*path, cls.word), what, use_is(kind))
        elif not kind.arithmetic.ordered and not kind.moment:
            what = f"no {kind.shown} is over or under another"
            toml.blame((*path, cls.word), what, 'write within = ["330 °", "30 °"]: clockwise')
        until = None
        if "until" in table:
            until = quantity(toml, (*path, "until"), table["until"], kind)
        if limit is None:
            return None
        shown = show_limit(limit, kind)
        if until is not None and cls.side * (until - limit) > 0:
            where = "below" if cls.side > 0 else "above"
            toml.blame((*path, "until"), f"until must lie {where} the limit, {shown}")
        last, goes = (kind.high, "up") if cls.side > 0 else (kind.low, "down")
        if cls.side * (limit - last) >= 0 and kind.measures:
            what = f"a {kind.name} is never {cls.word} {shown}"
            toml.blame((*path, cls.word), what, f"it goes {goes} to {show_limit(last, kind)}")
        return cls(limit, until)

    @classmethod
    def parse_followed(
        cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind
    ) -> Self | None:
        if kind.words is not None:
            toml.blame(path, f"a {kind.name} has states, and follows no limit")
            return None
        if not kind.arithmetic.ordered:
            toml.blame(path, f"a {kind.shown} has no order, and follows no limit")
            return None
        limit, until = (
            quantity(toml, (*path, key), table[key], kind) if key in table else None
            for key in (cls.word, "until")
        )
        return cls(math.nan if limit is None else limit, until)

    def starts_with(self, value: float) -> bool:
        return self.side * value > self.side * self.limit

    def ends_with(self, value: float) -> bool:
        until = self.limit if self.until is None else self.until
        return self.side * value <= self.side * until

    def sentence(self, kind: Kind) -> str:
        return f"{self.word} {show_limit(self.limit, kind)}"

    def sentence_until(self, kind: Kind) -> str:
        return "" if self.until is None else f"{self._back} {show_limit(self.until, kind)}"

    def back(self, until: str) -> str:
        return f"{self._back} {until}"

    def seen(self, value: float, kind: Kind) -> str:
        return f"{show_value(value, kind)} {self.word} {show_limit(self.limit, kind)}"


class Over(_Side):
    """Above `limit`, until it is back at `until` or below."""

    __slots__ = ()
    word = "over"
    means = "above this value, or a formula"
    examples = ("28 °C", "= terrace-mast/temperature + 2 K")
    place = 10.0
    side = 1
    formulas: ClassVar[Mapping[str, Path]] = {"limit": ("over",), "until": ("until",)}
    _back = "under"

    def span(self) -> tuple[float, float]:
        return self.limit, math.inf


class Under(_Side):
    """Below `limit`, until it is back at `until` or above."""

    __slots__ = ()
    word = "under"
    means = "below this value, or a formula"
    examples = ("82 %",)
    place = 11.0
    side = -1
    formulas: ClassVar[Mapping[str, Path]] = {"limit": ("under",), "until": ("until",)}
    _back = "over"

    def span(self) -> tuple[float, float]:
        return -math.inf, self.limit
