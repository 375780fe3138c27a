"""What only some drivers can do. The hub asks a driver for the protocol (`isinstance`),
never for the link's name."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol, TypeGuard, TypeVar, runtime_checkable

from hombi.links.base import Found, Wanted

C = TypeVar("C")
_known: dict[tuple[type, type], bool] = {}


def able(driver: object, can: type[C]) -> TypeGuard[C]:
    """Whether a driver has what one of these protocols wants. `isinstance` looks
    through the protocol each time, and a command waits for that."""
    key = (type(driver), can)
    result = _known.get(key)
    if result is None:
        result = _known[key] = isinstance(driver, can)
    return result


@dataclass(frozen=True, slots=True)
class Acted:
    """What became of an action. Over a way that brings no answer it was asked only:
    `done` is False."""

    done: bool
    answer: Any = None


@runtime_checkable
class Sends(Protocol):
    """A driver whose nodes take values."""

    async def send(self, node: str, wanted: Sequence[Wanted]) -> None:
        """Hand values over for a node. Returns when they are on their way; raises
        LinkError."""


@runtime_checkable
class SendsNow(Protocol):
    """A driver that can hand values over at once, so that an automation need not wait
    for its turn."""

    def send_now(self, node: str, wanted: Sequence[Wanted]) -> bool:
        """Hand values over for a node: they are on their way when this returns. False
        where that takes waiting; `send` is asked then. Raises LinkError."""


@runtime_checkable
class Glides(Protocol):
    """A driver with nodes that go to a value slowly by themselves; others are led there
    in steps."""

    def glides(self, node: str, name: str) -> bool:
        """Whether the node does so with this value (its name on the wire)."""


@runtime_checkable
class Promises(Protocol):
    """A driver with nodes that agree to send a value at least so often."""

    def promised_s(self, node: str) -> Mapping[str, float]:
        """The longest time between two reports of each value (its name on the wire),
        for the values of which the node has agreed to one."""


@runtime_checkable
class HasSettings(Protocol):
    """A driver whose nodes have settings of their own."""

    async def settings(self, node: str) -> dict[str, Any]:
        """How the node's settings stand, by their names on the wire; those it does not
        tell are left out. Raises LinkError."""

    async def set_setting(self, node: str, name: str, value: Any) -> None:
        """Change one of them. Raises LinkError."""


@runtime_checkable
class Acts(Protocol):
    """A driver whose nodes can be asked to do something."""

    async def act(self, node: str, action: str, given: Any) -> Acted:
        """Have the node do something. Raises LinkError."""


@runtime_checkable
class TriesSecrets(Protocol):
    """A driver whose nodes may ask the hub for a secret, which is in their `reach`."""

    async def try_secret(self, reach: Mapping[str, Any], secret: str) -> None:
        """Ask a node something with this secret. Raises ShutOut when it refuses it,
        LinkError when something else is wrong."""


@runtime_checkable
class KnowsConnected(Protocol):
    """A driver whose nodes may have a connection that stands."""

    def connected(self, node: str) -> bool:
        """Whether the node has one now."""


@runtime_checkable
class Pairs(Protocol):
    """A driver that finds nodes while the pairing window is open."""

    def pairing(self, is_open: bool) -> None:
        """The pairing window was opened or closed."""

    async def dismiss(self, thing_id: str) -> None:
        """A node that was found, or is being asked what it has, is not let in."""


@runtime_checkable
class Looks(Protocol):
    """A driver whose nodes are at addresses that a person can type."""

    async def look(self, address: str) -> Found:
        """Find out what is at this address. Raises LinkError."""


@runtime_checkable
class AsksAgain(Protocol):
    """A driver that can ask a node again what it has."""

    async def ask_again(self, thing_id: str) -> None:
        """Ask an arrival, or a node that is in. Raises LinkError."""


@runtime_checkable
class Welcomes(Protocol):
    """A driver with a door of its own: nodes ask to join by themselves, nodes that do
    not know Hombi say what they like, and people's programs listen."""

    link: str

    def welcome(self, node: str) -> dict[str, Any]:
        """What a node that was let in must know to use the door."""

    def cut_off(self, account: str) -> None:
        """End the connections of an account whose key is not what it was."""


@runtime_checkable
class HasStick(Protocol):
    """A driver with a stick that carries a network of its own."""

    async def choose(self, choice: str) -> None:
        """What to do with a foreign network on the stick: "keep" or "clean". Raises
        LinkError when there is none."""

    def info(self) -> dict[str, Any]:
        """What is known of the stick and its network."""


@runtime_checkable
class Profiles(Protocol):
    """A driver whose nodes have profiles by make and model."""

    def profile_of(self, node: str) -> tuple[Path, str, int]:
        """A node's profile: (its file, its text with what the node says and nothing
        names yet, how many those are). Raises LinkError."""

    async def put_profile(self, node: str, text: str) -> Path:
        """Keep a text as the profile of a node's make and model, and take it up; where
        it is kept. Raises ProfileMistakes, LinkError."""


@runtime_checkable
class Announces(Protocol):
    """A driver that makes the hub known in the house's network."""

    def announced(self) -> Sequence[str]:
        """The host names by which the hub is found."""


@runtime_checkable
class Reconfigures(Protocol):
    """A driver that applies some of its settings without a restart."""

    async def change(self, settings: Any) -> None:
        """Take up those that need no restart. Raises LinkError."""
