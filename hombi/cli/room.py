"""`hombi room`: floors and rooms."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli import complete
from hombi.cli.drawing import as_json, bold, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub

app = noun("Floors and rooms.")
Room = Annotated[str, typer.Argument(help="The room.", autocompletion=complete.rooms)]
Floor = Annotated[str | None, typer.Option(help="The floor, by its name.")]
Place = Annotated[int | None, typer.Option("--position", help="Its place, counted from 0.")]


def _same(name: str, other: str) -> bool:
    """Whether two names are one, in capitals or not."""
    return name.strip().casefold() == other.strip().casefold()


@app.command("list")
def list_(json: Json = False) -> None:
    """The rooms, floor by floor from the top, and what is in them."""
    with hub() as h:
        house, nodes = h.house(), h.nodes.list()
    rooms = [room for floor in reversed(house.floors) for room in floor.rooms]
    if json:
        as_json(room.as_dict() for room in rooms)
        return
    inside = {room.room: [n.node for n in nodes if n.room == room.room] for room in rooms}
    rows = [(r.floor, r.room, r.name, ", ".join(inside[r.room])) for r in rooms]
    empty = "There is no room yet. `hombi room add` adds one."
    table(("FLOOR", "ROOM", "NAME", "NODES"), rows, empty)


@app.command()
def add(
    name: Annotated[str, typer.Argument(help="What to call it.")],
    floor: Floor = None,
    json: Json = False,
) -> None:
    """Add a room at the end of a floor, the lowest unless one is named. A room that is
    there already stays as it is."""
    with hub() as h:
        there = [r for f in h.house().floors for r in f.rooms if _same(r.name, name)]
        if there and (floor is None or _same(there[0].floor, floor)):
            said(json, there, bold(there[0].room), f"is a room of {there[0].floor} already")
            return
        made = h.rooms.add(name, floor or "")
    said(json, [made], bold(made.room), f"is a room of {made.floor} now")


@app.command("add-floor")
def add_floor(
    name: Annotated[str, typer.Argument(help="What to call it.")],
    position: Place = None,
    json: Json = False,
) -> None:
    """Add a floor, on top unless a position says otherwise. A floor that is there
    already stays as it is."""
    with hub() as h:
        there = [f for f in h.house().floors if _same(f.name, name)]
        if there and position is None:
            said(json, there, bold(there[0].name), "is a floor of the house already")
            return
        made = h.floors.add(name, position)
    said(json, [made], bold(made.name), "is a floor of the house now")


@app.command()
def rename(
    room: Room,
    name: Annotated[str, typer.Argument(help="What to call it.")],
    json: Json = False,
) -> None:
    """Rename a room; its address stays."""
    with hub() as h:
        result = h.rooms.rename(room, name)
    said(json, [result], f"{result.room} is now called {result.name}")


@app.command()
def move(room: Room, floor: Floor = None, position: Place = None, json: Json = False) -> None:
    """Put a room on another floor, or in another place on its own."""
    if floor is None and position is None:
        raise typer.BadParameter("say where it goes: --floor, --position, or both")
    with hub() as h:
        result = h.rooms.move(room, floor=floor, position=position)
    where = f"{result.name} is on {result.floor}, place {result.position}"
    said(json, [result], where)


@app.command()
def remove(room: Room, json: Json = False) -> None:
    """Remove an empty room."""
    with hub() as h:
        h.rooms.remove(room)
    said(json, [], f"{room} is removed.")


@app.command("rename-floor")
def rename_floor(
    floor: Annotated[str, typer.Argument(help="The floor, by its name.")],
    name: Annotated[str, typer.Argument(help="What to call it.")],
    json: Json = False,
) -> None:
    """Rename a floor."""
    with hub() as h:
        result = h.floors.rename(floor, name)
    said(json, [result], f"{floor} is now called {result.name}")


@app.command("move-floor")
def move_floor(
    floor: Annotated[str, typer.Argument(help="The floor, by its name.")],
    position: Annotated[int, typer.Argument(help="Its place, 0 for the lowest.")],
    json: Json = False,
) -> None:
    """Put a floor in another place; the others make room."""
    with hub() as h:
        result = h.floors.move(floor, position)
    said(json, [result], f"{result.name} is at place {position}")


@app.command("remove-floor")
def remove_floor(
    floor: Annotated[str, typer.Argument(help="The floor, by its name.")], json: Json = False
) -> None:
    """Remove a floor without rooms."""
    with hub() as h:
        h.floors.remove(floor)
    said(json, [], f"{floor} is removed.")
