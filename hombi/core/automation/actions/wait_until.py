"""`wait_until`: the actions after it come when something is so."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

from hombi.core.automation import describing
from hombi.core.automation.actions.base import ActionWord
from hombi.core.automation.describing import Schema
from hombi.core.automation.text import only_keys, span_ms, text
from hombi.core.automation.watch import Watch
from hombi.core.automation.watching import STATE, read_part
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_span

DAY_MS = 86_400_000
_OTHERWISE = {"go on": True, "stop": False}


class WaitUntil(ActionWord, frozen=True):
    """The rest of the list comes when an entity is so; after `at_most_ms` it comes all
    the same, or (not `goes_on`) not at all. One that `confirms` asks only whether what
    was switched a moment ago is so."""

    watch: Watch
    at_most_ms: int = DAY_MS
    goes_on: bool = True
    confirms: bool = False

    word: ClassVar[str] = "wait_until"
    place: ClassVar[float] = 51.0
    does: ClassVar[str] = (
        "what follows comes once this is so; after `at_most` it comes all the same, or with "
        '`otherwise = "stop"` not at all'
    )
    keys: ClassVar[Mapping[str, Schema]] = {
        "wait_until": {**STATE, "description": "what follows comes once this is so"},
        "at_most": describing.text("wait no longer than this", "1 h"),
        "otherwise": describing.text("when it never was", one_of=tuple(_OTHERWISE)),
    }

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> WaitUntil | None:
        """Understand it from its table."""
        only_keys(toml, path, table, set(cls.keys))
        own = (*path, "wait_until")
        if not isinstance(table["wait_until"], dict):
            hint = 'write wait_until = { entity = "…", is = "…" }'
            toml.blame(own, "wait_until is a table in braces", hint)
            return None
        watch = read_part(toml, own, table["wait_until"], facts, held=False)
        at_most_ms = span_ms(toml, path, table, "at_most")
        on = goes_on(toml, path, table, usually=True)
        return None if watch is None else cls(watch, at_most_ms or DAY_MS, on)

    def sentence(self, name: Callable[[str], str]) -> str:
        sentence = f"once {name(self.watch.entity)} is {self.watch.wanted}"
        then = "go on" if self.goes_on else "stop"
        return f"{sentence} ({then} after {show_span(self.at_most_ms)})"


def goes_on(toml: TomlText, path: Path, table: dict[str, Any], *, usually: bool) -> bool:
    """What `otherwise` says: whether the rest comes all the same."""
    otherwise = text(toml, path, table, "otherwise")
    if otherwise and otherwise not in _OTHERWISE:
        what = f"{otherwise!r} is neither stop nor go on"
        toml.blame((*path, "otherwise"), what, 'write otherwise = "stop"')
    return _OTHERWISE.get(otherwise, usually)
