"""`changes` and `silent`: not what a value is, but when it moved or was heard last."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar, Self

from hombi.core.automation.text import span_ms
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_span

USUAL = "usual"


@dataclass(frozen=True, slots=True)
class Timed:
    """What depends on the time that has passed since something; no value starts or ends
    it."""

    span_ms: int
    limit: ClassVar[float] = 0.0
    until: ClassVar[None] = None
    word: ClassVar[str]

    def starts_with(self, value: float) -> bool:
        return False

    def ends_with(self, value: float) -> bool:
        return False

    def sentence_until(self, kind: Kind) -> str:
        return ""

    @classmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> Self | None:
        """Understand it from the table that watches."""
        for key in ("until", "held", "until_held", "lost"):
            if key in table:
                hint = f"leave {key} out"
                toml.blame((*path, key), f"{key} does not go with {cls.word}", hint)
        return cls._read(toml, path, table)

    @classmethod
    def _read(cls, toml: TomlText, path: Path, table: dict[str, Any]) -> Self | None:
        result = span_ms(toml, path, table, cls.word, required=True)
        return cls(result) if result else None


class Changes(Timed):
    """It is another value than before, and so for `span_ms` after its last change."""

    __slots__ = ()
    word = "changes"

    def sentence(self, kind: Kind) -> str:
        return f"changing, until it stays the same for {show_span(self.span_ms)}"

    def seen(self, value: float, kind: Kind) -> str:
        return "it changed"


class Silent(Timed):
    """It was not heard for `span_ms`; 0 for longer than is usual for it."""

    __slots__ = ()
    word = "silent"

    @classmethod
    def _read(cls, toml: TomlText, path: Path, table: dict[str, Any]) -> Self | None:
        return cls(0) if table[cls.word] == USUAL else super()._read(toml, path, table)

    def sentence(self, kind: Kind) -> str:
        if not self.span_ms:
            return "silent for longer than usual"
        return f"silent for {show_span(self.span_ms)}"

    def seen(self, value: float, kind: Kind) -> str:
        return "it is not heard"
