"""What happens at the door: the pairing window and its arrivals."""

from __future__ import annotations

from dataclasses import dataclass

from hombi.core.values import show_span
from hombi.hub.kernel.events import Event, Fault, Quiet


@dataclass(frozen=True, slots=True, kw_only=True)
class PairingOpened(Event):
    """The pairing window is open."""

    until_ms: int
    for_ms: int

    @property
    def sentence(self) -> str:
        return f"pairing is open for {show_span(self.for_ms)}"


@dataclass(frozen=True, slots=True, kw_only=True)
class PairingClosed(Event):
    """The pairing window is closed."""

    @property
    def sentence(self) -> str:
        return "pairing is closed"


@dataclass(frozen=True, slots=True, kw_only=True)
class NodeArrived(Event):
    """A node asks to join, or was found."""

    title: str
    how: str

    @property
    def sentence(self) -> str:
        return f"{self.title} {self.how}"


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalChanged(Quiet):
    """An arrival is there, is another than before, or is over."""

    id: str
    title: str
    state: str
    progress: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalLocked(Event):
    """An arrival is locked out after wrong setup codes."""

    title: str
    wrong_codes: int

    @property
    def sentence(self) -> str:
        return f"{self.title} is locked out after {self.wrong_codes} wrong setup codes"


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalForgotten(Fault):
    """Too many nodes ask to join; the one unheard longest is let go."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalRefused(Fault):
    """A node that was found cannot be an arrival."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalTurnedAway(Event):
    """A person sent an arrival away."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} was turned away"
