"""`hombi status`, `now`: how the house is."""

from __future__ import annotations

from math import ceil
from zoneinfo import ZoneInfo

from rich.text import Text

from hombi.cli.drawing import HouseTime, as_json, clock, counted, out
from hombi.cli.entity import Kind, Node, Room, listed
from hombi.cli.run import Json, hub


def status(json: Json = False) -> None:
    """The hub at a glance, and what needs you."""
    with hub() as h:
        house, window = h.house(), h.pairing.window()
        HouseTime.zone = ZoneInfo(house.time_zone)
    if json:
        as_json([house.as_dict()])
        return
    out.print(
        Text(house.name, style="bold"),
        f"· Hombi {house.version}, up since {clock(house.started_at, '%d %b %H:%M')}",
    )
    counts = (
        (house.nodes, "node"),
        (house.entities, "entity"),
        (house.automations, "automation"),
        (house.phones, "phone"),
    )
    out.print(" · ".join(counted(number, what) for number, what in counts))
    held = f", {house.readings_held} held" if house.readings_held else ""
    out.print(f"{house.readings_committed} readings since the start{held}")
    for link in house.links:
        out.print(f"{link.link}: {link.listening}")
    left = f"open for another {ceil(window.left_ms / 1000)} s" if window.open else "closed"
    out.print(f"pairing is {left}")
    for work in house.jobs:
        done = "" if work.progress is None else f", {work.progress:.0%} done"
        waits = f"; it waits: {work.problem}" if work.problem else ""
        out.print(Text(f"{work.text}{done}{waits}"))
    if not house.needs:
        out.print("Nothing needs you.")
    for need in house.needs:
        out.print(Text(f"! {need.text}", style="yellow"))


def now(room: Room = None, node: Node = None, kind: Kind = None, json: Json = False) -> None:
    """Every current value, by room; hidden ones are left out."""
    listed(room, node, kind, json=json, now=True)
