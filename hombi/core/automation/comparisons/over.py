"""`over`: the value is above a limit, until it is back at `until` or below."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from hombi.core.automation.comparisons.sides import check_limit, read_until
from hombi.core.automation.text import quantity
from hombi.core.kinds import Kind
from hombi.core.toml_text import TomlText
from hombi.core.values import show_limit, show_value


@dataclass(frozen=True, slots=True)
class Over:
    """Above `limit`."""

    limit: float
    until: float | None = None

    word: ClassVar[str] = "over"

    @classmethod
    def parse(cls, toml: TomlText, table: dict[str, Any], kind: Kind) -> Over | None:
        """Understand it from [watch]."""
        limit = quantity(toml, ("watch", "over"), table["over"], kind)
        check_limit(toml, "over", kind)
        until = read_until(toml, table, kind)
        if limit is None:
            return None
        shown = show_limit(limit, kind)
        if until is not None and until > limit:
            toml.blame(("watch", "until"), f"until must lie below the limit, {shown}")
        if limit >= kind.high and kind.words is None:
            what = f"a {kind.name} is never over {shown}"
            toml.blame(("watch", "over"), what, f"it goes up to {show_limit(kind.high, kind)}")
        return cls(limit, until)

    def starts_with(self, value: float) -> bool:
        return value > self.limit

    def ends_with(self, value: float) -> bool:
        return value <= (self.limit if self.until is None else self.until)

    def sentence(self, kind: Kind) -> str:
        return f"over {show_limit(self.limit, kind)}"

    def sentence_until(self, kind: Kind) -> str:
        return "" if self.until is None else f"under {show_limit(self.until, kind)}"

    def seen(self, value: float, kind: Kind) -> str:
        return f"{show_value(value, kind)} over {show_limit(self.limit, kind)}"
