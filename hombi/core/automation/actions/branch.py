"""`branch`: the first of several actions whose condition is so."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

import msgspec

from hombi.core.automation import describing
from hombi.core.automation.actions.base import ActionWord, read_action
from hombi.core.automation.describing import Schema
from hombi.core.automation.text import only_keys
from hombi.core.automation.watch import Watch
from hombi.core.automation.watching import read_part
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Path, TomlText

MOST_OPTIONS = 20
_EXAMPLE = 'write branch = [ { when = { entity = "…", is = "…" }, scene = "…" }, { scene = "…" } ]'


class Option(msgspec.Struct, frozen=True):
    """An action, and when it is the one; without `when`, if no other was."""

    when: Watch | None
    action: Any


class Branch(ActionWord, frozen=True):
    """The options, in the order in which they are asked."""

    options: tuple[Option, ...]

    word: ClassVar[str] = "branch"
    place: ClassVar[float] = 60.0
    does: ClassVar[str] = "the first option whose `when` is true; the last may omit it"
    keys: ClassVar[Mapping[str, Schema]] = {
        "branch": describing.listed("the first of these whose `when` is so", {"type": "object"}),
    }

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Branch | None:
        """Understand it from its table."""
        own, given = (*path, "branch"), table["branch"]
        only_keys(toml, path, table, set(cls.keys))
        listed = isinstance(given, list) and all(isinstance(option, dict) for option in given)
        if not listed or not 1 <= len(given) <= MOST_OPTIONS:
            toml.blame(own, f"branch is a list of 1 to {MOST_OPTIONS} tables in braces", _EXAMPLE)
            return None
        options = []
        for number, option in enumerate(given):
            at = (*own, number)
            when = None
            if "when" in option:
                if not isinstance(option["when"], dict):
                    toml.blame((*at, "when"), "when is a table in braces", _EXAMPLE)
                    continue
                when = read_part(toml, (*at, "when"), option["when"], facts, held=False)
            elif number < len(given) - 1:
                toml.blame(at, "only the last option is without when", _EXAMPLE)
            rest = {key: value for key, value in option.items() if key != "when"}
            action = read_action(toml, at, rest, facts)
            if action is not None and (when is not None or "when" not in option):
                options.append(Option(when, action))
        return cls(tuple(options)) if len(options) == len(given) else None

    def sentence(self, name: Callable[[str], str]) -> str:
        said = []
        for option in self.options:
            condition = (
                "" if option.when is None else f"{name(option.when.entity)} is {option.when.wanted}"
            )
            does = option.action.sentence(name)
            said.append(f"if {condition}, {does}" if condition else does)
        return ", else ".join(said)
