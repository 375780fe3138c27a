"""Floors and rooms: adding, naming, and putting them in the order the person wants."""

from __future__ import annotations

import asyncio
import contextlib

from hombi.core.names import slug
from hombi.hub.errors import Invalid, NotFound, Refused
from hombi.hub.house import Floor, House, Room
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right, while_stored
from hombi.hub.naming import proper_name
from hombi.hub.rooms.events import (
    FloorAdded,
    FloorChanged,
    FloorRemoved,
    RoomAdded,
    RoomChanged,
    RoomRemoved,
)
from hombi.hub.settings.config import Config

FIRST_FLOOR_NAME = "Ground floor"


class Rooms(Feature):
    """The floors and rooms of the house."""

    name = "rooms"

    def __init__(self, context: Context, house: House, config: Config) -> None:
        super().__init__(context)
        self.house = house
        house.units, house.position = config.units, config.position
        # Two nodes that are let in at once may both name the same new room.
        self.adding = asyncio.Lock()

    async def reconfigured(self, new: Config, old: Config) -> None:
        self.house.units, self.house.position = new.units, new.position

    def check_name(self, name: str) -> None:
        """Raises Invalid for what no room can be called, unless there is one."""
        if not name.strip() or slug(name) in self.house.rooms:
            return
        if not slug(proper_name(name, "the name of a room")):
            raise Invalid("a room needs a name with a letter or a digit")

    async def find_or_add(self, name: str, by: Actor) -> Room | None:
        """The room of this name (or slug), added on the lowest floor when there is
        none; None for no name."""
        if not name.strip():
            return None
        async with self.adding:
            room = await self.room_called(name)
            if room is not None and not room.id:
                await self.context.thread.run(self.store, room)
                self.house.rooms[room.slug] = room
                self.context.announce(RoomAdded(room=room.name, floor=room.floor.name), by)
            return room

    async def add_floor(self, name: str, position: int | None = None) -> Floor:
        """Add a floor, on top unless a position says otherwise. Raises Invalid."""
        self.check_floor_name(name)
        top = max((f.position for f in self.house.floors.values()), default=-1) + 1
        records = self.context.records.house
        floor = await self.context.thread.run(records.add_floor, name.strip(), top)
        self.house.floors[floor.id] = floor
        if position is not None and position < top:
            await self.place_floor(floor, position)
        return floor

    def check_floor_name(self, name: str, besides: Floor | None = None) -> None:
        """Raises Invalid for a name that no floor can have, or another one has."""
        name = proper_name(name, "the name of a floor")
        if not name:
            raise Invalid("a floor needs a name")
        plain = name.casefold()
        others = (f for f in self.house.floors.values() if f is not besides)
        if any(f.name.casefold() == plain for f in others):
            raise Invalid(f"there is a floor {name} already")

    async def place_floor(self, floor: Floor, position: int) -> None:
        """Put a floor in its place, and the others around it."""
        others = [f for f in self.house.floors.values() if f is not floor]
        others.sort(key=lambda f: f.position)
        others.insert(max(0, position), floor)
        for place, other in enumerate(others):
            if other.position != place:
                other.position = place
                await self.context.thread.run(self.context.records.house.save_floor, other)

    async def room_called(self, name: str) -> Room | None:
        """The room of this name (or slug); where there is none, one that is not stored
        yet, and has no number. None for no name. Raises Invalid."""
        if not name.strip():
            return None
        with contextlib.suppress(NotFound):
            return self.house.room(name)
        return self.house.rooms.get(slug(name)) or await self._new_room(name)

    def store(self, room: Room) -> None:
        """In the records thread: store a room that is new."""
        made = self.context.records.house.add_room(room.slug, room.name, room.floor, room.position)
        room.id = made.id

    async def add_room(self, name: str, floor: str = "") -> Room:
        """Add a room at the end of a floor. Raises Invalid, NotFound."""
        room = await self._new_room(name, floor)
        await self.context.thread.run(self.store, room)
        self.house.rooms[room.slug] = room
        return room

    async def _new_room(self, name: str, floor: str = "") -> Room:
        name = proper_name(name, "the name of a room")
        address = slug(name)
        if not address:
            raise Invalid("a room needs a name with a letter or a digit")
        if address in self.house.rooms:
            raise Invalid(f"there is a room {self.house.rooms[address].name} already")
        on = await self._floor(floor)
        beside = (r.position for r in self.house.rooms.values() if r.floor is on)
        return Room(0, address, name, on, max(beside, default=-1) + 1)

    async def _floor(self, name: str) -> Floor:
        if not self.house.floors:
            return await self.add_floor(name or FIRST_FLOOR_NAME)
        if not name:
            return min(self.house.floors.values(), key=lambda f: f.position)
        return self.floor(name)

    def floor(self, name: str) -> Floor:
        """Raises NotFound."""
        for floor in self.house.floors.values():
            if floor.name.casefold() == name.strip().casefold():
                return floor
        names = ", ".join(f.name for f in self.house.floors.values())
        raise NotFound(f"no floor {name}; there are {names}")

    async def place(self, room: Room, floor: Floor, position: int | None) -> None:
        """Put a room in its place on a floor, and the others beside it."""
        moved = room.floor is not floor
        room.floor = floor
        beside = [r for r in self.house.rooms.values() if r.floor is floor and r is not room]
        beside.sort(key=lambda r: r.position)
        usual = len(beside) if moved else room.position
        beside.insert(max(0, usual if position is None else position), room)
        for place, other in enumerate(beside):
            if other.position != place or other is room:
                other.position = place
                await self.context.thread.run(self.context.records.house.save_room, other)


class AddFloor(Change[Rooms, Floor], frozen=True):
    """Add a floor, on top unless a position says otherwise."""

    name: str
    position: int | None = None

    feature = Rooms
    right = Right.ARRANGE

    async def do(self, feature: Rooms, by: Actor) -> Done[Floor]:
        async with feature.adding:
            floor = await feature.add_floor(self.name, self.position)
        return Done(floor, FloorAdded(floor=floor.name))


class ChangeFloor(Change[Rooms, Floor], frozen=True):
    """Rename a floor, or put it in another place, 0 the lowest. Raises NotFound,
    Invalid."""

    floor: str
    name: str | None = None
    position: int | None = None

    feature = Rooms
    right = Right.ARRANGE

    async def do(self, feature: Rooms, by: Actor) -> Done[Floor]:
        async with feature.adding:
            floor = feature.floor(self.floor)
            before = floor.name
            if self.name is not None:
                feature.check_floor_name(self.name, besides=floor)
                floor.name = self.name.strip()
                await feature.context.thread.run(feature.context.records.house.save_floor, floor)
            if self.position is not None:
                await feature.place_floor(floor, self.position)
        return Done(floor, FloorChanged(floor=floor.name, before=before))


class RemoveFloor(Change[Rooms, None], frozen=True):
    """Take a floor without rooms away. Raises NotFound, Refused."""

    floor: str

    feature = Rooms
    right = Right.ARRANGE

    async def do(self, feature: Rooms, by: Actor) -> Done[None]:
        async with feature.adding:
            floor = feature.floor(self.floor)
            inside = [r.name for r in feature.house.rooms.values() if r.floor is floor]
            if inside:
                listed = ", ".join(inside)
                raise Refused(f"{floor.name} has rooms ({listed}); move or remove them first")
            await feature.context.thread.run(feature.context.records.house.remove_floor, floor)
            del feature.house.floors[floor.id]
        return Done(None, FloorRemoved(floor=floor.name))


class AddRoom(Change[Rooms, Room], frozen=True):
    """Add a room at the end of a floor, the lowest unless one is named."""

    name: str
    floor: str = ""

    feature = Rooms
    right = Right.ARRANGE

    async def do(self, feature: Rooms, by: Actor) -> Done[Room]:
        async with feature.adding:
            room = await feature.add_room(self.name, self.floor)
        return Done(room, RoomAdded(room=room.name, floor=room.floor.name))


class ChangeRoom(Change[Rooms, Room], frozen=True):
    """Rename a room (its address stays), or move it to another place or floor."""

    room: str
    name: str | None = None
    floor: str | None = None
    position: int | None = None

    feature = Rooms
    right = Right.ARRANGE

    async def do(self, feature: Rooms, by: Actor) -> Done[Room]:
        room = feature.house.room(self.room)
        before = room.name
        floor = room.floor if self.floor is None else feature.floor(self.floor)
        name = room.name if self.name is None else proper_name(self.name, "the name of a room")
        if not name:
            raise Invalid("a room needs a name")
        with while_stored(room, name=name, floor=room.floor, position=room.position):
            await feature.place(room, floor, self.position)
        return Done(room, RoomChanged(room=room.name, before=before, floor=floor.name))


class RemoveRoom(Change[Rooms, None], frozen=True):
    """Take an empty room away."""

    room: str

    feature = Rooms
    right = Right.ARRANGE

    async def do(self, feature: Rooms, by: Actor) -> Done[None]:
        room = feature.house.room(self.room)
        inside = [n.address for n in feature.house.nodes.values() if n.room is room]
        inside += [
            e.address for e in feature.house.entities.values() if e.node is None and e.room is room
        ]
        if inside:
            raise Refused(f"{room.name} is not empty ({', '.join(inside)}); move its nodes first")
        await feature.context.thread.run(feature.context.records.house.remove_room, room)
        del feature.house.rooms[room.slug]
        return Done(None, RoomRemoved(room=room.name))
