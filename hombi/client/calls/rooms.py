"""Floors and rooms."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.client.calls.base import Call, path, unless_none
from hombi.wire.house import (
    Floor,
    FloorChange,
    FloorRequest,
    House,
    HouseChange,
    Room,
    RoomChange,
    RoomRequest,
    Where,
)


def add_floor(name: str, position: int | None = None) -> Call[Floor]:
    """Add a floor, on top unless a position says otherwise."""
    body = FloorRequest(name=name, position=unless_none(position))
    return Call("POST", "/api/floors", Floor, body=body)


def change_house(
    *,
    name: str | None = None,
    time_zone: str | None = None,
    where: tuple[float, float] | None = None,
    units: Sequence[str] | None = None,
) -> Call[House]:
    """Name the house, or say in which time zone and where it stands (degrees
    north and east), and in which units it sees its values."""
    place = None if where is None else Where(latitude=where[0], longitude=where[1])
    body = HouseChange(
        name=unless_none(name),
        time_zone=unless_none(time_zone),
        where=unless_none(place),
        units=unless_none(None if units is None else list(units)),
    )
    return Call("PATCH", "/api/house", House, body=body)


def rename_floor(floor: str, name: str) -> Call[Floor]:
    """Rename a floor."""
    return Call("PATCH", path("floors", floor), Floor, body=FloorChange(name=name))


def move_floor(floor: str, position: int) -> Call[Floor]:
    """Put a floor in another place, 0 the lowest; the others make room."""
    body = FloorChange(position=position)
    return Call("PATCH", path("floors", floor), Floor, body=body)


def remove_floor(floor: str) -> Call[None]:
    """Take a floor without rooms away."""
    return Call("DELETE", path("floors", floor), None)


def list_() -> Call[list[Room]]:
    """All rooms, by floor from the lowest, each from the left."""
    return Call("GET", "/api/rooms", list[Room])


def add(name: str, floor: str = "") -> Call[Room]:
    """Add a room at the end of a floor, the lowest unless one is named."""
    return Call("POST", "/api/rooms", Room, body=RoomRequest(name=name, floor=floor))


def rename(room: str, name: str) -> Call[Room]:
    """Rename a room; its address stays."""
    return Call("PATCH", path("rooms", room), Room, body=RoomChange(name=name))


def move(room: str, *, floor: str | None = None, position: int | None = None) -> Call[Room]:
    """Put a room on a floor, or in another place on its own, counted from the left."""
    body = RoomChange(floor=unless_none(floor), position=unless_none(position))
    return Call("PATCH", path("rooms", room), Room, body=body)


def remove(room: str) -> Call[None]:
    """Take an empty room away."""
    return Call("DELETE", path("rooms", room), None)
