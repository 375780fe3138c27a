"""What becomes of what nodes are asked for."""

from __future__ import annotations

from typing import Any

from hombi.hub.kernel.events import Event, Quiet


class SetByHand(Quiet, frozen=True, kw_only=True):
    """A person has set an entity; `by` says who did so from afar, "" that it was done
    at the node."""

    by: str


class HandChanged(Quiet, frozen=True, kw_only=True):
    """An automation leaves an entity to a person from now on, or does so no more."""


class CommandChanged(Quiet, frozen=True, kw_only=True):
    """A command was asked, or has its answer. Times are ms since 1970."""

    id: int
    value: float
    by: str
    state: str
    problem: str
    asked_ms: int
    answered_ms: int


class CommandConfirmed(Event, frozen=True, kw_only=True):
    """A node confirmed what it was asked for; `late` says how long after, if it was
    late, else `took_ms` how long it took."""

    shown: str
    asked_by: str
    late: str = ""
    took_ms: int = 0

    @property
    def sentence(self) -> str:
        before = f" {self.late} before" if self.late else ""
        return f"{self.entity} is {self.shown}, as {self.asked_by} asked{before}"


class CommandFailed(Event, frozen=True, kw_only=True):
    """A node did not confirm what it was asked for; it stays wanted."""

    shown: str
    asked_by: str
    problem: str

    @property
    def sentence(self) -> str:
        return f"{self.entity} is not {self.shown}, as {self.asked_by} asked: {self.problem}"


class WishChanged(Quiet, frozen=True, kw_only=True):
    """What an entity is wanted to be has changed, or is so now."""


class SettingTold(Quiet, frozen=True, kw_only=True):
    """A node says how one of its settings stands."""

    wire_name: str
    value: Any


class SettingChanged(Event, frozen=True, kw_only=True):
    """A node confirmed that one of its settings is another."""

    title: str
    setting: str
    value: Any
    unit: str

    @property
    def sentence(self) -> str:
        return f"{self.title} now has {self.setting} {self.value} {self.unit}".rstrip()


class ThingDone(Event, frozen=True, kw_only=True):
    """A node was asked to do something. Over a way that brings no answer nobody knows
    whether it is `done`."""

    title: str
    action: str
    done: bool = True

    @property
    def sentence(self) -> str:
        did = "" if self.done else "; it has not said whether it did it"
        return f"{self.title} was asked for {self.action}{did}"
