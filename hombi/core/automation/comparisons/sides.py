"""`over` and `under`: the value is on one side of a limit, until it is back at `until`
or past it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar, Self

from hombi.core.automation.text import quantity
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_limit, show_value


@dataclass(frozen=True, slots=True)
class _Side:
    """One side of `limit`. `_sign` turns `under` into `over` of the negated values."""

    limit: float
    until: float | None = None

    word: ClassVar[str]
    _back: ClassVar[str]
    _sign: ClassVar[int]

    @classmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> Self | None:
        """Understand it from the table that watches."""
        limit = quantity(toml, (*path, cls.word), table[cls.word], kind)
        if kind.words is not None:
            what = f"a {kind.name} is not over or under"
            toml.blame((*path, cls.word), what, f'write is = "{kind.words[1]}"')
        until = None
        if "until" in table:
            until = quantity(toml, (*path, "until"), table["until"], kind)
        if limit is None:
            return None
        shown = show_limit(limit, kind)
        if until is not None and cls._sign * (until - limit) > 0:
            where = "below" if cls._sign > 0 else "above"
            toml.blame((*path, "until"), f"until must lie {where} the limit, {shown}")
        last, goes = (kind.high, "up") if cls._sign > 0 else (kind.low, "down")
        if cls._sign * (limit - last) >= 0 and kind.words is None:
            what = f"a {kind.name} is never {cls.word} {shown}"
            toml.blame((*path, cls.word), what, f"it goes {goes} to {show_limit(last, kind)}")
        return cls(limit, until)

    def starts_with(self, value: float) -> bool:
        return self._sign * value > self._sign * self.limit

    def ends_with(self, value: float) -> bool:
        until = self.limit if self.until is None else self.until
        return self._sign * value <= self._sign * until

    def sentence(self, kind: Kind) -> str:
        return f"{self.word} {show_limit(self.limit, kind)}"

    def sentence_until(self, kind: Kind) -> str:
        return "" if self.until is None else f"{self._back} {show_limit(self.until, kind)}"

    def seen(self, value: float, kind: Kind) -> str:
        return f"{show_value(value, kind)} {self.word} {show_limit(self.limit, kind)}"


class Over(_Side):
    """Above `limit`, until it is back at `until` or below."""

    __slots__ = ()
    word = "over"
    _back = "under"
    _sign = 1


class Under(_Side):
    """Below `limit`, until it is back at `until` or above."""

    __slots__ = ()
    word = "under"
    _back = "over"
    _sign = -1
