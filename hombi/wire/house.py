"""The house: its floors and rooms, what needs a person, and how the hub is."""

from __future__ import annotations

from typing import Annotated, Literal

from hombi.wire.base import UNSET, Ask, Meta, Ms, Shape, UnsetType

RoomName = Annotated[str, Meta(min_length=1, max_length=80)]
Position = Annotated[int, Meta(ge=0, le=1000)]


class Room(Shape, frozen=True, kw_only=True):
    """A room; `position` counts from the left on its floor."""

    room: str
    name: str
    floor: str
    position: int


class Floor(Shape, frozen=True, kw_only=True):
    """A floor, 0 the lowest, with its rooms in order."""

    id: int
    name: str
    position: int
    rooms: list[Room]


class Need(Shape, frozen=True, kw_only=True):
    """Something that needs a person; `path` is the console's page for it."""

    kind: Literal[
        "disk", "settings", "link", "part", "arrival", "silent", "left", "battery", "secret",
        "automation", "notice", "wanted", "backup", "certificate",
        "clock",
    ]  # fmt: skip
    text: str
    path: str


class Job(Shape, frozen=True, kw_only=True):
    """Work over the past that is under way. It goes on after a restart, and waits while
    the disk does not take it."""

    text: Annotated[str, Meta(description="what it does, in words")]
    entity: Annotated[str | None, Meta(description="what it is about; null for the house")]
    progress: Annotated[float | None, Meta(description="0 to 1; null where its end is not known")]
    problem: Annotated[str, Meta(description='what hinders it; "" for nothing')]


class Link(Shape, frozen=True, kw_only=True):
    """A link and where it listens."""

    link: str
    listening: str


class Where(Ask, frozen=True, kw_only=True):
    """A place on the earth, in degrees: north and east are positive."""

    latitude: Annotated[float, Meta(ge=-90, le=90)]
    longitude: Annotated[float, Meta(ge=-180, le=180)]


class House(Shape, frozen=True, kw_only=True):
    """The house at a glance. `readings_held` wait for the disk; `where` is null while
    nobody has said it."""

    name: str
    time_zone: str
    where: Where | None
    units: Annotated[
        list[str], Meta(description="in which values are seen, where not in their kinds'")
    ]
    floors: list[Floor]
    needs: list[Need]
    jobs: list[Job]
    nodes: int
    entities: int
    automations: int
    phones: int
    links: list[Link]
    started_at: Ms
    readings_committed: Annotated[int, Meta(description="since the hub started")]
    readings_held: Annotated[int, Meta(description="waiting for the disk")]
    version: str
    updated_from: Annotated[
        str, Meta(description='the version of before, for a week after an update; else ""')
    ]


class Release(Shape, frozen=True, kw_only=True):
    """A release, with what is new in it: paragraphs and points."""

    name: str
    lines: list[str]


class Health(Shape, frozen=True, kw_only=True):
    """Whether the hub works."""

    status: Literal["ok", "impaired"]
    version: str


class Check(Shape, frozen=True, kw_only=True):
    """How one part of the hub is, and what to do about it."""

    part: str
    state: Literal["ok", "warning", "fault"]
    text: str
    advice: str


class RoomRequest(Ask, frozen=True, kw_only=True):
    """A room to add, at the end of a floor; the lowest floor unless one is named."""

    name: RoomName
    floor: Annotated[str, Meta(max_length=80)] = ""


class RoomChange(Ask, frozen=True, kw_only=True):
    """What to change of a room."""

    name: RoomName | UnsetType = UNSET
    floor: RoomName | UnsetType = UNSET
    position: Position | UnsetType = UNSET


class HouseChange(Ask, frozen=True, kw_only=True):
    """What to change of the house. It is written into `hombi.toml`."""

    name: RoomName | UnsetType = UNSET
    time_zone: Annotated[str, Meta(max_length=80)] | UnsetType = UNSET
    where: Where | UnsetType = UNSET
    units: list[str] | UnsetType = UNSET


class FloorChange(Ask, frozen=True, kw_only=True):
    """What to change of a floor; `position` 0 is the lowest."""

    name: RoomName | UnsetType = UNSET
    position: Position | UnsetType = UNSET


class FloorRequest(Ask, frozen=True, kw_only=True):
    """A floor to add, on top unless `position` says otherwise."""

    name: RoomName
    position: Position | UnsetType = UNSET
