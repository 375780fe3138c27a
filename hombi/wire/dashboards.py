"""Dashboards on the wire."""

from __future__ import annotations

from typing import Annotated, Literal

from hombi.wire.base import Ask, MaybeName, Meta, Name, Shape

TileSort = Literal["value", "values", "curve", "compare", "text", "picture", "scene", "endpoint"]
TileSize = Literal["small", "wide", "tall", "large"]
TileText = Annotated[str, Meta(max_length=500)]


class Tile(Shape, frozen=True, kw_only=True):
    """One thing on a page: what it shows, of which entities, and how large. `text` is
    what a text says, what stands over a picture, or which scene is recalled; `address`
    where a picture is."""

    sort: TileSort
    of: list[str]
    size: TileSize
    text: str
    address: str


class TileRequest(Ask, frozen=True, kw_only=True):
    """A tile to put somewhere."""

    sort: TileSort
    of: list[str] = []
    size: TileSize = "small"
    text: TileText = ""
    address: TileText = ""


class Dashboard(Shape, frozen=True, kw_only=True):
    """A page of tiles. `room` is the address of the room whose page it is; null for one
    of the person's own."""

    dashboard: str
    title: str
    room: str | None
    tiles: list[Tile]


class DashboardRequest(Ask, frozen=True, kw_only=True):
    """A page of tiles to make."""

    title: Name
    tiles: list[TileRequest] = []


class DashboardChange(Ask, frozen=True, kw_only=True):
    """What a page has from now on; without a title it keeps its own."""

    tiles: list[TileRequest]
    title: MaybeName = ""
