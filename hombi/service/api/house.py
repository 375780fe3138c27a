"""The house: its floors and rooms, what needs a person, and how the hub is."""

from __future__ import annotations

from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response

from hombi import __version__, wire
from hombi.hub.house_settings import ChangeHouse
from hombi.hub.hub import Hub
from hombi.hub.rooms import AddFloor, AddRoom, ChangeFloor, ChangeRoom, RemoveFloor, RemoveRoom
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, done, given
from hombi.service.bridge import change, read


def house(h: Hub) -> wire.House:
    """The house at a glance."""
    floors = sorted(h.house.floors.values(), key=lambda f: f.position)
    return wire.House(
        name=h.config.house_name,
        time_zone=h.config.zone.key,
        units=list(h.config.units),
        floors=[answers.floor(h, one) for one in floors],
        needs=[
            wire.Need(kind=n.kind, text=n.text, path=n.path)  # type: ignore[arg-type]
            for n in h.needs()
        ],
        nodes=len(h.house.nodes),
        entities=len(h.house.entities),
        automations=len(h.automations.runners),
        phones=len(h.outbox.phones),
        links=[wire.Link(link=d.link, listening=d.listening()) for d in h.links.drivers.values()],
        started_at=h.started_ms,
        readings_committed=h.writer.committed,
        readings_held=h.writer.held,
        version=__version__,
    )


class HealthView(View):
    """For whoever watches over the hub; no sign-in."""

    authentication_classes = ()
    permission_classes = (AllowAny,)

    @operation(gives=wire.Health, open_to_all=True)
    def get(self, request: Request) -> Response:
        """Whether the hub works."""
        impaired = read(lambda h: bool(h.writer.problem or h.context.tasks.failing))
        return Response(wire.Health(status="impaired" if impaired else "ok", version=__version__))


class HouseView(View):
    """The house."""

    @operation(gives=wire.House)
    def get(self, request: Request) -> Response:
        """The house at a glance."""
        return Response(read(house))

    @operation(takes=wire.HouseChange, gives=wire.House)
    def patch(self, request: Request) -> Response:
        """Name it, or say in which time zone it stands."""
        asked = body(request, wire.HouseChange)
        wanted = ChangeHouse(given(asked.name), given(asked.time_zone), given(asked.units))
        return Response(change(actor(request), wanted, lambda h, _: house(h)))


class FloorsView(View):
    """Floors."""

    @operation(takes=wire.FloorRequest, gives=wire.Floor, status=201)
    def post(self, request: Request) -> Response:
        """Add a floor."""
        asked = body(request, wire.FloorRequest)
        wanted = AddFloor(asked.name, given(asked.position))
        return Response(change(actor(request), wanted, answers.floor), status=201)


class FloorView(View):
    """One floor."""

    @operation(takes=wire.FloorChange, gives=wire.Floor)
    def patch(self, request: Request, floor: str) -> Response:
        """Rename it, or put it in another place."""
        asked = body(request, wire.FloorChange)
        wanted = ChangeFloor(floor, given(asked.name), given(asked.position))
        return Response(change(actor(request), wanted, answers.floor))

    @operation()
    def delete(self, request: Request, floor: str) -> Response:
        """Take it away; it must be without rooms."""
        return done(request, RemoveFloor(floor))


class RoomsView(View):
    """Rooms."""

    @operation(name="rooms_list", gives=list[wire.Room])
    def get(self, request: Request) -> Response:
        """All rooms, by floor from the lowest, each from the left."""

        def look(h: Hub) -> list[wire.Room]:
            rooms = sorted(h.house.rooms.values(), key=lambda r: (r.floor.position, r.position))
            return [answers.room(one) for one in rooms]

        return Response(read(look))

    @operation(takes=wire.RoomRequest, gives=wire.Room, status=201)
    def post(self, request: Request) -> Response:
        """Add a room."""
        asked = body(request, wire.RoomRequest)
        wanted = AddRoom(asked.name, asked.floor)
        return Response(change(actor(request), wanted, lambda _, r: answers.room(r)), status=201)


class RoomView(View):
    """One room."""

    @operation(takes=wire.RoomChange, gives=wire.Room)
    def patch(self, request: Request, room: str) -> Response:
        """Rename or move it."""
        asked = body(request, wire.RoomChange)
        wanted = ChangeRoom(room, given(asked.name), given(asked.floor), given(asked.position))
        return Response(change(actor(request), wanted, lambda _, r: answers.room(r)))

    @operation()
    def delete(self, request: Request, room: str) -> Response:
        """Take it away; it must be empty."""
        return done(request, RemoveRoom(room))
