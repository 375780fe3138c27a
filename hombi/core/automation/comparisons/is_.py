"""`is`: the value is this one, until it is another."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar, Self

from hombi.core.automation.comparisons.base import Comparison
from hombi.core.automation.text import quantity
from hombi.core.kinds import Kind
from hombi.core.same import same
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_limit, show_value


@dataclass(frozen=True, slots=True)
class _Exactly(Comparison):
    """Exactly `limit`, or anything else."""

    limit: float
    # Values this near to it are shown as the same one.
    step: float = 0.0
    until: ClassVar[None] = None  # type: ignore[misc]
    so_while = "this one, or any other"

    @classmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> Self | None:
        """Understand it from the table that watches."""
        limit = quantity(toml, (*path, cls.word), table[cls.word], kind)
        if "until" in table:
            what = "until goes with over, under, rising and falling"
            hint = f"with {cls.word}, it ends when that is so no more"
            toml.blame((*path, "until"), what, hint)
        return None if limit is None else cls(limit, 0.0 if kind.words else kind.step)

    def ends_with(self, value: float) -> bool:
        return not self.starts_with(value)

    def seen(self, value: float, kind: Kind) -> str:
        shown = show_value(value, kind)
        return f"it is {shown}" if kind.words else f"{shown} is {self.sentence(kind)}"


class Is(_Exactly):
    """It is this one."""

    __slots__ = ()
    word = "is"
    means = "exactly this"
    examples = ("open", "on")
    place = 30.0
    exact = True

    def span(self) -> tuple[float, float]:
        return self.limit, self.limit

    def starts_with(self, value: float) -> bool:
        return same(value, self.limit, self.step)

    def sentence(self, kind: Kind) -> str:
        return show_limit(self.limit, kind)


class IsNot(_Exactly):
    """It is another one."""

    __slots__ = ()
    word = "is_not"
    means = "anything but this"
    examples = ("closed",)
    place = 31.0

    def starts_with(self, value: float) -> bool:
        return not same(value, self.limit, self.step)

    def sentence(self, kind: Kind) -> str:
        return f"not {show_limit(self.limit, kind)}"
