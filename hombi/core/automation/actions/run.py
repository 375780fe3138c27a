"""`run`: the steps of a sequence."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

from hombi.core.automation import describing
from hombi.core.automation.actions.base import ActionWord
from hombi.core.automation.actions.do import WITH
from hombi.core.automation.actions.sequence import read_sequence
from hombi.core.automation.describing import Schema
from hombi.core.automation.text import only_keys, text, texts
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.names import slug
from hombi.core.toml_text import Path, TomlText

DEEPEST = 5


class Run(ActionWord, frozen=True):
    """The action: the steps come in its place."""

    title: str
    steps: tuple[Any, ...]

    word: ClassVar[str] = "run"
    place: ClassVar[float] = 31.0
    does: ClassVar[str] = "runs the steps of a sequence in its place; `with` gives it what it takes"
    keys: ClassVar[Mapping[str, Schema]] = {
        "run": describing.text("run this sequence", "close-up", takes=describing.SEQUENCE),
        "with": WITH,
    }

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Run | None:
        """Understand it from its table."""
        only_keys(toml, path, table, set(cls.keys))
        name = text(toml, path, table, "run", required=True)
        own = (*path, "run")
        if not name:
            return None
        address = slug(name)
        source = facts.sequences.get(address)
        if source is None:
            hint = did_you_mean(address, facts.sequences) or "`hombi sequence put` keeps one"
            toml.blame(own, f"no sequence {name}", hint)
            return None
        if address in facts.within or len(facts.within) >= DEEPEST:
            way = " → ".join((*facts.within, address))
            toml.blame(own, f"sequences run each other without end: {way}", "take one of them out")
            return None
        given = texts(toml, path, table, "with")
        if given is None:
            return None
        within = (*facts.within, address)
        sequence, mistakes = read_sequence(source, facts, given, within)
        if sequence is None:
            toml.blame(own, f"the sequence {name} has a mistake: {mistakes[0]}")
            return None
        if odd := next((key for key in given if key not in sequence.takes), None):
            takes = ", ".join(sequence.takes) or "nothing"
            hint = did_you_mean(odd, sequence.takes) or f"it takes {takes}"
            toml.blame((*path, "with", odd), f"{name} does not take {odd}", hint, at_value=False)
            return None
        return cls(sequence.name, sequence.steps)

    def sentence(self, name: Callable[[str], str]) -> str:
        return f"run “{self.title}”"
