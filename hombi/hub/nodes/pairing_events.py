"""What happens in the pairing window, and to its arrivals."""

from __future__ import annotations

from hombi.core.values import show_span
from hombi.hub.kernel.events import Event, Fault, Quiet


class PairingOpened(Event, frozen=True, kw_only=True):
    """The pairing window is open."""

    until_ms: int
    for_ms: int

    @property
    def sentence(self) -> str:
        return f"pairing is open for {show_span(self.for_ms)}"


class PairingClosed(Event, frozen=True, kw_only=True):
    """The pairing window is closed."""

    @property
    def sentence(self) -> str:
        return "pairing is closed"


class NodeArrived(Event, frozen=True, kw_only=True):
    """A node asks to join, or was found."""

    title: str
    how: str

    @property
    def sentence(self) -> str:
        return f"{self.title} {self.how}"


class ArrivalChanged(Quiet, frozen=True, kw_only=True):
    """An arrival is there, is another than before, or is over."""

    id: str
    title: str
    state: str
    progress: str


class ArrivalLocked(Event, frozen=True, kw_only=True):
    """An arrival is locked out after wrong setup codes."""

    title: str
    wrong_codes: int

    @property
    def sentence(self) -> str:
        return f"{self.title} is locked out after {self.wrong_codes} wrong setup codes"


class ArrivalForgotten(Fault, frozen=True, kw_only=True):
    """Too many nodes ask to join; the one unheard longest is let go."""


class ArrivalRefused(Fault, frozen=True, kw_only=True):
    """A node that was found cannot be an arrival."""


class ArrivalTurnedAway(Event, frozen=True, kw_only=True):
    """A person sent an arrival away."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} was turned away"
