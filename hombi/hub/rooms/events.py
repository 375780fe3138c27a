"""What happens to floors, rooms and pages."""

from __future__ import annotations

from hombi.hub.kernel.events import Event


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
