"""What becomes of what nodes are asked for."""

from __future__ import annotations

from hombi.hub.kernel.events import Event, Quiet
from hombi.hub.rooms.events import RoomsChanged


class ActionFailed(Event, frozen=True, kw_only=True):
    """Something that an automation asked for was refused; it did the rest."""

    problem: str

    @property
    def sentence(self) -> str:
        return f"{self.automation} could not do all that it says: {self.problem}"


class SetByHand(Quiet, frozen=True, kw_only=True):
    """A person has set an entity; `by` says who did so from afar, "" that it was done
    at the node."""

    by: str


class HandChanged(Quiet, frozen=True, kw_only=True):
    """An automation leaves an entity to a person from now on, or does so no more."""


class CommandChanged(Quiet, frozen=True, kw_only=True):
    """A command was asked, or has its answer. Times are ms since 1970."""

    id: int
    value: float
    by: str
    state: str
    problem: str
    asked_ms: int
    answered_ms: int


class CommandConfirmed(Event, frozen=True, kw_only=True):
    """A node confirmed what it was asked for; `late` says how long after, if it was
    late, else `took_ms` how long it took."""

    shown: str
    asked_by: str
    late: str = ""
    took_ms: int = 0

    @property
    def sentence(self) -> str:
        before = f" {self.late} before" if self.late else ""
        return f"{self.entity} is {self.shown}, as {self.asked_by} asked{before}"


class CommandFailed(Event, frozen=True, kw_only=True):
    """A node did not confirm what it was asked for; it stays wanted."""

    shown: str
    asked_by: str
    problem: str

    @property
    def sentence(self) -> str:
        return f"{self.entity} is not {self.shown}, as {self.asked_by} asked: {self.problem}"


class WishChanged(Quiet, frozen=True, kw_only=True):
    """What an entity is wanted to be has changed, or is so now."""


class SceneRecorded(RoomsChanged, frozen=True, kw_only=True):
    """A scene has the states of now."""

    scene: str

    @property
    def sentence(self) -> str:
        return f"the scene {self.scene} was recorded"


class SceneRemoved(RoomsChanged, frozen=True, kw_only=True):
    """A scene was removed."""

    scene: str

    @property
    def sentence(self) -> str:
        return f"the scene {self.scene} was removed"


class SceneRecalled(Event, frozen=True, kw_only=True):
    """A scene was recalled; `failed` names what did not confirm."""

    scene: str
    failed: str

    @property
    def sentence(self) -> str:
        left = f"; {self.failed} did not confirm it" if self.failed else ""
        return f"the scene {self.scene} was recalled{left}"
