"""The house: its floors and rooms, what needs a person, and how the hub is."""

from __future__ import annotations

from importlib.resources import files

import msgspec
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response

from hombi import __version__
from hombi.core.changelog import releases
from hombi.core.sun import Position
from hombi.hub.household.settings import ChangeHouse
from hombi.hub.hub import Hub
from hombi.hub.kernel import HOUSE, Actor, Right
from hombi.hub.rooms.feature import (
    AddFloor,
    AddRoom,
    ChangeFloor,
    ChangeRoom,
    RemoveFloor,
    RemoveRoom,
)
from hombi.service.accounts.who import sees, sees_room
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, done, given
from hombi.service.bridge import change, read
from hombi.wire.house import (
    Floor,
    FloorChange,
    FloorRequest,
    Health,
    House,
    HouseChange,
    Job,
    Link,
    Need,
    Release,
    Room,
    RoomChange,
    RoomRequest,
    Where,
)


def house(h: Hub, who: Actor = HOUSE) -> House:
    """The house at a glance; of it what is theirs to see."""
    floors = sorted(h.house.floors.values(), key=lambda f: f.position)
    if who.scoped:
        return _part_of(h, who, [answers.floor(h, floor) for floor in floors])
    return House(
        name=h.config.house_name,
        time_zone=h.config.zone.key,
        where=Where(**where._asdict()) if (where := h.config.position) else None,
        units=list(h.config.units),
        floors=[answers.floor(h, floor) for floor in floors],
        needs=[
            Need(kind=n.kind, text=n.text, path=n.path)  # type: ignore[arg-type]
            for n in h.needs()
        ],
        jobs=[
            Job(
                text=h.jobs.in_words(job),
                entity=h.jobs.entity(job) or None,
                progress=job.progress,
                problem=job.problem,
            )
            for job in h.jobs.under_way()
        ],
        nodes=len(h.house.nodes),
        entities=len(h.house.entities),
        automations=len(h.automations.runners),
        phones=len(h.outbox.phones),
        links=[Link(link=d.link, listening=d.listening()) for d in h.links.drivers.values()],
        started_at=h.started_ms,
        readings_committed=h.writer.committed,
        readings_held=h.writer.held,
        version=__version__,
        updated_from=h.updates.lately_from,
    )


def _part_of(h: Hub, who: Actor, floors: list[Floor]) -> House:
    """The house for a guest or a wall."""
    theirs = [
        msgspec.structs.replace(floor, rooms=[r for r in floor.rooms if sees_room(who, r.room)])
        for floor in floors
    ]
    return House(
        name=h.config.house_name, time_zone=h.config.zone.key, where=None,
        units=list(h.config.units), floors=[floor for floor in theirs if floor.rooms], needs=[],
        jobs=[], nodes=1, entities=sum(sees(h, who, e) for e in h.house.entities.values()),
        automations=0, phones=0, links=[], started_at=h.started_ms, readings_committed=0,
        readings_held=0, version=__version__, updated_from="",
    )  # fmt: skip


class ReleasesView(View):
    """What is new in Hombi."""

    @operation(name="releases_list", gives=list[Release])
    def get(self, request: Request) -> Response:
        """The releases, newest first, with what is new in each."""
        text = (files("hombi") / "CHANGELOG.md").read_text(encoding="utf-8")
        result = releases(text)
        return Response(
            [Release(name=release.name, lines=list(release.lines)) for release in result]
        )


class HealthView(View):
    """For whoever watches over the hub; no sign-in."""

    authentication_classes = ()
    permission_classes = (AllowAny,)

    @operation(gives=Health, open_to_all=True)
    def get(self, request: Request) -> Response:
        """Whether the hub works."""
        impaired = read(lambda h: bool(h.writer.problem or h.context.tasks.failing))
        return Response(Health(status="impaired" if impaired else "ok", version=__version__))


class ReadyView(View):
    """For whoever decides whether to send people here; no sign-in."""

    authentication_classes = ()
    permission_classes = (AllowAny,)

    @operation(name="health_ready", gives=Health, open_to_all=True)
    def get(self, request: Request) -> Response:
        """200 while the hub can keep what it is sent, 503 while it cannot. That it
        answers at all says that it lives."""
        held_up = read(lambda h: h.writer.problem)
        health = Health(status="impaired" if held_up else "ok", version=__version__)
        return Response(health, status=503 if held_up else 200)


class HouseView(View):
    """The house."""

    reads = Right.LOOK

    @operation(gives=House)
    def get(self, request: Request) -> Response:
        """The house at a glance."""
        who = actor(request)
        return Response(read(lambda h: house(h, who)))

    @operation(takes=HouseChange, gives=House)
    def patch(self, request: Request) -> Response:
        """Name it, or say where it stands, and in which units it sees its values."""
        payload = body(request, HouseChange)
        where = given(payload.where)
        position = Position(where.latitude, where.longitude) if where else None
        wanted = ChangeHouse(
            given(payload.name), given(payload.time_zone), given(payload.units), position
        )
        return Response(change(actor(request), wanted, lambda h, _: house(h)))


class FloorsView(View):
    """Floors."""

    @operation(takes=FloorRequest, gives=Floor, status=201)
    def post(self, request: Request) -> Response:
        """Add a floor."""
        payload = body(request, FloorRequest)
        wanted = AddFloor(payload.name, given(payload.position))
        return Response(change(actor(request), wanted, answers.floor), status=201)


class FloorView(View):
    """One floor."""

    @operation(takes=FloorChange, gives=Floor)
    def patch(self, request: Request, floor: str) -> Response:
        """Rename it, or put it in another place."""
        payload = body(request, FloorChange)
        wanted = ChangeFloor(floor, given(payload.name), given(payload.position))
        return Response(change(actor(request), wanted, answers.floor))

    @operation()
    def delete(self, request: Request, floor: str) -> Response:
        """Take it away; it must be without rooms."""
        return done(request, RemoveFloor(floor))


class RoomsView(View):
    """Rooms."""

    reads = Right.LOOK

    @operation(name="rooms_list", gives=list[Room])
    def get(self, request: Request) -> Response:
        """All rooms, by floor from the lowest, each from the left."""

        who = actor(request)

        def look(h: Hub) -> list[Room]:
            rooms = sorted(h.house.rooms.values(), key=lambda r: (r.floor.position, r.position))
            return [answers.room(room) for room in rooms if sees_room(who, room.slug)]

        return Response(read(look))

    @operation(takes=RoomRequest, gives=Room, status=201)
    def post(self, request: Request) -> Response:
        """Add a room."""
        payload = body(request, RoomRequest)
        wanted = AddRoom(payload.name, payload.floor)
        return Response(change(actor(request), wanted, lambda _, r: answers.room(r)), status=201)


class RoomView(View):
    """One room."""

    @operation(takes=RoomChange, gives=Room)
    def patch(self, request: Request, room: str) -> Response:
        """Rename or move it."""
        payload = body(request, RoomChange)
        wanted = ChangeRoom(
            room, given(payload.name), given(payload.floor), given(payload.position)
        )
        return Response(change(actor(request), wanted, lambda _, r: answers.room(r)))

    @operation()
    def delete(self, request: Request, room: str) -> Response:
        """Take it away; it must be empty."""
        return done(request, RemoveRoom(room))
