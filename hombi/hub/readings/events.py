"""What is heard of nodes, and what happens to how their values are made."""

from __future__ import annotations

from typing import Any

import msgspec

from hombi.core.kinds import Seen
from hombi.core.series import Reading
from hombi.hub.kernel.events import Event, Fault, Quiet


class ReadingTaken(msgspec.Struct, frozen=True):
    """An entity has a new reading. There are thousands of them, so it is only for who
    listens now, and made faster than other events. `seen` is how the household sees
    it."""

    entity: str
    reading: Reading
    seen: Seen


class EntitiesChanged(Event, frozen=True, kw_only=True):
    """Entities came or went, or are something else now."""


class NodeHeardAgain(Event, frozen=True, kw_only=True):
    """A node that had been silent is heard."""

    @property
    def sentence(self) -> str:
        return f"{self.node} is heard again"


class NodeBack(Quiet, frozen=True, kw_only=True):
    """A node is heard for the first time in this run of the hub, or again, or can be
    told things that it could not be told before."""


class ReadingRefused(Fault, frozen=True, kw_only=True):
    """A node sent a value that could not be taken."""


class ReadingsRefused(Fault, frozen=True, kw_only=True):
    """Readings are not taken in, since the disk does not keep up."""


class ClockWrong(Event, frozen=True, kw_only=True):
    """A node's own clock is wrong."""

    title: str
    how: str

    @property
    def sentence(self) -> str:
        return f"{self.title}: {self.how}. Its values are dated by their arrival"


class EntitySilenceChanged(Quiet, frozen=True, kw_only=True):
    """An entity is no longer heard, or heard again."""

    silent: bool


class SettingTold(Quiet, frozen=True, kw_only=True):
    """A node says how one of its settings stands."""

    wire_name: str
    value: Any


class EntityConditioned(Event, frozen=True, kw_only=True):
    """An entity's values are conditioned otherwise: from now on, or its past too."""

    words: str
    past: bool
    undone: bool = False

    @property
    def sentence(self) -> str:
        since = "over its whole past" if self.past else "from now on"
        how = "is conditioned as before" if self.undone else "is conditioned"
        return f"{self.entity} {how}, {since}: {self.words}"


class PastConditioned(Event, frozen=True, kw_only=True):
    """The past of an entity was made again by its present conditioning."""

    count: int

    @property
    def sentence(self) -> str:
        return f"{self.count} past readings of {self.entity} were conditioned again"


class ReadingsLost(Fault, frozen=True, kw_only=True):
    """Readings that were acknowledged cannot be read any more."""
