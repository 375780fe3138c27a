"""Dashboards: pages of tiles."""

from __future__ import annotations

from collections.abc import Sequence

from hombi import wire
from hombi.client.calls.base import Call, path


def list_() -> Call[list[wire.Dashboard]]:
    """All dashboards; a room has one when somebody has arranged its page."""
    return Call("GET", "/api/dashboards", list[wire.Dashboard])


def get(dashboard: str) -> Call[wire.Dashboard]:
    """One dashboard."""
    return Call("GET", path("dashboards", dashboard), wire.Dashboard)


def add(title: str, tiles: Sequence[wire.TileRequest] = ()) -> Call[wire.Dashboard]:
    """Make one beside the rooms'."""
    body = wire.DashboardRequest(title=title, tiles=list(tiles))
    return Call("POST", "/api/dashboards", wire.Dashboard, body=body)


def arrange(
    dashboard: str, tiles: Sequence[wire.TileRequest], *, title: str = ""
) -> Call[wire.Dashboard]:
    """Put these tiles on a dashboard; `room-loft` is the page of the loft."""
    body = wire.DashboardChange(tiles=list(tiles), title=title)
    return Call("PUT", path("dashboards", dashboard), wire.Dashboard, body=body)


def remove(dashboard: str) -> Call[None]:
    """Take a dashboard away; the page of a room comes by itself again."""
    return Call("DELETE", path("dashboards", dashboard), None)
