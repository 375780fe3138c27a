"""`switch`: put an entity that can be switched into a state."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any, ClassVar

import msgspec

from hombi.core.automation import describing
from hombi.core.automation.actions import confirmed
from hombi.core.automation.actions.base import ActionWord
from hombi.core.automation.actions.wait_until import WaitUntil
from hombi.core.automation.describing import Schema
from hombi.core.automation.form import Field, given
from hombi.core.automation.text import OTHER, entity, only_keys, span_ms, text, to_other, wanted
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.kinds import KINDS
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_span

TO = describing.text(
    "the state or value; or the other state", "on", "off", "other", "40 %", takes=describing.LIMIT
)
FOR = describing.text("so long, and then back", "5 min")


def slowly(taking_ms: int) -> str:
    """As in "loft lamp to 40 % over 3 s"; "" for at once."""
    return f" over {show_span(taking_ms)}" if taking_ms else ""


class SwitchTo(msgspec.Struct, frozen=True):
    """The effect: this entity is to be in this state (1.0 on, 0.0 off), or at this
    value; it goes there slowly, within `taking_ms`."""

    entity: str
    to: float
    # As people read it, where that is not on or off.
    shown: str = ""
    taking_ms: int = 0

    def spoken(self, name: Callable[[str], str]) -> str:
        shown = self.shown or ("on" if self.to else "off")
        return f"{name(self.entity)} {shown}{slowly(self.taking_ms)}"


class SwitchOver(msgspec.Struct, frozen=True):
    """The effect: this entity is to be in the other one of its two states."""

    entity: str

    def spoken(self, name: Callable[[str], str]) -> str:
        return f"{name(self.entity)} to its other state"


class Other(msgspec.Struct, frozen=True):
    """The action: an entity goes to the other one of its two states. After `for_ms` it
    goes back."""

    entity: str
    for_ms: int = 0

    word: ClassVar[str] = "switch"

    @classmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], address: str) -> Other:
        """Understand it from a table whose `to` says so."""
        for key in sorted(confirmed.KEYS.keys() & table.keys()):
            hint = f'leave {key} out, or write to = "on"'
            toml.blame((*path, key), f"{key} does not go with {OTHER!r}", hint)
        return cls(address, span_ms(toml, path, table, "for"))

    def effect(self, fields: Mapping[str, str]) -> SwitchOver:
        return SwitchOver(self.entity)

    def back(self, now: float | None) -> float | None:
        """To what it goes back: what it was, where that is known."""
        return now

    def sentence(self, name: Callable[[str], str]) -> str:
        lasts = f" for {show_span(self.for_ms)}" if self.for_ms else ""
        return f"{name(self.entity)} to its other state{lasts}"


class Switch(ActionWord, frozen=True):
    """The action: `to` is 1.0 for on, 0.0 for off. After `for_ms` it goes back. What
    follows waits until it is `sure`."""

    entity: str
    to: float
    for_ms: int = 0
    sure: WaitUntil | None = None

    word: ClassVar[str] = "switch"
    place: ClassVar[float] = 10.0
    does: ClassVar[str] = (
        "puts a switch into a state: on, off, or `other` for the one in which it is not. With "
        "`for` it goes back after that time. With `confirmed`, what follows comes once the node "
        "has done it"
    )
    keys: ClassVar[Mapping[str, Schema]] = {
        "switch": describing.text("switch this", "cellar-mister/switch", takes=describing.SWITCH),
        "to": TO,
        "for": FOR,
        **confirmed.KEYS,
    }

    @classmethod
    def parse(
        cls, toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts
    ) -> Switch | Other | None:
        """Understand it from its table."""
        only_keys(toml, path, table, set(cls.keys))
        address = text(toml, path, table, "switch", required=True)
        result = entity(toml, (*path, "switch"), address, facts)
        if result is not None and not (result.writable and result.kind.name == "switch"):
            what = f"{address} cannot be switched"
            toml.blame((*path, "switch"), what, _switchable(address, facts))
        if result is not None and to_other(table):
            return Other.parse(toml, path, table, address)
        value = wanted(toml, path, table, KINDS["switch"])
        for_ms = span_ms(toml, path, table, "for")
        if result is None or value is None or not result.writable:
            return None
        sure = confirmed.confirmed(toml, path, table, address, result.kind, value)
        return cls(address, value, for_ms, sure)

    @classmethod
    def fields(
        cls, table: Mapping[str, Any], path: Path, when: str, *, last: bool
    ) -> Iterator[Field]:
        yield from given(
            table, path, {"to": f"{when}: {table['switch']} to", "for": f"{when}: for"}
        )
        yield from confirmed.fields(table, path, when, last=last)

    def effect(self, fields: Mapping[str, str]) -> SwitchTo:
        return SwitchTo(self.entity, self.to)

    def back(self, now: float | None) -> float | None:
        """To what it goes back."""
        return 1.0 - self.to

    def sentence(self, name: Callable[[str], str]) -> str:
        lasts = f" for {show_span(self.for_ms)}" if self.for_ms else ""
        sure = confirmed.sentence(self.sure)
        return f"{name(self.entity)} {'on' if self.to else 'off'}{lasts}{sure}"


def _switchable(address: str, facts: HouseFacts) -> str:
    switches = [a for a, f in facts.entities.items() if f.writable and f.kind.name == "switch"]
    if near := did_you_mean(address, switches):
        return near
    return f"these can: {', '.join(sorted(switches)[:4])}" if switches else "nothing here can yet"
