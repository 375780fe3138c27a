"""The contract between a driver and the hub: what a driver does, and what it reports."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from hombi.core.senml import Resolved

# Called once what a node sent is safe on disk: only then may its sender be told.
Acknowledge = Callable[[], None]


class LinkError(Exception):
    """A link could not do what was asked; the message says why, in words for the person who asked."""


class Unreachable(LinkError):
    """The node is not connected, and its link cannot keep the command for it."""


@dataclass(frozen=True, slots=True)
class Wanted:
    """One value that a node's entity is asked to take, in the unit that the node speaks."""

    name: str
    value: float
    unit: str
    binary: bool


class Reports(Protocol):
    """The hub's side: what a driver tells it. All of it is plain and synchronous; nothing here waits."""

    def observed(self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge) -> None:
        """A node sent values. `acknowledge` is called after they are committed."""

    def presence(self, node: str, here: bool) -> None:
        """A node came, or is gone."""

    def refused(self, node: str, what: str) -> None:
        """A node sent something that could not be understood."""

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        """State of the link's own that must outlive a restart; None when it is over. It is given back at the next start."""


class Driver(Protocol):
    """One link's code."""

    link: str

    async def start(self) -> None:
        """Begin to listen. Raises LinkError when the link cannot listen."""

    async def stop(self) -> None:
        """Stop listening and let go of everything."""

    async def send(self, node: str, wanted: Sequence[Wanted]) -> None:
        """Hand values over for a node. Returns when they are on their way; raises Unreachable."""

    async def remove(self, node: str) -> None:
        """Forget a node and cut it off."""

    def listening(self) -> str:
        """Where this link listens, or why it cannot, in words."""
