"""The house: its floors and rooms, what needs a person, and how the hub is."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers as s
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi import __version__
from hombi.hub.house import Floor, Room
from hombi.service.api.shapes import Shape, checked
from hombi.service.bridge import call, hub

MAX_POSITION = 1000


class RoomShape(Shape):
    """A room; `position` counts from the left on its floor."""

    room = s.CharField()
    name = s.CharField()
    floor = s.CharField()
    position = s.IntegerField()


class FloorShape(Shape):
    """A floor, 0 the lowest, with its rooms in order."""

    id = s.IntegerField()
    name = s.CharField()
    position = s.IntegerField()
    rooms = RoomShape(many=True)


class NeedShape(Shape):
    """Something that needs a person; `path` is the console's page for it."""

    kind = s.ChoiceField(
        ["disk", "settings", "link", "arrival", "silent", "left", "battery", "automation", "notice"]
    )
    text = s.CharField()
    path = s.CharField()


class LinkShape(Shape):
    """A link and where it listens."""

    link = s.CharField()
    listening = s.CharField()


class HouseShape(Shape):
    """The house at a glance."""

    name = s.CharField()
    time_zone = s.CharField()
    floors = FloorShape(many=True)
    needs = NeedShape(many=True)
    nodes = s.IntegerField()
    entities = s.IntegerField()
    automations = s.IntegerField()
    phones = s.IntegerField()
    links = LinkShape(many=True)
    started_at = s.IntegerField()
    readings_committed = s.IntegerField(help_text="since the hub started")
    readings_held = s.IntegerField(help_text="waiting for the disk")
    version = s.CharField()


class HealthShape(Shape):
    """Whether the hub works."""

    status = s.ChoiceField(["ok", "impaired"])
    version = s.CharField()


class RoomRequest(Shape):
    """A room to add."""

    name = s.CharField(max_length=80)
    floor = s.CharField(max_length=80, default="", allow_blank=True)


class RoomChange(Shape):
    """What to change of a room."""

    name = s.CharField(max_length=80, required=False)
    floor = s.CharField(max_length=80, required=False)
    position = s.IntegerField(min_value=0, max_value=MAX_POSITION, required=False)


class FloorRequest(Shape):
    """A floor to add, on top unless `position` says otherwise."""

    name = s.CharField(max_length=80)
    position = s.IntegerField(min_value=0, max_value=MAX_POSITION, required=False)


def room_data(room: Room) -> dict[str, Any]:
    """A room as programs see it."""
    return {
        "room": room.slug,
        "name": room.name,
        "floor": room.floor.name,
        "position": room.position,
    }


def floor_data(floor: Floor) -> dict[str, Any]:
    """A floor as programs see it."""
    rooms = sorted(
        (r for r in list(hub().house.rooms.values()) if r.floor is floor), key=lambda r: r.position
    )
    return {
        "id": floor.id,
        "name": floor.name,
        "position": floor.position,
        "rooms": [room_data(r) for r in rooms],
    }


class HealthView(APIView):
    """For whoever watches over the hub; no sign-in."""

    authentication_classes = ()
    permission_classes = (AllowAny,)

    @extend_schema(responses=HealthShape, auth=[])
    def get(self, request: Request) -> Response:
        """Whether the hub works."""
        return Response(
            {"status": "impaired" if hub().writer.problem else "ok", "version": __version__}
        )


class HouseView(APIView):
    """The house."""

    @extend_schema(responses=HouseShape)
    def get(self, request: Request) -> Response:
        """The house at a glance."""
        h = hub()
        floors = sorted(h.house.floors.values(), key=lambda f: f.position)
        return Response(
            {
                "name": h.config.house_name,
                "time_zone": h.config.zone.key,
                "floors": [floor_data(f) for f in floors],
                "needs": h.needs(),
                "nodes": len(h.house.nodes),
                "entities": len(h.house.entities),
                "automations": len(h.engine.runners),
                "phones": len(h.outbox.phones),
                "links": [{"link": d.link, "listening": d.listening()} for d in h.drivers.values()],
                "started_at": h.started_ms,
                "readings_committed": h.writer.committed,
                "readings_held": h.writer.held,
                "version": __version__,
            }
        )


class FloorsView(APIView):
    """Floors."""

    @extend_schema(request=FloorRequest, responses={201: FloorShape})
    def post(self, request: Request) -> Response:
        """Add a floor."""
        given = checked(request, FloorRequest)
        return Response(
            floor_data(call(hub().rooms.add_floor(given["name"], given.get("position")))),
            status=201,
        )


class RoomsView(APIView):
    """Rooms."""

    @extend_schema(request=RoomRequest, responses={201: RoomShape})
    def post(self, request: Request) -> Response:
        """Add a room."""
        return Response(
            room_data(call(hub().rooms.add_room(**checked(request, RoomRequest)))), status=201
        )


class RoomView(APIView):
    """One room."""

    @extend_schema(request=RoomChange, responses=RoomShape)
    def patch(self, request: Request, room: str) -> Response:
        """Rename or move it."""
        return Response(
            room_data(call(hub().rooms.change_room(room, **checked(request, RoomChange))))
        )

    @extend_schema(responses={204: None})
    def delete(self, request: Request, room: str) -> Response:
        """Take it away; it must be empty."""
        call(hub().rooms.remove_room(room))
        return Response(status=204)
