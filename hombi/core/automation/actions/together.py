"""`together`: several actions side by side; what follows comes when all are done."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

from hombi.core.automation import describing
from hombi.core.automation.actions.base import ActionWord, read_action
from hombi.core.automation.describing import Schema
from hombi.core.automation.text import only_keys
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Path, TomlText

MOST_LANES = 10


class Together(ActionWord, frozen=True):
    """Actions of which none waits for another, like sequences with waits of their
    own."""

    lanes: tuple[Any, ...]

    word: ClassVar[str] = "together"
    place: ClassVar[float] = 61.0
    does: ClassVar[str] = "these side by side; what follows comes when all of them are done"
    keys: ClassVar[Mapping[str, Schema]] = {
        "together": describing.listed("these side by side", {"type": "object"}),
    }

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Together | None:
        """Understand it from its table."""
        only_keys(toml, path, table, set(cls.keys))
        own, given = (*path, "together"), table["together"]
        listed = isinstance(given, list) and all(isinstance(one, dict) for one in given)
        if not listed or not 2 <= len(given) <= MOST_LANES:
            hint = 'write together = [ { run = "…" }, { run = "…" } ]'
            toml.blame(own, f"together is a list of 2 to {MOST_LANES} tables in braces", hint)
            return None
        lanes = [read_action(toml, (*own, n), one, facts) for n, one in enumerate(given)]
        return cls(tuple(lanes)) if None not in lanes else None

    def sentence(self, name: Callable[[str], str]) -> str:
        return "side by side " + " and ".join(lane.sentence(name) for lane in self.lanes)
