"""`scene`: recall the states of several entities."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

import msgspec

from hombi.core.automation import describing
from hombi.core.automation.actions.base import ActionWord
from hombi.core.automation.describing import Schema
from hombi.core.automation.text import only_keys, text
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.toml_text import Path, TomlText


class Recall(msgspec.Struct, frozen=True):
    """The effect: these entities are to be in these states."""

    title: str
    states: tuple[tuple[str, float], ...]

    def spoken(self, name: Callable[[str], str]) -> str:
        return f"scene “{self.title}”"


class Scene(ActionWord, frozen=True):
    """The action."""

    title: str
    states: tuple[tuple[str, float], ...]

    word: ClassVar[str] = "scene"
    place: ClassVar[float] = 30.0
    does: ClassVar[str] = "puts all entities of a scene into their states"
    keys: ClassVar[Mapping[str, Schema]] = {
        "scene": describing.text("recall this scene", "evening", takes=describing.SCENE),
    }

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Scene | None:
        """Understand it from its table."""
        only_keys(toml, path, table, set(cls.keys))
        name = text(toml, path, table, "scene", required=True)
        scene = facts.scenes.get(name)
        if scene is None:
            if name:
                hint = did_you_mean(name, facts.scenes) or "`hombi scene record` makes one"
                toml.blame((*path, "scene"), f"no scene {name}", hint)
            return None
        return cls(scene.title, scene.states)

    def effect(self, fields: Mapping[str, str]) -> Recall:
        return Recall(self.title, self.states)

    def sentence(self, name: Callable[[str], str]) -> str:
        return f"scene “{self.title}”"
