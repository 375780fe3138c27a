"""Dashboards: pages of tiles as people put them, a room's own or one beside."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from typing import Any, Literal

import msgspec

from hombi.core.names import slug
from hombi.core.picture import picture_problem
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.house import House
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right
from hombi.hub.naming import proper_name
from hombi.hub.rooms.dashboards_port import DashboardRecord
from hombi.hub.rooms.events import DashboardArranged, DashboardRemoved, RoomRemoved

Sort = Literal["value", "values", "curve", "compare", "text", "picture", "scene", "endpoint"]
Size = Literal["small", "wide", "tall", "large"]
# How many values a tile of each sort shows: at least, and at most.
OF: dict[str, tuple[int, int]] = {
    "value": (1, 1),
    "values": (1, 12),
    "curve": (1, 1),
    "compare": (2, 8),
    "text": (0, 0),
    "picture": (0, 4),
    "scene": (0, 0),
    "endpoint": (1, 12),
}
MOST_TILES, MOST_DASHBOARDS, LONGEST_TEXT = 80, 60, 500
ROOM = "room-"


class Tile(msgspec.Struct, frozen=True):
    """One thing on a page: what it shows, of which entities, and how large. `text` is
    what a text says, what stands over a picture, or which scene is recalled; `address`
    where a picture is."""

    sort: Sort
    of: tuple[str, ...] = ()
    size: Size = "small"
    text: str = ""
    address: str = ""

    def as_data(self) -> dict[str, Any]:
        """As it is stored."""
        return {
            "sort": self.sort,
            "of": list(self.of),
            "size": self.size,
            "text": self.text,
            "address": self.address,
        }

    @classmethod
    def of_data(cls, data: dict[str, Any]) -> Tile:
        """From how it was stored."""
        return cls(**{**data, "of": tuple(data["of"])})


class Dashboard(msgspec.Struct, frozen=True):
    """A page of tiles; `room` is the address of the room whose page it is, or ""."""

    slug: str
    title: str
    room: str = ""
    tiles: tuple[Tile, ...] = ()


class Dashboards(Feature):
    """Keeps them. A room whose page nobody has arranged has none."""

    name = "dashboards"

    def __init__(self, context: Context, house: House) -> None:
        super().__init__(context)
        self.house = house
        self._all: dict[str, Dashboard] = {}
        # A name is looked up and taken in one go.
        self.one_by_one = asyncio.Lock()
        context.hear(RoomRemoved, self._room_removed)

    def _room_removed(self, _: RoomRemoved) -> None:
        """A room of the same name that comes later begins anew."""
        rooms = {"", *self.house.rooms}
        self._all = {
            name: dashboard for name, dashboard in self._all.items() if dashboard.room in rooms
        }

    async def open(self) -> None:
        for dashboard in await self.context.thread.run(self.context.records.dashboards.all):
            tiles = tuple(map(Tile.of_data, dashboard.tiles))
            self._all[dashboard.slug] = Dashboard(
                dashboard.slug, dashboard.title, dashboard.room, tiles
            )

    @property
    def all(self) -> list[Dashboard]:
        """All of them, those of rooms too, by title."""
        return sorted(self._all.values(), key=lambda one: (self.title_of(one).casefold(), one.slug))

    def known(self, name: str) -> Dashboard:
        """Raises NotFound."""
        dashboard = self._all.get(name)
        if dashboard is None:
            raise NotFound(f"there is no dashboard {name[:60]}")
        return dashboard

    def title_of(self, dashboard: Dashboard) -> str:
        """Its title; the page of a room has that room's present name."""
        room = self.house.rooms.get(dashboard.room)
        return dashboard.title if room is None else room.name

    async def keep(self, made: Dashboard) -> None:
        """Store one, in the place of the one that was there."""
        data = [tile.as_data() for tile in made.tiles]
        record = DashboardRecord(made.slug, made.title, made.room, data)
        await self.context.thread.run(self.context.records.dashboards.save, record)
        self._all[made.slug] = made

    async def forget(self, dashboard: Dashboard) -> None:
        """Forget one."""
        await self.context.thread.run(self.context.records.dashboards.remove, dashboard.slug)
        del self._all[dashboard.slug]

    def checked(self, tiles: Sequence[Tile], before: Dashboard | None) -> tuple[Tile, ...]:
        """The tiles, with addresses for what people may have called by name. What was
        there before may stay, also when it is gone. Raises Invalid, NotFound."""
        if len(tiles) > MOST_TILES:
            raise Invalid(f"a page has {MOST_TILES} tiles at most, not {len(tiles)}")
        kept = {one for tile in before.tiles for one in tile.of} if before else set[str]()
        old = before.tiles if before else ()
        return tuple(self._checked(n, tile, kept, old) for n, tile in enumerate(tiles, start=1))

    def _checked(self, number: int, tile: Tile, kept: set[str], old: Sequence[Tile]) -> Tile:
        where = f"tile {number} ({tile.sort})"
        least, most = OF[tile.sort]
        if not least <= len(tile.of) <= most:
            wanted = f"{least} to {most}" if least != most else str(least)
            raise Invalid(f"{where} shows {wanted} values, not {len(tile.of)}")
        known = self.house.entities
        of = tuple(
            one if one in kept and one not in known else self.house.entity(one).address
            for one in tile.of
        )
        if tile.sort == "text" and not tile.text.strip():
            raise Invalid(f"{where} has no text")
        if len(tile.text) > LONGEST_TEXT:
            raise Invalid(f"{where}: a text has {LONGEST_TEXT} characters at most")
        # A scene that is gone stays where it was put.
        scenes = {*self.house.scenes, *(one.text for one in old if one.sort == "scene")}
        if tile.sort == "scene" and tile.text not in scenes:
            raise NotFound(f"{where}: there is no scene {tile.text[:60]}")
        if tile.sort == "picture":
            if problem := picture_problem(tile.address):
                raise Invalid(f"{where}: {problem}")
        elif tile.address:
            raise Invalid(f"{where} has an address, and only a picture has one")
        return Tile(tile.sort, of, tile.size, tile.text.strip(), tile.address)


class ArrangeDashboard(Change[Dashboards, Dashboard], frozen=True):
    """Put tiles on a page: one that is there, or with `room-` and its address the page
    of a room. Raises NotFound, Invalid."""

    dashboard: str
    tiles: Sequence[Tile]
    title: str = ""

    feature = Dashboards
    right = Right.ARRANGE

    async def do(self, feature: Dashboards, by: Actor) -> Done[Dashboard]:
        async with feature.one_by_one:
            return await self._do(feature)

    async def _do(self, feature: Dashboards) -> Done[Dashboard]:
        if self.dashboard.startswith(ROOM):
            room = feature.house.room(self.dashboard.removeprefix(ROOM))
            before = next(
                (dashboard for dashboard in feature.all if dashboard.room == room.slug), None
            )
            made = Dashboard(
                ROOM + room.slug, room.name, room.slug, feature.checked(self.tiles, before)
            )
        else:
            before = feature.known(self.dashboard)
            title = proper_name(self.title, "the name of a dashboard") or before.title
            made = Dashboard(before.slug, title, "", feature.checked(self.tiles, before))
        await feature.keep(made)
        return Done(made, DashboardArranged(dashboard=made.title))


class AddDashboard(Change[Dashboards, Dashboard], frozen=True):
    """Make a page of one's own. Raises Invalid."""

    title: str
    tiles: Sequence[Tile] = ()

    feature = Dashboards
    right = Right.ARRANGE

    async def do(self, feature: Dashboards, by: Actor) -> Done[Dashboard]:
        async with feature.one_by_one:
            return await self._do(feature)

    async def _do(self, feature: Dashboards) -> Done[Dashboard]:
        title = proper_name(self.title, "the name of a dashboard")
        address = slug(title)
        if not address:
            raise Invalid("a dashboard needs a name with a letter or a digit")
        if address.startswith(ROOM) or any(dashboard.slug == address for dashboard in feature.all):
            raise Invalid(f"there is a dashboard {title} already; choose another name")
        if len(feature.all) >= MOST_DASHBOARDS:
            raise Invalid(f"there are {MOST_DASHBOARDS} dashboards already; remove one first")
        made = Dashboard(address, title, "", feature.checked(self.tiles, None))
        await feature.keep(made)
        return Done(made, DashboardArranged(dashboard=made.title))


class RemoveDashboard(Change[Dashboards, None], frozen=True):
    """Take a page away; that of a room comes by itself again. Raises NotFound."""

    dashboard: str

    feature = Dashboards
    right = Right.ARRANGE

    async def do(self, feature: Dashboards, by: Actor) -> Done[None]:
        async with feature.one_by_one:
            dashboard = feature.known(self.dashboard)
            await feature.forget(dashboard)
        return Done(None, DashboardRemoved(dashboard=feature.title_of(dashboard)))
