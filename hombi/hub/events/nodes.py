"""What happens to nodes and their entities."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

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


@dataclass(frozen=True, slots=True, kw_only=True)
class EntitiesChanged(Event):
    """Entities came or went, or are something else now."""


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeAdmitted(EntitiesChanged):
    """A node was let in."""

    title: str
    room: str

    @property
    def sentence(self) -> str:
        where = f" in {self.room}" if self.room else ""
        return f"{self.title} was let in as {self.node}{where}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeRemoved(EntitiesChanged):
    """A node was taken out of the house."""

    title: str
    history_kept: bool

    @property
    def sentence(self) -> str:
        kept = "its history is kept" if self.history_kept else "with its history"
        return f"{self.title} ({self.node}) was removed; {kept}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeDescribed(EntitiesChanged):
    """A node says again what it has."""

    title: str
    more: tuple[str, ...]

    @property
    def sentence(self) -> str:
        if not self.more:
            return f"{self.title} described itself again"
        return f"{self.title} has new values: {', '.join(self.more)}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeRenamed(Event):
    """A node has another name; its address stays."""

    title: str
    before: str

    @property
    def sentence(self) -> str:
        return f"{self.before} is now called {self.title}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeMoved(Event):
    """A node is in another room."""

    title: str
    room: str

    @property
    def sentence(self) -> str:
        return f"{self.title} is now in {self.room or 'no room'}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeRelocated(Event):
    """A node is reached at another address on the network."""

    title: str
    url: str

    @property
    def sentence(self) -> str:
        return f"{self.title} is now at {self.url}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeConnected(Event):
    """A node is here."""

    @property
    def sentence(self) -> str:
        return f"{self.node} is connected"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeGone(Event):
    """A node ended its connection."""

    @property
    def sentence(self) -> str:
        return f"{self.node} is disconnected"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeSilent(Event):
    """A node was not heard for three times its usual interval."""

    unheard_ms: int

    @property
    def sentence(self) -> str:
        return f"{self.node} has not been heard for {self.unheard_ms // 1000} s"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeHeardAgain(Event):
    """A node that had been silent is heard."""

    @property
    def sentence(self) -> str:
        return f"{self.node} is heard again"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeShutsOut(Event):
    """A node refuses the hub: its secret is not the one that the hub knows."""

    title: str
    why: str

    @property
    def sentence(self) -> str:
        return f"{self.title} refuses the hub: {self.why}; enter its new secret"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeLetsIn(Event):
    """A node that had refused the hub answers it again."""

    title: str
    why: str = ""

    @property
    def sentence(self) -> str:
        return f"{self.title} answers the hub again"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeTold(Event):
    """A node told of something that happened, as its description says it does."""

    # A node may do that as often as it likes.
    fault: ClassVar[bool] = True

    title: str
    event: str
    text: str

    @property
    def sentence(self) -> str:
        return f"{self.title} reports {self.event}" + (f": {self.text}" if self.text else "")


@dataclass(frozen=True, slots=True, kw_only=True)
class SecretChanged(Event):
    """The hub has another secret for a node."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} has a new secret"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeBack(Quiet):
    """A node is heard for the first time in this run of the hub, or again."""


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeLeft(Event):
    """A node has left the house by itself."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} has left: it was reset, or let in elsewhere; its history is kept"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeAsked(Event):
    """A node, or an arrival, is asked again what it has."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} was asked again what it has"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeLookedAt(Event):
    """Somebody had the hub fetch the description of a node at an address."""

    title: str
    address: str

    @property
    def sentence(self) -> str:
        return f"{self.title} was found at {self.address}, an address that somebody entered"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeDoubled(Fault):
    """Somebody says that it is a node which still answers elsewhere."""


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeUnanswering(Fault):
    """A node did not answer when it was asked for its settings."""


@dataclass(frozen=True, slots=True, kw_only=True)
class MessageRefused(Fault):
    """A node sent something that could not be understood."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingRefused(Fault):
    """A node sent a value that could not be taken."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingsRefused(Fault):
    """Readings are not taken in, since the disk does not keep up."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ClockWrong(Event):
    """A node's own clock is wrong."""

    title: str
    how: str

    @property
    def sentence(self) -> str:
        return f"{self.title}: {self.how}. Its values are dated by their arrival"


@dataclass(frozen=True, slots=True, kw_only=True)
class BatteryLow(Event):
    """A battery runs down."""

    title: str
    percent: float

    @property
    def sentence(self) -> str:
        return f"{self.title} has a low battery: {self.percent:.0f} %"


@dataclass(frozen=True, slots=True, kw_only=True)
class KeyChanged(Event):
    """A node has a new key; the one before is void."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} has a new key"


@dataclass(frozen=True, slots=True, kw_only=True)
class KeyRevoked(Event):
    """A node has no key any more."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} no longer has a key and is shut out"


@dataclass(frozen=True, slots=True, kw_only=True)
class EntityAdded(EntitiesChanged):
    """One more value of a node is an entity."""

    origin: str

    @property
    def sentence(self) -> str:
        return f"{self.entity} is picked from {self.origin}"


@dataclass(frozen=True, slots=True, kw_only=True)
class EntityChanged(Event):
    """An entity has another name, or is hidden, or shown again."""

    title: str
    hidden: bool

    @property
    def sentence(self) -> str:
        return f"{self.entity} is now called {self.title}{' and hidden' if self.hidden else ''}"


@dataclass(frozen=True, slots=True, kw_only=True)
class EntityKindChanged(EntitiesChanged):
    """An entity is taken for another kind from now on."""

    kind: str
    before: str

    @property
    def sentence(self) -> str:
        return f"{self.entity} now counts as {self.kind}, not as {self.before}"


@dataclass(frozen=True, slots=True, kw_only=True)
class EntityRemoved(EntitiesChanged):
    """An entity was taken away, with its history."""

    @property
    def sentence(self) -> str:
        return f"{self.entity} was removed"


@dataclass(frozen=True, slots=True, kw_only=True)
class EntitySilenceChanged(Quiet):
    """An entity is no longer heard, or heard again."""

    silent: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ProfileKept(Event):
    """The house has another profile for a make and model."""

    path: str

    @property
    def sentence(self) -> str:
        return f"the profile of {self.node} was saved in {self.path}"


@dataclass(frozen=True, slots=True, kw_only=True)
class NetworkChosen(Event):
    """A person said what to do with the foreign network on the stick."""

    choice: str

    @property
    def sentence(self) -> str:
        if self.choice == "keep":
            return "the network on the stick was taken over"
        return "the network on the stick was erased"
