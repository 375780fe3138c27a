"""What an action is."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar, Protocol

from hombi.core.automation.effects import Effect
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Path, TomlText


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


# By their word in a text; the package fills it.
ACTIONS: dict[str, ActionWord] = {}


def read_action(toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts) -> Any:
    """Understand one action, None for one that cannot be; what is wrong is noted
    there."""
    words = [word for word in ACTIONS if word in table]
    if len(words) != 1:
        what = f"an action is one of {', '.join(ACTIONS)}"
        toml.blame(path, what, 'give either switch = "node/entity" or notify = "everyone"')
        return None
    return ACTIONS[words[0]].parse(toml, path, table, facts)
