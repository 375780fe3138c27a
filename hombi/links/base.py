"""The contract between a driver and the hub: what a driver does, and what it
reports."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

import msgspec

from hombi.core.kinds import Kind
from hombi.core.senml import Resolved

# Called once what a node sent is safe on disk: only then may its sender be told.
Acknowledge = Callable[[], None]


class LinkError(Exception):
    """A link could not do what was asked; the message says why, in words for the person
    who asked."""


class Unreachable(LinkError):
    """The node is not connected, and its link cannot keep the command for it."""


@dataclass(frozen=True, slots=True)
class Wanted:
    """One value that a node's entity is asked to take, in the unit that the node
    speaks."""

    name: str
    value: float
    unit: str
    binary: bool


@dataclass(frozen=True, slots=True)
class Wired:
    """An entity as its link knows it: its name and unit on the wire, and how it is
    picked and written if that is not usual."""

    name: str
    unit: str
    kind: Kind
    source: Mapping[str, Any]
    sink: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class OnLink:
    """An admitted node as its link knows it. `reach` is what the driver gave when it
    found the node."""

    node: str
    reach: Mapping[str, Any]
    entities: tuple[Wired, ...]


@dataclass(frozen=True, slots=True)
class Found:
    """A node that a driver found by itself: its description, and how it is reached.
    `asks` is what must be known to use it.

    `description` is a Thing Description on every link; where the node has none, its
    driver writes it down after an interview. `notes` say what of the node cannot be
    used, a sentence each.
    """

    thing_id: str
    title: str
    description: dict[str, Any]
    reach: dict[str, Any]
    asks: str = ""
    link: str = "wifi"
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Asking:
    """A node that is being asked what it has: how far that is. `over` says that nothing
    will come of it."""

    link: str
    thing_id: str
    title: str
    progress: str
    over: bool = False


class Heard(msgspec.Struct, frozen=True):
    """One message as it came. `via` is where: door, broker, http, or a link with a
    radio of its own; `node` is whose it is, "" when nobody knows."""

    via: str
    topic: str
    payload: bytes
    sender: str = ""
    node: str = ""
    qos: int = 0
    retained: bool = False


@dataclass(frozen=True, slots=True)
class Check:
    """What a look at one part found: `state` is ok, warning or fault; `advice` says
    what to do about it."""

    part: str
    state: str
    text: str
    advice: str = ""


class Reports(Protocol):
    """The hub's side: what a driver tells it. All of it is plain and synchronous;
    nothing here waits."""

    def observed(
        self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge | None
    ) -> None:
        """A node sent values. `acknowledge` is called after they are committed; None
        when the sender waits for nothing."""

    def presence(self, node: str, here: bool) -> None:
        """A node came, or is gone."""

    def alive(self, node: str) -> None:
        """Something came from a node, whatever it was."""

    def left(self, node: str) -> None:
        """A node has taken its leave: it was reset, or let into another house."""

    def refused(self, node: str, what: str) -> None:
        """A node sent something that could not be understood."""

    def heard(self, message: Heard) -> None:
        """A message came in; for who wants to see what is said."""

    def found(self, found: Found) -> None:
        """A node is there that did not ask by itself. One that is known and reached in
        another way now is told so too."""

    def asking(self, asking: Asking) -> None:
        """A node that may become an arrival is being asked what it has."""

    def trouble(self, link: str, what: str) -> None:
        """Something is wrong with the link itself; "" when it is well again."""

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        """State of the link's own that must outlive a restart; None when it is over. It
        is given back at the next start."""

    def when_kept(self, call: Callable[[], None]) -> None:
        """Call once all that was given to `keep` so far is on disk."""


class Driver(Protocol):
    """One link's code."""

    link: str

    async def start(self) -> None:
        """Begin to listen. Raises LinkError when the link cannot listen."""

    async def stop(self) -> None:
        """Stop listening and let go of everything."""

    async def change(self, settings: Any) -> None:
        """Take up those of the link's settings that need no restart. Raises
        LinkError."""

    def follow(self, known: OnLink) -> None:
        """Take up an admitted node, or take note of how it has changed."""

    async def send(self, node: str, wanted: Sequence[Wanted]) -> None:
        """Hand values over for a node. Returns when they are on their way; raises
        Unreachable."""

    async def settings(self, node: str) -> dict[str, Any]:
        """How the node's own settings stand, by their names on the wire; those it does
        not tell are left out. Raises LinkError."""

    async def set_setting(self, node: str, name: str, value: Any) -> None:
        """Change one of the node's own settings. Raises LinkError."""

    async def act(self, node: str, action: str, given: Any) -> Any:
        """Have the node do something; what it answers. Raises LinkError."""

    def unsupported(self, description: dict[str, Any], url: str) -> tuple[str, ...]:
        """What a node's description asks for that this link cannot do, one sentence
        each."""

    async def look(self, address: str) -> Found:
        """Find out what is at this address. Raises LinkError."""

    async def remove(self, node: str) -> None:
        """Forget a node and cut it off."""

    async def dismiss(self, thing_id: str) -> None:
        """A node that was found, or is being asked what it has, is not to be let in."""

    async def ask_again(self, thing_id: str) -> None:
        """Ask a node anew what it has, an arrival or one that is in. Raises
        LinkError."""

    def cut_off(self, account: str) -> None:
        """End the connections of an account whose key is not what it was."""

    def pairing(self, is_open: bool) -> None:
        """The pairing window was opened or closed."""

    def listening(self) -> str:
        """Where this link listens, or why it cannot, in words."""

    def checks(self) -> list[Check]:
        """How the link is."""


@dataclass(frozen=True, slots=True)
class TlsFiles:
    """Certificates as PEM files; "" where there is none."""

    ca: str = ""
    certificate: str = ""
    key: str = ""


@dataclass(frozen=True, slots=True)
class BrokerSettings:
    """An MQTT broker that the house has already."""

    host: str
    port: int = 1883
    user: str = ""
    password: str = field(default="", repr=False)
    version: str = "5"
    topics: tuple[str, ...] = ("#",)
    tls: TlsFiles | None = None


@dataclass(frozen=True, slots=True)
class WifiSettings:
    """What can be set of the Wi-Fi link."""

    host: str
    port: int
    tls_port: int = 0
    tls: TlsFiles | None = None
    broker: BrokerSettings | None = None
    discovery: str = "all"
    http_port: int = 0
    name: str = "Home"
    read_every_s: float = 30.0


@dataclass(frozen=True, slots=True)
class ZigbeeSettings:
    """What can be set of the Zigbee link; without a port there is none. `profiles` is
    the house's own folder of them."""

    port: str = ""
    baud: int = 115_200
    profiles: Path | None = None


@dataclass(frozen=True, slots=True)
class BluetoothSettings:
    """What can be set of the Bluetooth link; an `adapter` of "" is the machine's
    first."""

    enabled: bool = True
    adapter: str = ""


@dataclass(frozen=True, slots=True)
class LinkSettings:
    """What can be set of all links."""

    wifi: WifiSettings
    zigbee: ZigbeeSettings = field(default_factory=ZigbeeSettings)
    bluetooth: BluetoothSettings = field(default_factory=BluetoothSettings)
