"""What happens to nodes and their entities."""

from __future__ import annotations

from typing import Any, ClassVar

from hombi.hub.kernel.events import Event, Fault
from hombi.hub.readings.events import EntitiesChanged


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


class NodeAdmitted(EntitiesChanged, frozen=True, kw_only=True):
    """A node was let in."""

    title: str
    room: str

    @property
    def sentence(self) -> str:
        where = f" in {self.room}" if self.room else ""
        return f"{self.title} was let in as {self.node}{where}"


class NodeRemoved(EntitiesChanged, frozen=True, kw_only=True):
    """A node was taken out of the house."""

    title: str
    history_kept: bool

    @property
    def sentence(self) -> str:
        kept = "its history is kept" if self.history_kept else "with its history"
        return f"{self.title} ({self.node}) was removed; {kept}"


class NodeDescribed(EntitiesChanged, frozen=True, kw_only=True):
    """A node says again what it has."""

    title: str
    more: tuple[str, ...]

    @property
    def sentence(self) -> str:
        if not self.more:
            return f"{self.title} described itself again"
        return f"{self.title} has new values: {', '.join(self.more)}"


class NodeRenamed(Event, frozen=True, kw_only=True):
    """A node has another name; its address stays."""

    title: str
    before: str

    @property
    def sentence(self) -> str:
        return f"{self.before} is now called {self.title}"


class NodeMoved(Event, frozen=True, kw_only=True):
    """A node is in another room."""

    title: str
    room: str

    @property
    def sentence(self) -> str:
        return f"{self.title} is now in {self.room or 'no room'}"


class NodeRelocated(Event, frozen=True, kw_only=True):
    """A node is reached at another address on the network."""

    title: str
    url: str

    @property
    def sentence(self) -> str:
        return f"{self.title} is now at {self.url}"


class NodeConnected(Event, frozen=True, kw_only=True):
    """A node is here."""

    @property
    def sentence(self) -> str:
        return f"{self.node} is connected"


class NodeGone(Event, frozen=True, kw_only=True):
    """A node ended its connection."""

    @property
    def sentence(self) -> str:
        return f"{self.node} is disconnected"


class NodeSilent(Event, frozen=True, kw_only=True):
    """A node was not heard for three times its usual interval."""

    unheard_ms: int

    @property
    def sentence(self) -> str:
        return f"{self.node} has not been heard for {self.unheard_ms // 1000} s"


class NodeShutsOut(Event, frozen=True, kw_only=True):
    """A node refuses the hub: its secret is not the one that the hub knows."""

    title: str
    why: str

    @property
    def sentence(self) -> str:
        return f"{self.title} refuses the hub: {self.why}; enter its new secret"


class NodeLetsIn(Event, frozen=True, kw_only=True):
    """A node that had refused the hub answers it again."""

    title: str
    why: str = ""

    @property
    def sentence(self) -> str:
        return f"{self.title} answers the hub again"


class NodeTold(Event, frozen=True, kw_only=True):
    """A node told of something that happened, as its description says it does."""

    # A node may do that as often as it likes.
    fault: ClassVar[bool] = True

    title: str
    event: str
    text: str

    @property
    def sentence(self) -> str:
        return f"{self.title} reports {self.event}" + (f": {self.text}" if self.text else "")


class SecretChanged(Event, frozen=True, kw_only=True):
    """The hub has another secret for a node."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} has a new secret"


class NodeLeft(Event, frozen=True, kw_only=True):
    """A node has left the house by itself."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} has left: it was reset, or let in elsewhere; its history is kept"


class NodeAsked(Event, frozen=True, kw_only=True):
    """A node, or an arrival, is asked again what it has."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} was asked again what it has"


class NodeLookedAt(Event, frozen=True, kw_only=True):
    """Somebody had the hub fetch the description of a node at an address."""

    title: str
    address: str

    @property
    def sentence(self) -> str:
        return f"{self.title} was found at {self.address}, an address that somebody entered"


class NodeDoubled(Fault, frozen=True, kw_only=True):
    """Somebody says that it is a node which still answers elsewhere."""


class NodeUnanswering(Fault, frozen=True, kw_only=True):
    """A node did not answer when it was asked for its settings."""


class MessageRefused(Fault, frozen=True, kw_only=True):
    """A node sent something that could not be understood."""


class BatteryLow(Event, frozen=True, kw_only=True):
    """A battery runs down."""

    title: str
    percent: float

    @property
    def sentence(self) -> str:
        return f"{self.title} has a low battery: {self.percent:.0f} %"


class KeyChanged(Event, frozen=True, kw_only=True):
    """A node has a new key; the one before is void."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} has a new key"


class KeyRevoked(Event, frozen=True, kw_only=True):
    """A node has no key any more."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} no longer has a key and is shut out"


class EntityAdded(EntitiesChanged, frozen=True, kw_only=True):
    """One more value of a node is an entity."""

    origin: str

    @property
    def sentence(self) -> str:
        return f"{self.entity} is picked from {self.origin}"


class EntityChanged(Event, frozen=True, kw_only=True):
    """An entity has another name, or is hidden, or shown again."""

    title: str
    hidden: bool

    @property
    def sentence(self) -> str:
        return f"{self.entity} is now called {self.title}{' and hidden' if self.hidden else ''}"


class EntityKindChanged(EntitiesChanged, frozen=True, kw_only=True):
    """An entity is taken for another kind from now on."""

    kind: str
    before: str

    @property
    def sentence(self) -> str:
        return f"{self.entity} now counts as {self.kind}, not as {self.before}"


class EntityRemoved(EntitiesChanged, frozen=True, kw_only=True):
    """An entity was taken away, with its history."""

    @property
    def sentence(self) -> str:
        return f"{self.entity} was removed"


class ProfileKept(Event, frozen=True, kw_only=True):
    """The house has another profile for a make and model."""

    path: str

    @property
    def sentence(self) -> str:
        return f"the profile of {self.node} was saved in {self.path}"


class NetworkChosen(Event, frozen=True, kw_only=True):
    """A person said what to do with the foreign network on the stick."""

    choice: str

    @property
    def sentence(self) -> str:
        if self.choice == "keep":
            return "the network on the stick was taken over"
        return "the network on the stick was erased"


class LinkTroubled(Event, frozen=True, kw_only=True):
    """Something is wrong with a link."""

    link: str
    problem: str

    @property
    def sentence(self) -> str:
        return self.problem


class LinkWell(Event, frozen=True, kw_only=True):
    """A link that had been in trouble works again."""

    link: str

    @property
    def sentence(self) -> str:
        return f"{self.link} works again"


class MqttAccountAdded(Event, frozen=True, kw_only=True):
    """An MQTT account may use the MQTT listener."""

    account: str

    @property
    def sentence(self) -> str:
        return f"the MQTT account {self.account} may sign in"


class MqttAccountChanged(Event, frozen=True, kw_only=True):
    """An MQTT account has other topics, or another key."""

    account: str
    has: str

    @property
    def sentence(self) -> str:
        return f"the MQTT account {self.account} has {self.has}"


class MqttAccountRemoved(Event, frozen=True, kw_only=True):
    """An MQTT account is shut out."""

    account: str

    @property
    def sentence(self) -> str:
        return f"the MQTT account {self.account} can no longer sign in"
