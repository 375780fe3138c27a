"""What happens to the house as a whole, and to the hub itself."""

from __future__ import annotations

from hombi.hub.kernel.events import Event, Fault, Quiet


class HubStarted(Event, frozen=True, kw_only=True):
    """The hub is up."""

    @property
    def sentence(self) -> str:
        return "the hub is up"


class HubUpdated(Event, frozen=True, kw_only=True):
    """The hub is another version than before."""

    before: str
    now: str

    @property
    def sentence(self) -> str:
        return f"Hombi is {self.now} now; it was {self.before}"


class HubStopped(Event, frozen=True, kw_only=True):
    """The hub was told to stop."""

    @property
    def sentence(self) -> str:
        return "the hub was stopped"


class RoomsChanged(Event, frozen=True, kw_only=True):
    """The floors and rooms are others than before."""


class DashboardArranged(RoomsChanged, frozen=True, kw_only=True):
    """A page of tiles has other tiles than before."""

    dashboard: str

    @property
    def sentence(self) -> str:
        return f"the page {self.dashboard} was arranged"


class DashboardRemoved(RoomsChanged, frozen=True, kw_only=True):
    """A page of tiles was removed; that of a room comes by itself again."""

    dashboard: str

    @property
    def sentence(self) -> str:
        return f"the arranged page {self.dashboard} was removed"


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


class SceneRecalled(Event, frozen=True, kw_only=True):
    """A scene was recalled; `failed` names what did not confirm."""

    scene: str
    failed: str

    @property
    def sentence(self) -> str:
        left = f"; {self.failed} did not confirm it" if self.failed else ""
        return f"the scene {self.scene} was recalled{left}"


class HouseNamed(Event, frozen=True, kw_only=True):
    """The house has another name, or stands in another time zone."""

    house: str

    @property
    def sentence(self) -> str:
        return f"the house is now called {self.house}"


class FloorAdded(RoomsChanged, frozen=True, kw_only=True):
    """There is one more floor."""

    floor: str

    @property
    def sentence(self) -> str:
        return f"the floor {self.floor} was added"


class FloorChanged(RoomsChanged, frozen=True, kw_only=True):
    """A floor has another name or another place."""

    floor: str
    before: str

    @property
    def sentence(self) -> str:
        if self.floor != self.before:
            return f"the floor {self.before} is now called {self.floor}"
        return f"the floor {self.floor} was moved"


class FloorRemoved(RoomsChanged, frozen=True, kw_only=True):
    """A floor was taken away."""

    floor: str

    @property
    def sentence(self) -> str:
        return f"the floor {self.floor} was removed"


class RoomAdded(RoomsChanged, frozen=True, kw_only=True):
    """There is one more room."""

    room: str
    floor: str

    @property
    def sentence(self) -> str:
        return f"{self.room} was added to {self.floor}"


class RoomChanged(RoomsChanged, frozen=True, kw_only=True):
    """A room has another name or another place."""

    room: str
    before: str
    floor: str

    @property
    def sentence(self) -> str:
        if self.room != self.before:
            return f"{self.before} is now called {self.room}"
        return f"{self.room} was moved to {self.floor}"


class RoomRemoved(RoomsChanged, frozen=True, kw_only=True):
    """A room was taken away."""

    room: str

    @property
    def sentence(self) -> str:
        return f"the room {self.room} was removed"


class ClockSet(Event, frozen=True, kw_only=True):
    """The machine's clock was set."""

    by_ms: int

    @property
    def sentence(self) -> str:
        way = "forward" if self.by_ms > 0 else "back"
        seconds = abs(self.by_ms) / 1000
        return (
            f"the machine's clock was set {way} by {seconds:.0f} s; waiting times are counted again"
        )


class DatesPutRight(Event, frozen=True, kw_only=True):
    """What came in while the machine's clock was wrong is dated right."""

    count: int
    by_ms: int

    @property
    def sentence(self) -> str:
        return (
            f"the clock is right now: {self.count} readings that came before are dated "
            f"{self.by_ms / 1000:.0f} s later"
        )


class SettingsTakenUp(Quiet, frozen=True, kw_only=True):
    """Settings of `hombi.toml` hold from now on."""


class SettingsChanged(Event, frozen=True, kw_only=True):
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


class SettingsRefused(Event, frozen=True, kw_only=True):
    """`hombi.toml` has a mistake."""

    problem: str

    @property
    def sentence(self) -> str:
        return f"hombi.toml contains a mistake and was ignored: {self.problem}"


class LinkTroubled(Event, frozen=True, kw_only=True):
    """Something is wrong with a link."""

    link: str
    problem: str

    @property
    def sentence(self) -> str:
        return self.problem


class LinkWell(Event, frozen=True, kw_only=True):
    """A link that had been in trouble works again."""

    link: str

    @property
    def sentence(self) -> str:
        return f"{self.link} works again"


class WritingFailed(Fault, frozen=True, kw_only=True):
    """The disk does not take what is to be stored; it is kept and tried again."""


class ReadingsLost(Fault, frozen=True, kw_only=True):
    """Readings that were acknowledged cannot be read any more."""


class WritingResumed(Event, frozen=True, kw_only=True):
    """The disk takes readings again."""

    held: int

    @property
    def sentence(self) -> str:
        return f"readings are saved again; {self.held} were held in memory"


class ToolAdded(Event, frozen=True, kw_only=True):
    """A person's tool may use the MQTT door."""

    tool: str

    @property
    def sentence(self) -> str:
        return f"the tool {self.tool} may sign in at the MQTT door"


class ToolChanged(Event, frozen=True, kw_only=True):
    """A tool has other topics, or another key."""

    tool: str
    has: str

    @property
    def sentence(self) -> str:
        return f"the tool {self.tool} has {self.has}"


class ToolRemoved(Event, frozen=True, kw_only=True):
    """A tool is shut out."""

    tool: str

    @property
    def sentence(self) -> str:
        return f"the tool {self.tool} can no longer sign in at the MQTT door"


class OwnerClaimed(Event, frozen=True, kw_only=True):
    """Somebody made the hub theirs."""

    person: str

    @property
    def sentence(self) -> str:
        return f"{self.person} claimed this hub"


class TokenMade(Event, frozen=True, kw_only=True):
    """A program was signed in."""

    program: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.program} signed in as {self.person}"


class TokenRevoked(Event, frozen=True, kw_only=True):
    """A program must sign in again."""

    program: str
    person: str

    @property
    def sentence(self) -> str:
        return f"{self.program} of {self.person} was signed out"
