"""`wait`: the actions after it come later."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, ClassVar

import msgspec

from hombi.core.automation.text import only_keys, span_ms
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_span


class Wait(msgspec.Struct, frozen=True):
    """The rest of the list comes after so long. A wait survives a restart; that of a
    start is over when the automation ends."""

    ms: int

    word: ClassVar[str] = "wait"

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Wait | None:
        """Understand it from its table."""
        only_keys(toml, path, table, {"wait"})
        ms = span_ms(toml, path, table, "wait", required=True)
        return cls(ms) if ms else None

    def sentence(self, name: Callable[[str], str]) -> str:
        return f"{show_span(self.ms)} later"
