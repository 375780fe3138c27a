"""`hombi status`, `now`, `nodes`, `entities`: what is in the house, and how it is."""

from __future__ import annotations

from collections.abc import Callable
from math import ceil
from typing import Annotated
from zoneinfo import ZoneInfo

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, ago, as_json, clock, counted, entity_row, out, table, value
from hombi.cli.run import Json, hub
from hombi.client import Entity, Hub

Room = Annotated[str | None, typer.Option(help="Only this room.", autocompletion=complete.rooms)]
Node = Annotated[str | None, typer.Option(help="Only this node.", autocompletion=complete.nodes)]
Kind = Annotated[str | None, typer.Option(help="Only this kind, like temperature.")]


def status(json: Json = False) -> None:
    """The hub at a glance, and what needs you."""
    with hub() as h:
        house, window = h.house(), h.pairing()
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
    out.print(
        f"{house.readings_committed} readings since the start"
        + (f", {house.readings_held} held" if house.readings_held else "")
    )
    for link in house.links:
        out.print(f"{link['link']}: {link['listening']}")
    out.print(
        f"pairing is "
        f"{f'open for another {ceil(window.left_ms / 1000)} s' if window.open else 'closed'}"
    )
    if not house.needs:
        out.print("Nothing needs you.")
    for need in house.needs:
        out.print(Text(f"! {need.text}", style="yellow"))


def nodes(json: Json = False) -> None:
    """All nodes: where they are, and when they were last heard."""
    with hub() as h:
        found = h.nodes()
    if json:
        as_json(n.as_dict() for n in found)
        return
    rows = [
        (
            n.node,
            n.title,
            n.link,
            n.room or "–",
            "silent" if n.silent else ("connected" if n.here else "away"),
            ago(n.heard_at),
        )
        for n in found
    ]
    table(
        ("NODE", "NAME", "LINK", "ROOM", "STATE", "HEARD"),
        rows,
        "No node is in the house yet. `hombi pair` opens the door.",
        ("HEARD",),
    )


def entities(room: Room = None, node: Node = None, kind: Kind = None, json: Json = False) -> None:
    """All entities: what they are, which can be set, and which are hidden."""

    def row(e: Entity) -> tuple[str, ...]:
        marks = ", ".join(
            [*(["can be set"] if e.writable else []), *(["hidden"] if e.hidden else [])]
        )
        return (
            e.entity,
            e.title,
            e.kind,
            e.unit or "–",
            e.room or "–",
            f"{e.low:g} to {e.high:g}",
            marks,
        )

    with hub() as h:
        _list(
            h, room, node, kind, json, ("ENTITY", "NAME", "KIND", "UNIT", "ROOM", "LIMITS", ""), row
        )


def now(room: Room = None, node: Node = None, kind: Kind = None, json: Json = False) -> None:
    """Every value as it is now, by room; hidden ones are left out."""

    def row(e: Entity) -> tuple[str | Text, ...]:
        return (e.room or "–", e.entity, value(e), ago(e.heard_at))

    with hub() as h:
        _list(h, room, node, kind, json, ("ROOM", "ENTITY", "VALUE", "HEARD"), row, hidden=False)


def _list(
    h: Hub,
    room: str | None,
    node: str | None,
    kind: str | None,
    json: bool,
    headings: tuple[str, ...],
    row: Callable[[Entity], tuple[str | Text, ...]],
    hidden: bool = True,
) -> None:
    found = [e for e in h.entities(room=room, node=node, kind=kind) if hidden or not e.hidden]
    if json:
        as_json(entity_row(e) for e in found)
        return
    found.sort(key=lambda e: (e.room or "~", e.entity))
    table(
        headings,
        [row(e) for e in found],
        "There is nothing to see yet. `hombi pair` lets a node in.",
        ("VALUE", "HEARD"),
    )
