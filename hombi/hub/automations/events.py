"""What automations do."""

from __future__ import annotations

from hombi.hub.kernel.events import Event, Fault, Quiet
from hombi.hub.rooms.events import RoomsChanged


class AutomationAdded(Event, frozen=True, kw_only=True):
    """There is one more automation."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} was added"


class AutomationChanged(Event, frozen=True, kw_only=True):
    """An automation has another text, or is put on or off duty."""

    how: str

    @property
    def sentence(self) -> str:
        return f"{self.automation} {self.how}"


class AutomationAcknowledged(Event, frozen=True, kw_only=True):
    """Somebody sees to what an automation has started for."""

    title: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.person} sees to {self.title}; it reminds nobody any more"


class ActionsRun(Event, frozen=True, kw_only=True):
    """Somebody ran the actions of an automation by themselves."""

    title: str
    edge: str

    @property
    def sentence(self) -> str:
        return f"the {self.edge} actions of {self.title} were run"


class AutomationRemoved(Event, frozen=True, kw_only=True):
    """An automation was taken away."""

    @property
    def sentence(self) -> str:
        return f"{self.automation} was removed"


class Decided(Event, frozen=True, kw_only=True):
    """An automation decided something: its name, and what it saw in words."""

    title: str
    why: str
    value: float
    limit: float
    held_ms: int


class AutomationStarted(Decided, frozen=True, kw_only=True):
    """What an automation watches has begun."""

    @property
    def sentence(self) -> str:
        return f"{self.title} started: {self.why}"


class AutomationEnded(Decided, frozen=True, kw_only=True):
    """What an automation watches is over."""

    @property
    def sentence(self) -> str:
        return f"{self.title} ended: {self.why}"


class AutomationBlind(Decided, frozen=True, kw_only=True):
    """An automation that is on cannot see what it watches any more."""

    @property
    def sentence(self) -> str:
        return f"{self.title} cannot see: {self.why}"


class AutomationLeavesAlone(Event, frozen=True, kw_only=True):
    """A person has set an entity that an automation would set: it leaves that to them
    until it starts anew."""

    by: str

    @property
    def sentence(self) -> str:
        hand = f"{self.by} set {self.entity}" if self.by else f"{self.entity} was set by hand"
        return f"{hand}; {self.automation} leaves it alone until it starts again"


class AutomationStopped(Fault, frozen=True, kw_only=True):
    """The hub stopped an automation, or it cannot do all that its text says."""

    @property
    def sentence(self) -> str:
        return f"{self.automation} {self.what}"


class PhaseChanged(Quiet, frozen=True, kw_only=True):
    """An automation stands elsewhere than before. Times are ms since 1970."""

    phase: str
    since_ms: int


class SequenceKept(RoomsChanged, frozen=True, kw_only=True):
    """A sequence has another text, or is new."""

    sequence: str

    @property
    def sentence(self) -> str:
        return f"the sequence {self.sequence} was written"


class SequenceRemoved(RoomsChanged, frozen=True, kw_only=True):
    """A sequence was removed."""

    sequence: str

    @property
    def sentence(self) -> str:
        return f"the sequence {self.sequence} was removed"
