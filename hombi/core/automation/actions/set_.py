"""`set`: give an entity that can be set a value, like a level."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from hombi.core.automation.actions.switch import SwitchTo
from hombi.core.automation.text import entity, only_keys, quantity, span_ms, text
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_span


@dataclass(frozen=True, slots=True)
class Set:
    """The action: `to` is in the kind's unit. After `for_ms` it goes back to what it
    was."""

    entity: str
    to: float
    shown: str
    for_ms: int = 0

    word: ClassVar[str] = "set"

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Set | None:
        """Understand it from its table."""
        only_keys(toml, path, table, {"set", "to", "for"})
        address = text(toml, path, table, "set", required=True)
        found = entity(toml, (*path, "set"), address, facts)
        to = text(toml, path, table, "to", required=True)
        for_ms = span_ms(toml, path, table, "for")
        if found is None:
            return None
        if not found.writable:
            can = sorted(a for a, f in facts.entities.items() if f.writable)[:4]
            hint = f"these can: {', '.join(can)}" if can else "nothing here can yet"
            toml.blame((*path, "set"), f"{address} cannot be set", hint)
            return None
        value = quantity(toml, (*path, "to"), to, found.kind) if to else None
        if value is None:
            return None
        return cls(address, value, to.strip(), for_ms)

    def effect(self, fields: Mapping[str, str]) -> SwitchTo:
        return SwitchTo(self.entity, self.to, self.shown)

    def back(self, now: float | None) -> float | None:
        """To what it goes back: what it was, where that is known."""
        return now

    def sentence(self, name: Callable[[str], str]) -> str:
        lasts = f" for {show_span(self.for_ms)}" if self.for_ms else ""
        return f"{name(self.entity)} to {self.shown}{lasts}"
