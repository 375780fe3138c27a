"""`duty`: put an automation on duty, or take it off."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

import msgspec

from hombi.core.automation import describing
from hombi.core.automation.actions.base import ActionWord
from hombi.core.automation.actions.switch import TO
from hombi.core.automation.describing import Schema
from hombi.core.automation.text import only_keys, text, wanted
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.kinds import KINDS
from hombi.core.names import slug
from hombi.core.toml_text import Path, TomlText


class OnDuty(msgspec.Struct, frozen=True):
    """The effect: this automation is to be on duty, or off."""

    automation: str
    on: bool

    def spoken(self, name: Callable[[str], str]) -> str:
        return f"{self.automation} {'on' if self.on else 'off'} duty"


class Duty(ActionWord, frozen=True):
    """The action; an automation may name itself."""

    automation: str
    on: bool

    word: ClassVar[str] = "duty"
    place: ClassVar[float] = 70.0
    does: ClassVar[str] = "puts an automation on duty, or takes it off; it may name itself"
    keys: ClassVar[Mapping[str, Schema]] = {
        "duty": describing.text(
            "put this automation on duty, or take it off",
            "cellar-too-dry",
            takes=describing.AUTOMATION,
        ),
        "to": TO,
    }

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Duty | None:
        """Understand it from its table."""
        only_keys(toml, path, table, set(cls.keys))
        name = text(toml, path, table, "duty", required=True)
        on = wanted(toml, path, table, KINDS["switch"])
        own = toml.data.get("name")
        known = {*(facts.automations or ()), *([slug(own)] if isinstance(own, str) else [])}
        if name and facts.automations is not None and slug(name) not in known:
            hint = did_you_mean(slug(name), known) or "`hombi automation list` names them"
            toml.blame((*path, "duty"), f"no automation {name}", hint)
            return None
        return cls(slug(name), bool(on)) if name and on is not None else None

    def effect(self, fields: Mapping[str, str]) -> OnDuty:
        return OnDuty(self.automation, self.on)

    def sentence(self, name: Callable[[str], str]) -> str:
        return self.effect({}).spoken(name)
