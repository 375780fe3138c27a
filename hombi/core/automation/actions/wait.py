"""`wait`: the actions after it come later."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any, ClassVar

from hombi.core.automation import describing
from hombi.core.automation.actions.base import ActionWord
from hombi.core.automation.describing import Schema
from hombi.core.automation.form import Field, given
from hombi.core.automation.text import only_keys, span_ms
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_span


class Wait(ActionWord, frozen=True):
    """The rest of the list comes after so long. A wait survives a restart; that of a
    start is over when the automation ends."""

    ms: int

    word: ClassVar[str] = "wait"
    place: ClassVar[float] = 50.0
    does: ClassVar[str] = "what follows in the list comes so much later. A wait outlives a restart"
    keys: ClassVar[Mapping[str, Schema]] = {
        "wait": describing.text("what follows comes so much later", "10 min"),
    }

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Wait | None:
        """Understand it from its table."""
        only_keys(toml, path, table, set(cls.keys))
        ms = span_ms(toml, path, table, "wait", required=True)
        return cls(ms) if ms else None

    @classmethod
    def fields(
        cls, table: Mapping[str, Any], path: Path, when: str, *, last: bool
    ) -> Iterator[Field]:
        yield from given(table, path, {"wait": f"{when}: wait"})

    def sentence(self, name: Callable[[str], str]) -> str:
        return f"{show_span(self.ms)} later"
