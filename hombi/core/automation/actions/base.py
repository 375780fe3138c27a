"""What an action is: one module has all about one, and everything that knows
automations (the check, the schema, the form, the reference) asks it here."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Iterator, Mapping
from typing import Any, ClassVar, Protocol

import msgspec

from hombi.core.automation.describing import Schema
from hombi.core.automation.effects import Effect
from hombi.core.automation.form import Field
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Path, TomlText


class ActionWord(msgspec.Struct, frozen=True):
    """The word of an action in a text."""

    word: ClassVar[str] = ""
    # All keys of its table, its own word first, each with what may stand behind it.
    keys: ClassVar[Mapping[str, Schema]] = {}
    # Its row in the reference: what it does.
    does: ClassVar[str] = ""
    # Where it stands among the others.
    place: ClassVar[float] = 100.0

    @classmethod
    @abstractmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts) -> Any:
        """Understand it from its table; what is wrong is noted there."""

    @classmethod
    def fields(
        cls, table: Mapping[str, Any], path: Path, when: str, *, last: bool
    ) -> Iterator[Field]:
        """Its values in a form, from a table that has its word; `when` says of which
        edge it is. Nothing follows the `last` one."""
        yield from ()

    @abstractmethod
    def sentence(self, name: Callable[[str], str]) -> str:
        """As in "When …: mister on; notify everyone …"."""


class Action(Protocol):
    """One action of a text that wants something done."""

    word: ClassVar[str]

    def effect(self, fields: Mapping[str, str]) -> Effect:
        """What it wants done; `fields` stand for what its texts have in braces."""

    def sentence(self, name: Callable[[str], str]) -> str:
        """As in "When …: mister on; notify everyone …"."""


# By their word in a text; the package fills it.
ACTIONS: dict[str, type[ActionWord]] = {}


def read_action(toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts) -> Any:
    """Understand one action, None for one that cannot be; what is wrong is noted
    there."""
    words = [word for word in ACTIONS if word in table]
    if len(words) != 1:
        what = f"an action is one of {', '.join(ACTIONS)}"
        toml.blame(path, what, 'give either switch = "node/entity" or notify = "everyone"')
        return None
    return ACTIONS[words[0]].parse(toml, path, table, facts)
