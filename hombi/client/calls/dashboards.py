"""Dashboards: pages of tiles."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.client.calls.base import Call, path
from hombi.wire.dashboards import Dashboard, DashboardChange, DashboardRequest, TileRequest


def list_() -> Call[list[Dashboard]]:
    """All dashboards; a room has one when somebody has arranged its page."""
    return Call("GET", "/api/dashboards", list[Dashboard])


def get(dashboard: str) -> Call[Dashboard]:
    """One dashboard."""
    return Call("GET", path("dashboards", dashboard), Dashboard)


def add(title: str, tiles: Sequence[TileRequest] = ()) -> Call[Dashboard]:
    """Make one beside the rooms'."""
    body = DashboardRequest(title=title, tiles=list(tiles))
    return Call("POST", "/api/dashboards", Dashboard, body=body)


def arrange(dashboard: str, tiles: Sequence[TileRequest], *, title: str = "") -> Call[Dashboard]:
    """Put these tiles on a dashboard; `room-loft` is the page of the loft."""
    body = DashboardChange(tiles=list(tiles), title=title)
    return Call("PUT", path("dashboards", dashboard), Dashboard, body=body)


def remove(dashboard: str) -> Call[None]:
    """Take a dashboard away; the page of a room comes by itself again."""
    return Call("DELETE", path("dashboards", dashboard), None)
