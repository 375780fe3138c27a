"""What a comparison is."""

from __future__ import annotations

from typing import Any, ClassVar, Protocol

from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText


class Comparison(Protocol):
    """How a watched value is compared. `limit` and `until` are in the kind's unit."""

    word: ClassVar[str]

    @property
    def limit(self) -> float: ...

    @property
    def until(self) -> float | None:
        """The value at which it ends, when that differs from the limit."""

    def starts_with(self, value: float) -> bool:
        """Whether this value is on the side that counts."""

    def ends_with(self, value: float) -> bool:
        """Whether this value ends what has started."""

    def sentence(self, kind: Kind) -> str:
        """As in "When the humidity is …"."""

    def sentence_until(self, kind: Kind) -> str:
        """As in "…, until it is back …"; "" when it ends at its limit."""

    def seen(self, value: float, kind: Kind) -> str:
        """What was compared when it started, in words."""


class ComparisonWord(Protocol):
    """The word of a comparison in a text."""

    def parse(
        self, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind
    ) -> Comparison | None:
        """Understand it from the table that watches; what is wrong is noted there."""
