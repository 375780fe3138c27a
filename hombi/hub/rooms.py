"""Floors and rooms: adding, naming, and putting them in the order the person wants."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass, field

from hombi.hub.errors import Invalid, NotFound, Refused
from hombi.hub.house import Floor, House, Room
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.ports import Records
from hombi.hub.records_thread import RecordsThread
from hombi.links.thing_description import slug

FIRST_FLOOR_NAME = "Ground floor"


@dataclass
class Rooms:
    """The actions on floors and rooms."""

    house: House
    records: Records
    thread: RecordsThread
    live: Live
    journal: Journal
    # Two nodes that are let in at once may both name the same new room.
    _adding: asyncio.Lock = field(default_factory=asyncio.Lock)

    async def find_or_add(self, name: str) -> Room:
        """The room of this name (or slug), added on the lowest floor when there is
        none."""
        async with self._adding:
            return self.house.rooms.get(slug(name)) or await self._add_room(name)

    async def add_floor(self, name: str, position: int | None = None) -> Floor:
        """Add a floor, on top unless a position says otherwise. Raises Invalid."""
        async with self._adding:
            return await self._add_floor(name, position)

    async def add_room(self, name: str, floor: str = "") -> Room:
        """Add a room at the end of a floor (the lowest when none is named). Raises
        Invalid, NotFound."""
        async with self._adding:
            return await self._add_room(name, floor)

    async def _add_floor(self, name: str, position: int | None = None) -> Floor:
        if not name.strip():
            raise Invalid("a floor needs a name")
        if any(f.name == name.strip() for f in self.house.floors.values()):
            raise Invalid(f"there is a floor {name.strip()} already")
        if position is None:
            position = max((f.position for f in self.house.floors.values()), default=-1) + 1
        floor = await self.thread.run(self.records.add_floor, name.strip(), position)
        self.house.floors[floor.id] = floor
        self._changed()
        return floor

    async def _add_room(self, name: str, floor: str = "") -> Room:
        address = slug(name)
        if not address:
            raise Invalid("a room needs a name with a letter or a digit")
        if address in self.house.rooms:
            raise Invalid(f"there is a room {self.house.rooms[address].name} already")
        on = await self._floor(floor)
        position = (
            max((r.position for r in self.house.rooms.values() if r.floor is on), default=-1) + 1
        )
        room = await self.thread.run(self.records.add_room, address, name.strip(), on, position)
        self.house.rooms[address] = room
        self.journal.note("RoomAdded", f"{room.name} was added on {on.name}")
        self._changed()
        return room

    async def change_room(
        self,
        address: str,
        *,
        name: str | None = None,
        floor: str | None = None,
        position: int | None = None,
    ) -> Room:
        """Rename or move a room; its address stays. `position` counts from the left
        among the rooms of its floor."""
        room = self.house.room(address)
        if name is not None:
            if not name.strip():
                raise Invalid("a room needs a name")
            room.name = name.strip()
        if floor is not None:
            room.floor = await self._floor(floor)
        beside = [r for r in self.house.rooms.values() if r.floor is room.floor and r is not room]
        beside.sort(key=lambda r: r.position)
        beside.insert(
            len(beside)
            if position is None and floor is not None
            else _clip(position, room.position),
            room,
        )
        for place, other in enumerate(beside):
            if other.position != place or other is room:
                other.position = place
                await self.thread.run(self.records.save_room, other)
        self._changed()
        return room

    async def remove_room(self, address: str) -> None:
        """Take an empty room away. Raises Refused while nodes are in it."""
        room = self.house.room(address)
        inside = [n.address for n in self.house.nodes.values() if n.room is room]
        if inside:
            raise Refused(f"{room.name} is not empty ({', '.join(inside)}); move its nodes first")
        await self.thread.run(self.records.remove_room, room)
        del self.house.rooms[address]
        self._changed()

    async def _floor(self, name: str) -> Floor:
        if not self.house.floors:
            return await self._add_floor(name or FIRST_FLOOR_NAME)
        if not name:
            return min(self.house.floors.values(), key=lambda f: f.position)
        for floor in self.house.floors.values():
            if floor.name == name:
                return floor
        raise NotFound(
            f"no floor {name}; there are {', '.join(f.name for f in self.house.floors.values())}"
        )

    def _changed(self) -> None:
        self.live.publish("house", {"changed": "rooms"})


def _clip(position: int | None, otherwise: int) -> int:
    return max(0, position if position is not None else otherwise)
