"""`is`: the value is this one, until it is another."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from hombi.core.automation.text import quantity
from hombi.core.kinds import Kind
from hombi.core.toml_text import TomlText
from hombi.core.values import show_limit, show_value


@dataclass(frozen=True, slots=True)
class Is:
    """Exactly `limit`."""

    limit: float
    until: ClassVar[None] = None

    word: ClassVar[str] = "is"

    @classmethod
    def parse(cls, toml: TomlText, table: dict[str, Any], kind: Kind) -> Is | None:
        """Understand it from [watch]."""
        limit = quantity(toml, ("watch", "is"), table["is"], kind)
        if "until" in table:
            what = "until goes with over and under"
            hint = "with is, it ends when the value is another one"
            toml.blame(("watch", "until"), what, hint)
        return None if limit is None else cls(limit)

    def starts_with(self, value: float) -> bool:
        return value == self.limit

    def ends_with(self, value: float) -> bool:
        return value != self.limit

    def sentence(self, kind: Kind) -> str:
        return show_limit(self.limit, kind)

    def sentence_until(self, kind: Kind) -> str:
        return ""

    def seen(self, value: float, kind: Kind) -> str:
        shown = show_value(value, kind)
        return f"it is {shown}" if kind.words else f"{shown} is {show_limit(self.limit, kind)}"
