"""What automations do."""

from __future__ import annotations

from dataclasses import dataclass

from hombi.hub.kernel.events import Event, Fault, Quiet


@dataclass(frozen=True, slots=True, kw_only=True)
class AutomationAdded(Event):
    """There is one more automation."""

    title: str

    @property
    def sentence(self) -> str:
        return f"{self.title} was added"


@dataclass(frozen=True, slots=True, kw_only=True)
class AutomationChanged(Event):
    """An automation has another text, or is put on or off duty."""

    how: str

    @property
    def sentence(self) -> str:
        return f"{self.automation} {self.how}"


@dataclass(frozen=True, slots=True, kw_only=True)
class AutomationAcknowledged(Event):
    """Somebody sees to what an automation has started for."""

    title: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.person} sees to {self.title}; it reminds nobody any more"


@dataclass(frozen=True, slots=True, kw_only=True)
class ActionFailed(Event):
    """Something that an automation asked for was refused; it did the rest."""

    problem: str

    @property
    def sentence(self) -> str:
        return f"{self.automation} could not do all that it says: {self.problem}"


@dataclass(frozen=True, slots=True, kw_only=True)
class ActionsRun(Event):
    """Somebody ran the actions of an automation by themselves."""

    title: str
    edge: str

    @property
    def sentence(self) -> str:
        return f"the {self.edge} actions of {self.title} were run"


@dataclass(frozen=True, slots=True, kw_only=True)
class AutomationRemoved(Event):
    """An automation was taken away."""

    @property
    def sentence(self) -> str:
        return f"{self.automation} was removed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Decided(Event):
    """An automation decided something: its name, and what it saw in words."""

    title: str
    why: str
    value: float
    limit: float
    held_ms: int


@dataclass(frozen=True, slots=True, kw_only=True)
class AutomationStarted(Decided):
    """What an automation watches has begun."""

    @property
    def sentence(self) -> str:
        return f"{self.title} started: {self.why}"


@dataclass(frozen=True, slots=True, kw_only=True)
class AutomationEnded(Decided):
    """What an automation watches is over."""

    @property
    def sentence(self) -> str:
        return f"{self.title} ended: {self.why}"


@dataclass(frozen=True, slots=True, kw_only=True)
class AutomationBlind(Decided):
    """An automation that is on cannot see what it watches any more."""

    @property
    def sentence(self) -> str:
        return f"{self.title} cannot see: {self.why}"


@dataclass(frozen=True, slots=True, kw_only=True)
class AutomationStopped(Fault):
    """The hub stopped an automation, or it cannot do all that its text says."""

    @property
    def sentence(self) -> str:
        return f"{self.automation} {self.what}"


@dataclass(frozen=True, slots=True, kw_only=True)
class PhaseChanged(Quiet):
    """An automation stands elsewhere than before. Times are ms since 1970."""

    phase: str
    since_ms: int
