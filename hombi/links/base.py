"""The contract between a link and the hub.

A link is found by the entry point `hombi.links`, which names a `Link`: its name, the
tables of `hombi.toml` that are its own, and how its driver is made. A driver has a
small core of methods (`Driver`); what only some drivers can do are protocols of their
own, and the hub asks whether a driver has them. docs/links.md has a whole link as an
example.
"""

from __future__ import annotations

import asyncio
import ssl
from collections.abc import Callable, Coroutine, Mapping, Sequence
from pathlib import Path
from typing import Any, Protocol

import msgspec

from hombi.core.kinds import Kind
from hombi.core.outcome import Acknowledge
from hombi.core.senml import Resolved
from hombi.core.settings import Tables, Values
from hombi.core.toml_text import Mistake, TomlText
from hombi.links.offer import Offer

Kept = Mapping[str, dict[str, Any]]


class LinkError(Exception):
    """A link could not do what was asked; the message says why, in words for the person
    who asked."""


class ProfileMistakes(LinkError):
    """A profile's text cannot be used; `mistakes` say where."""

    def __init__(self, what: str, mistakes: Sequence[Mistake] = ()) -> None:
        super().__init__(what)
        self.mistakes = list(mistakes)


class Unreachable(LinkError):
    """The node is not connected, and its link cannot keep the command for it."""


class ShutOut(LinkError):
    """The node refuses the hub: it wants another secret."""


class Wanted(msgspec.Struct, frozen=True):
    """One value that a node's entity is asked to take, in the unit that the node
    speaks; at once, or slowly, within `taking_ms`. Of a choice, `word` is its word and
    `value` its number."""

    name: str
    value: float
    unit: str
    binary: bool
    taking_ms: int = 0
    word: str = ""


class Wired(msgspec.Struct, frozen=True):
    """An entity as its link knows it: its name and unit on the wire, and how it is
    picked and written if that is not usual."""

    name: str
    unit: str
    kind: Kind
    source: Mapping[str, Any]
    sink: Mapping[str, Any]


class OnLink(msgspec.Struct, frozen=True):
    """An admitted node as its link knows it. `reach` and `offer` are what the driver
    gave when it found the node; a `foreign` one does not know Hombi."""

    node: str
    reach: Mapping[str, Any]
    entities: tuple[Wired, ...]
    offer: Offer
    foreign: bool = False


class Found(msgspec.Struct, frozen=True):
    """A node that a driver found by itself: what it offers, and how it is reached.

    `asks` is what must be known to use it. `link` is the driver's own name.
    """

    thing_id: str
    offer: Offer
    reach: dict[str, Any]
    link: str
    asks: str = ""

    @property
    def title(self) -> str:
        """What it calls itself."""
        return self.offer.title


class Asking(msgspec.Struct, frozen=True):
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


class Check(msgspec.Struct, frozen=True):
    """What a look at one part found: `state` is ok, warning or fault; `advice` says
    what to do about it."""

    part: str
    state: str
    text: str
    advice: str = ""


class Reports(Protocol):
    """The hub's side: what a driver tells it. All of it is plain and synchronous, and
    nothing here waits, but for `observed_in_parts`."""

    def observed(
        self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge | None
    ) -> None:
        """A node sent values. `acknowledge` is told what became of them: that they are
        committed, that they will never be taken, or that they are to be sent again;
        None when the sender waits for nothing."""

    async def observed_in_parts(
        self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge | None
    ) -> None:
        """The same for thousands of values: a part at a time, so that others have their
        turn. Returns when all are taken."""

    def presence(self, node: str, here: bool) -> None:
        """A node came, or is gone."""

    def alive(self, node: str) -> None:
        """Something came from a node, whatever it was."""

    def listens(self, node: str) -> None:
        """A node can be told something from now on that it could not be told before."""

    def left(self, node: str) -> None:
        """A node has taken its leave: it was reset, or let into another house."""

    def refused(self, node: str, what: str) -> None:
        """A node sent something that could not be understood."""

    def said(self, node: str, event: str, text: str) -> None:
        """A node told of something that happened: the event's name, and its text."""

    def shut_out(self, node: str, why: str) -> None:
        """A node refuses the hub: its secret is another now; "" when it takes it
        again."""

    def heard(self, message: Heard) -> None:
        """A message came in; for who wants to see what is said."""

    def found(self, found: Found) -> None:
        """A node is there that did not ask by itself. One that is known and reached in
        another way now is told so too."""

    def asking(self, asking: Asking) -> None:
        """A node that may become an arrival is being asked what it has."""

    def trouble(self, link: str, what: str) -> None:
        """Something is wrong with the link itself; "" when it is well again."""


class OwnReports(Reports, Protocol):
    """What one driver is given: the same, and a place for what it wants kept."""

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        """State of the link's own that must outlive a restart; None when it is over. It
        is given back at the next start."""

    def when_kept(self, call: Callable[[], None]) -> None:
        """Call once all that was given to `keep` so far is on disk."""


class Keys(Protocol):
    """Who may come in: the hub's accounts, as a link's door asks for them."""

    def fits(self, node: str, secret: str) -> bool:
        """Whether this is the node's key."""

    def account(self, name: str, secret: str) -> tuple[Sequence[str], Sequence[str]] | None:
        """The topic filters that an MQTT account may publish and subscribe to; None
        when this is not its key."""


class Tasks(Protocol):
    """Where a driver's work runs: what fails is said, and hurts nothing beside it."""

    def start(self, work: Coroutine[Any, Any, Any], name: str) -> asyncio.Task[Any]:
        """Begin work that ends by itself."""

    def watch(self, name: str, run: Callable[[], Coroutine[Any, Any, None]]) -> asyncio.Task[None]:
        """Run a loop until it is cancelled; one that fails is restarted."""


class Clock(Protocol):
    """Time."""

    def now_ms(self) -> int:
        """Milliseconds since 1970."""


class Surroundings(msgspec.Struct, frozen=True):
    """What a link may know of the hub: its data folder, the house's name, and the
    ports of its API; that of HTTPS is 0 where it does not speak it."""

    data: Path
    house_name: str = "Home"
    http_port: int = 0
    https_port: int = 0


class LinkContext(msgspec.Struct, frozen=True):
    """What a driver is given: whom it reports to, the clock, where its work runs, who
    may come in, what it asked to be kept before a restart, and the house's certificate
    for a door of its own."""

    reports: OwnReports
    clock: Clock
    tasks: Tasks
    keys: Keys
    kept: Kept = {}
    tls: ssl.SSLContext | None = None


class Driver(Protocol):
    """One link's code: what every driver can."""

    link: str
    # Whether its nodes have connections, whose beginning and end it reports. A node of
    # another link counts as here until it is silent.
    connects: bool

    async def start(self) -> None:
        """Begin to listen. Raises LinkError when the link cannot listen."""

    async def stop(self) -> None:
        """Stop listening and let go of everything."""

    def follow(self, known: OnLink) -> None:
        """Take up an admitted node, or take note of how it has changed."""

    async def remove(self, node: str) -> None:
        """Forget a node and cut it off."""

    def way(self, known: OnLink) -> str:
        """How a node speaks: "senml" by itself, "described" as its Thing Description
        says, "foreign" as it likes, "paired" over a radio of its own."""

    def listening(self) -> str:
        """Where this link listens, or why it cannot, in words."""

    def checks(self) -> list[Check]:
        """How the link is."""


class Link(msgspec.Struct, frozen=True):
    """A link, as its entry point names it.

    `tables` are the tables of `hombi.toml` that are its own. `settings` makes its
    settings of what those say (defaults filled in) and of the surroundings; it raises
    SettingsError for what does not go together. `make` makes the driver of them.
    `checks` know files of the link's own (as a node profile is one): each says what
    such a file is for, noting what is wrong in it, or None for another file.
    """

    name: str
    tables: Tables
    settings: Callable[[Values, Surroundings], Any]
    make: Callable[[LinkContext, Any], Driver]
    checks: tuple[Callable[[TomlText], str | None], ...] = ()
