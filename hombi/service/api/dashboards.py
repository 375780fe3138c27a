"""Dashboards: the pages of tiles, and the pictures on them."""

from __future__ import annotations

from collections.abc import Sequence

from django.http import HttpResponse
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.hub.errors import NotFound
from hombi.hub.hub import Hub
from hombi.hub.kernel import HOUSE, Actor, Right
from hombi.hub.notices.camera import picture_at
from hombi.hub.rooms.dashboards import (
    AddDashboard,
    ArrangeDashboard,
    Dashboard,
    RemoveDashboard,
    Tile,
)
from hombi.service.accounts.who import sees
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, done, picture
from hombi.service.bridge import change, read
from hombi.wire.dashboards import Dashboard as DashboardShape
from hombi.wire.dashboards import DashboardChange, DashboardRequest, TileRequest
from hombi.wire.dashboards import Tile as TileShape


class DashboardsView(View):
    """All dashboards."""

    reads = Right.LOOK

    @operation(name="dashboards_list", gives=list[DashboardShape])
    def get(self, request: Request) -> Response:
        """All of them. A room has one when somebody has arranged its page."""
        who = actor(request)
        return Response(
            read(
                lambda h: [
                    _dashboard(h, dashboard, who)
                    for dashboard in h.dashboards.all
                    if _shows(dashboard, who)
                ]
            )
        )

    @operation(takes=DashboardRequest, gives=DashboardShape, status=201)
    def post(self, request: Request) -> Response:
        """Make one beside the rooms'."""
        payload = body(request, DashboardRequest)
        made = AddDashboard(payload.title, _tiles(payload.tiles))
        return Response(change(actor(request), made, _dashboard), 201)


class DashboardView(View):
    """One dashboard."""

    reads = Right.LOOK

    @operation(gives=DashboardShape)
    def get(self, request: Request, dashboard: str) -> Response:
        """The tiles in their order."""
        who = actor(request)
        return Response(read(lambda h: _dashboard(h, h.dashboards.known(dashboard), who)))

    @operation(takes=DashboardChange, gives=DashboardShape)
    def put(self, request: Request, dashboard: str) -> Response:
        """Put these tiles on it. `room-` with a room's address is the room's page."""
        payload = body(request, DashboardChange)
        made = ArrangeDashboard(dashboard, _tiles(payload.tiles), payload.title)
        return Response(change(actor(request), made, _dashboard))

    @operation()
    def delete(self, request: Request, dashboard: str) -> Response:
        """Take it away; the page of a room comes by itself again."""
        return done(request, RemoveDashboard(dashboard))


class PictureView(View):
    """A picture on a tile."""

    reads = Right.LOOK

    @operation(name="dashboards_picture")
    def get(self, request: Request, dashboard: str, tile: int) -> HttpResponse:
        """What its camera shows now, fetched by the hub. `tile` counts from 0."""
        who = actor(request)

        def look(h: Hub) -> str:
            tiles = _seen(h, h.dashboards.known(dashboard), who)
            if tile >= len(tiles) or tiles[tile].sort != "picture":
                raise NotFound(f"{dashboard} has no picture at {tile}")
            return tiles[tile].address

        return picture(*picture_at(read(look)), "no-store")


def _tiles(requests: Sequence[TileRequest]) -> list[Tile]:
    return [
        Tile(request.sort, tuple(request.of), request.size, request.text, request.address)
        for request in requests
    ]


def _shows(dashboard: Dashboard, who: Actor) -> bool:
    """Whether a dashboard is theirs to see."""
    return not who.scoped or dashboard.slug == who.dashboard or dashboard.room in who.rooms


def _dashboard(h: Hub, dashboard: Dashboard, who: Actor = HOUSE) -> DashboardShape:
    return DashboardShape(
        dashboard=dashboard.slug,
        title=h.dashboards.title_of(dashboard),
        room=dashboard.room or None,
        tiles=[
            TileShape(
                sort=tile.sort,
                of=list(tile.of),
                size=tile.size,
                text=tile.text,
                # A camera's address may hold its password.
                address="" if who.scoped else tile.address,
            )
            for tile in _seen(h, dashboard, who)
        ],
    )


def _seen(h: Hub, dashboard: Dashboard, who: Actor) -> list[Tile]:
    """Its tiles without those that show what is not theirs to see."""
    if not who.scoped:
        return list(dashboard.tiles)
    entities = h.house.entities
    return [
        tile
        for tile in dashboard.tiles
        if all(sees(h, who, entities[of]) for of in tile.of if of in entities)
    ]
