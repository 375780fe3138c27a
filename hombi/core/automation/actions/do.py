"""`do`: have a node do something that it offers: open a vent, say a sentence."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

import msgspec

from hombi.core.automation import describing
from hombi.core.automation.actions.base import ActionWord
from hombi.core.automation.actions.notify import check_fields, fill
from hombi.core.automation.describing import Schema
from hombi.core.automation.text import only_keys, text, texts
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.toml_text import Path, TomlText

WITH = describing.texts("what the sequence takes, or the node wants to know")

Inputs = tuple[tuple[str, str], ...]


class Doing(msgspec.Struct, frozen=True):
    """The effect: this node is to do this, with these inputs by name."""

    node: str
    action: str
    inputs: Inputs = ()

    def spoken(self, name: Callable[[str], str]) -> str:
        given = ", ".join(f"{key} {value}" for key, value in self.inputs)
        return f"{self.node}: {self.action}" + (f" ({given})" if given else "")


class Do(ActionWord, frozen=True):
    """The action; inputs may hold {fields}."""

    node: str
    action: str
    inputs: Inputs = ()

    word: ClassVar[str] = "do"
    place: ClassVar[float] = 20.0
    does: ClassVar[str] = (
        "has a node do something that it offers; `with` has what the node wants to know"
    )
    keys: ClassVar[Mapping[str, Schema]] = {
        "do": describing.text("have a node do this, node/action", "loft-vent/wink"),
        "with": WITH,
    }

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Do | None:
        """Understand it from its table."""
        only_keys(toml, path, table, set(cls.keys))
        address, own = text(toml, path, table, "do", required=True), (*path, "do")
        if not address:
            return None
        check = facts.doings.get(address)
        if check is None:
            can = ", ".join(sorted(facts.doings)[:4])
            hint = did_you_mean(address, facts.doings) or (
                f"these can be asked: {can}" if can else "no node here can be asked to do anything"
            )
            toml.blame(own, f"nothing here does {address}", hint)
            return None
        given = texts(toml, path, table, "with")
        if given is None:
            return None
        for key, value in given.items():
            check_fields(toml, (*path, "with", key), value)
        # What has fields in it is another text each time: the node checks that.
        plain = {key: value for key, value in given.items() if "{" not in value}
        if problem := check(given.keys(), plain):
            toml.blame((*path, "with") if given else own, problem)
            return None
        node, _, action = address.partition("/")
        return cls(node, action, tuple(given.items()))

    def effect(self, fields: Mapping[str, str]) -> Doing:
        return Doing(self.node, self.action, tuple((k, fill(v, fields)) for k, v in self.inputs))

    def sentence(self, name: Callable[[str], str]) -> str:
        return Doing(self.node, self.action, self.inputs).spoken(name)
