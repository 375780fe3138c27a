"""`set`: give an entity that can be set a value, like a level, or a node's own
setting."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any, ClassVar

import msgspec

from hombi.core.automation import describing
from hombi.core.automation.actions import confirmed
from hombi.core.automation.actions.base import ActionWord
from hombi.core.automation.actions.move import BY, Move
from hombi.core.automation.actions.switch import FOR, TO, Other, SwitchTo, slowly
from hombi.core.automation.actions.wait_until import WaitUntil
from hombi.core.automation.describing import Schema
from hombi.core.automation.form import Field, given
from hombi.core.automation.text import entity, only_keys, span_ms, text, to_other, wanted
from hombi.core.house_facts import HouseFacts
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_span

LONGEST_TAKING_MS = 3_600_000


class TuneTo(msgspec.Struct, frozen=True):
    """The effect: this setting of a node's own is to be this."""

    node: str
    setting: str
    to: str

    def spoken(self, name: Callable[[str], str]) -> str:
        return f"{self.node}: {self.setting} {self.to}"


class Tune(msgspec.Struct, frozen=True):
    """The action for a node's own setting; the node's units and choices apply."""

    node: str
    setting: str
    to: str

    word: ClassVar[str] = "set"

    def effect(self, fields: Mapping[str, str]) -> TuneTo:
        return TuneTo(self.node, self.setting, self.to)

    def sentence(self, name: Callable[[str], str]) -> str:
        return self.effect({}).spoken(name)


class Set(ActionWord, frozen=True):
    """The action: `to` is in the kind's unit, and is reached within `taking_ms`. After
    `for_ms` it goes back to what it was. What follows waits until it is `sure`."""

    entity: str
    to: float
    shown: str
    for_ms: int = 0
    sure: WaitUntil | None = None
    taking_ms: int = 0

    word: ClassVar[str] = "set"
    place: ClassVar[float] = 11.0
    does: ClassVar[str] = (
        "gives an entity a value, like a level, or changes a node's own setting. With `by` it "
        "goes so much higher or lower, like `-10 %`, or as far as a dial was turned. With "
        "`taking` it goes there slowly"
    )
    keys: ClassVar[Mapping[str, Schema]] = {
        "set": describing.text(
            "set this to a value, or a node's own setting",
            "loft-lamp/level",
            takes=describing.SETTABLE,
        ),
        "to": TO,
        "by": BY,
        "for": FOR,
        "taking": describing.text("it goes there slowly, within this time", "3 s"),
        **confirmed.KEYS,
    }

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Set | Tune | Other | Move | None:
        """Understand it from its table."""
        only_keys(toml, path, table, set(cls.keys))
        address = text(toml, path, table, "set", required=True)
        if address in facts.settings and address not in facts.entities:
            return _tune(toml, path, table, facts)
        result = entity(toml, (*path, "set"), address, facts)
        for_ms = span_ms(toml, path, table, "for")
        if result is None:
            return None
        if not result.writable:
            can = sorted(a for a, f in facts.entities.items() if f.writable)[:4]
            hint = f"these can: {', '.join(can)}" if can else "nothing here can yet"
            toml.blame((*path, "set"), f"{address} cannot be set", hint)
            return None
        taking_ms = _taking_ms(toml, path, table, result.kind)
        if "by" in table:
            return Move.parse(toml, path, table, facts, result.kind, taking_ms)
        if result.kind.two_states and to_other(table):
            return Other.parse(toml, path, table, address)
        value = wanted(toml, path, table, result.kind)
        if value is None:
            return None
        sure = confirmed.confirmed(toml, path, table, address, result.kind, value)
        if 0 < for_ms <= taking_ms:
            toml.blame((*path, "for"), "it would go back before it is there", "say longer")
        if sure is not None and sure.at_most_ms <= taking_ms:
            what = "confirmed is over before the entity can be there"
            toml.blame((*path, "confirmed"), what, "say longer than taking")
        shown = table["to"].strip() if result.kind.words is None else result.kind.word(value)
        return cls(address, value, shown, for_ms, sure, taking_ms)

    @classmethod
    def fields(
        cls, table: Mapping[str, Any], path: Path, when: str, *, last: bool
    ) -> Iterator[Field]:
        labels = {
            "to": f"{table['set']} to",
            "by": f"{table['set']} by",
            "taking": "taking",
            "for": "for",
        }
        yield from given(table, path, {key: f"{when}: {label}" for key, label in labels.items()})
        yield from confirmed.fields(table, path, when, last=last)

    def effect(self, fields: Mapping[str, str]) -> SwitchTo:
        return SwitchTo(self.entity, self.to, self.shown, self.taking_ms)

    def back(self, now: float | None) -> float | None:
        """To what it goes back: what it was, where that is known."""
        return now

    def sentence(self, name: Callable[[str], str]) -> str:
        lasts = slowly(self.taking_ms)
        lasts += f" for {show_span(self.for_ms)}" if self.for_ms else ""
        return f"{name(self.entity)} to {self.shown}{lasts}{confirmed.sentence(self.sure)}"


def _taking_ms(toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> int:
    """How long it takes to get there; 0 for at once."""
    taking_ms = span_ms(toml, path, table, "taking")
    if "taking" in table and kind.words is not None:
        states = "two states" if kind.two_states else "words"
        what = f"a {kind.shown} has {states}, and nothing between them"
        toml.blame((*path, "taking"), what, "leave taking out")
    elif taking_ms > LONGEST_TAKING_MS:
        toml.blame((*path, "taking"), f"{show_span(LONGEST_TAKING_MS)} is the longest")
    return taking_ms


def _tune(toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts) -> Tune | None:
    to = text(toml, path, table, "to", required=True).strip()
    if "for" in table:
        toml.blame((*path, "for"), "a node's setting does not go back", "leave for out")
    if "by" in table:
        toml.blame((*path, "by"), "a node's setting is given its value", "write to instead of by")
    if "taking" in table:
        toml.blame((*path, "taking"), "a node's setting changes at once", "leave taking out")
    for key in sorted(confirmed.KEYS.keys() & table.keys()):
        toml.blame((*path, key), "nothing waits for a node's setting", f"leave {key} out")
    if not to:
        return None
    if problem := facts.settings[table["set"]](to):
        toml.blame((*path, "to"), problem)
        return None
    node, _, setting = table["set"].partition("/")
    return Tune(node, setting, to)
