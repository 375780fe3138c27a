"""What an action is, and what it wants done."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar, Protocol

from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Path, TomlText


class Effect(Protocol):
    """What a step of an automation wants done, as a value. The hub does it, a rehearsal
    lists it, a replay counts it."""

    def spoken(self, name: Callable[[str], str]) -> str:
        """In words; `name` gives an entity's spoken name by its address."""


class Action(Protocol):
    """One action of a text."""

    word: ClassVar[str]

    def effect(self, fields: Mapping[str, str]) -> Effect:
        """What it wants done; `fields` stand for what its texts have in braces."""

    def sentence(self, name: Callable[[str], str]) -> str:
        """As in "When …: mister on; tell everyone …"."""


class ActionWord(Protocol):
    """The word of an action in a text."""

    def parse(self, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts) -> Any:
        """Understand it from its table; what is wrong is noted there."""
