"""What happens to the house as a whole, and to the hub itself."""

from __future__ import annotations

from dataclasses import dataclass

from hombi.hub.kernel.events import Event, Fault, Quiet


@dataclass(frozen=True, slots=True, kw_only=True)
class HubStarted(Event):
    """The hub is up."""

    @property
    def sentence(self) -> str:
        return "the hub is up"


@dataclass(frozen=True, slots=True, kw_only=True)
class HubUpdated(Event):
    """The hub is another version than before."""

    before: str
    now: str

    @property
    def sentence(self) -> str:
        return f"Hombi is {self.now} now; it was {self.before}"


@dataclass(frozen=True, slots=True, kw_only=True)
class HubStopped(Event):
    """The hub was told to stop."""

    @property
    def sentence(self) -> str:
        return "the hub was stopped"


@dataclass(frozen=True, slots=True, kw_only=True)
class RoomsChanged(Event):
    """The floors and rooms are others than before."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DashboardArranged(RoomsChanged):
    """A page of tiles has other tiles than before."""

    dashboard: str

    @property
    def sentence(self) -> str:
        return f"the page {self.dashboard} was arranged"


@dataclass(frozen=True, slots=True, kw_only=True)
class DashboardRemoved(RoomsChanged):
    """A page of tiles was removed; that of a room comes by itself again."""

    dashboard: str

    @property
    def sentence(self) -> str:
        return f"the arranged page {self.dashboard} was removed"


@dataclass(frozen=True, slots=True, kw_only=True)
class SceneRecorded(RoomsChanged):
    """A scene has the states of now."""

    scene: str

    @property
    def sentence(self) -> str:
        return f"the scene {self.scene} was recorded"


@dataclass(frozen=True, slots=True, kw_only=True)
class SceneRemoved(RoomsChanged):
    """A scene was removed."""

    scene: str

    @property
    def sentence(self) -> str:
        return f"the scene {self.scene} was removed"


@dataclass(frozen=True, slots=True, kw_only=True)
class SequenceKept(RoomsChanged):
    """A sequence has another text, or is new."""

    sequence: str

    @property
    def sentence(self) -> str:
        return f"the sequence {self.sequence} was written"


@dataclass(frozen=True, slots=True, kw_only=True)
class SequenceRemoved(RoomsChanged):
    """A sequence was removed."""

    sequence: str

    @property
    def sentence(self) -> str:
        return f"the sequence {self.sequence} was removed"


@dataclass(frozen=True, slots=True, kw_only=True)
class SceneRecalled(Event):
    """A scene was recalled; `failed` names what did not confirm."""

    scene: str
    failed: str

    @property
    def sentence(self) -> str:
        left = f"; {self.failed} did not confirm it" if self.failed else ""
        return f"the scene {self.scene} was recalled{left}"


@dataclass(frozen=True, slots=True, kw_only=True)
class HouseNamed(Event):
    """The house has another name, or stands in another time zone."""

    house: str

    @property
    def sentence(self) -> str:
        return f"the house is now called {self.house}"


@dataclass(frozen=True, slots=True, kw_only=True)
class FloorAdded(RoomsChanged):
    """There is one more floor."""

    floor: str

    @property
    def sentence(self) -> str:
        return f"the floor {self.floor} was added"


@dataclass(frozen=True, slots=True, kw_only=True)
class FloorChanged(RoomsChanged):
    """A floor has another name or another place."""

    floor: str
    before: str

    @property
    def sentence(self) -> str:
        if self.floor != self.before:
            return f"the floor {self.before} is now called {self.floor}"
        return f"the floor {self.floor} was moved"


@dataclass(frozen=True, slots=True, kw_only=True)
class FloorRemoved(RoomsChanged):
    """A floor was taken away."""

    floor: str

    @property
    def sentence(self) -> str:
        return f"the floor {self.floor} was removed"


@dataclass(frozen=True, slots=True, kw_only=True)
class RoomAdded(RoomsChanged):
    """There is one more room."""

    room: str
    floor: str

    @property
    def sentence(self) -> str:
        return f"{self.room} was added to {self.floor}"


@dataclass(frozen=True, slots=True, kw_only=True)
class RoomChanged(RoomsChanged):
    """A room has another name or another place."""

    room: str
    before: str
    floor: str

    @property
    def sentence(self) -> str:
        if self.room != self.before:
            return f"{self.before} is now called {self.room}"
        return f"{self.room} was moved to {self.floor}"


@dataclass(frozen=True, slots=True, kw_only=True)
class RoomRemoved(RoomsChanged):
    """A room was taken away."""

    room: str

    @property
    def sentence(self) -> str:
        return f"the room {self.room} was removed"


@dataclass(frozen=True, slots=True, kw_only=True)
class ClockSet(Event):
    """The machine's clock was set."""

    by_ms: int

    @property
    def sentence(self) -> str:
        way = "forward" if self.by_ms > 0 else "back"
        seconds = abs(self.by_ms) / 1000
        return (
            f"the machine's clock was set {way} by {seconds:.0f} s; waiting times are counted again"
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class DatesPutRight(Event):
    """What came in while the machine's clock was wrong is dated right."""

    count: int
    by_ms: int

    @property
    def sentence(self) -> str:
        return (
            f"the clock is right now: {self.count} readings that came before are dated "
            f"{self.by_ms / 1000:.0f} s later"
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class SettingsTakenUp(Quiet):
    """Settings of `hombi.toml` hold from now on."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SettingsChanged(Event):
    """`hombi.toml` was read again: the keys that are others, and those of them that
    need a restart."""

    keys: tuple[str, ...]
    waiting: tuple[str, ...] = ()

    @property
    def sentence(self) -> str:
        later = f"; restart the hub for {', '.join(self.waiting)}"
        return (
            f"new settings from hombi.toml: {', '.join(self.keys)}{later if self.waiting else ''}"
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class SettingsRefused(Event):
    """`hombi.toml` has a mistake."""

    problem: str

    @property
    def sentence(self) -> str:
        return f"hombi.toml contains a mistake and was ignored: {self.problem}"


@dataclass(frozen=True, slots=True, kw_only=True)
class LinkTroubled(Event):
    """Something is wrong with a link."""

    link: str
    problem: str

    @property
    def sentence(self) -> str:
        return self.problem


@dataclass(frozen=True, slots=True, kw_only=True)
class LinkWell(Event):
    """A link that had been in trouble works again."""

    link: str

    @property
    def sentence(self) -> str:
        return f"{self.link} works again"


@dataclass(frozen=True, slots=True, kw_only=True)
class WritingFailed(Fault):
    """The disk does not take what is to be stored; it is kept and tried again."""


@dataclass(frozen=True, slots=True, kw_only=True)
class WritingResumed(Event):
    """The disk takes readings again."""

    held: int

    @property
    def sentence(self) -> str:
        return f"readings are saved again; {self.held} were held in memory"


@dataclass(frozen=True, slots=True, kw_only=True)
class ToolAdded(Event):
    """A person's tool may use the MQTT door."""

    tool: str

    @property
    def sentence(self) -> str:
        return f"the tool {self.tool} may sign in at the MQTT door"


@dataclass(frozen=True, slots=True, kw_only=True)
class ToolChanged(Event):
    """A tool has other topics, or another key."""

    tool: str
    has: str

    @property
    def sentence(self) -> str:
        return f"the tool {self.tool} has {self.has}"


@dataclass(frozen=True, slots=True, kw_only=True)
class ToolRemoved(Event):
    """A tool is shut out."""

    tool: str

    @property
    def sentence(self) -> str:
        return f"the tool {self.tool} can no longer sign in at the MQTT door"


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnerClaimed(Event):
    """Somebody made the hub theirs."""

    person: str

    @property
    def sentence(self) -> str:
        return f"{self.person} claimed this hub"


@dataclass(frozen=True, slots=True, kw_only=True)
class TokenMade(Event):
    """A program was signed in."""

    program: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.program} signed in as {self.person}"


@dataclass(frozen=True, slots=True, kw_only=True)
class TokenRevoked(Event):
    """A program must sign in again."""

    program: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.program} of {self.person} was signed out"
