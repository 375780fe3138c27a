"""`hombi dashboard`: pages of tiles, as they are and as files."""

from __future__ import annotations

from typing import Annotated, BinaryIO

import msgspec
import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import as_json, bold, counted, err, out, said, table, value
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub
from hombi.wire.dashboards import Tile, TileRequest
from hombi.wire.entities import Entity

WRONG = 2
app = noun("Pages of tiles: your own, and those of rooms that you have arranged.")
Page = Annotated[
    str,
    typer.Argument(
        help="Its address; room-loft is the page of the loft.", autocompletion=complete.dashboards
    ),
]


class _Page(msgspec.Struct, frozen=True):
    """What a file says of a page; what else is in it was for reading."""

    tiles: list[TileRequest]


@app.command("list")
def list_(json: Json = False) -> None:
    """The pages that somebody has made or arranged."""
    with hub() as h:
        dashboards = h.dashboards.list()
    if json:
        as_json(dashboard.as_dict() for dashboard in dashboards)
        return
    rows = [
        (dashboard.dashboard, dashboard.title, dashboard.room or "–", str(len(dashboard.tiles)))
        for dashboard in dashboards
    ]
    empty = "There is no page yet: each room's comes by itself. `hombi dashboard put` makes one."
    table(("PAGE", "NAME", "ROOM", "TILES"), rows, empty, ("TILES",))


@app.command()
def show(dashboard: Page, json: Json = False) -> None:
    """Show what is on a page now; with --json, as a file for `hombi dashboard put`."""
    with hub() as h:
        result = h.dashboards.get(dashboard)
        known = {e.entity: e for e in h.entities.list()}
    if json:
        as_json([result.as_dict()])
        return
    out.print(bold(result.title))
    for tile in result.tiles:
        for line in _lines(tile, known):
            out.print(*line)


def _lines(tile: Tile, known: dict[str, Entity]) -> list[tuple[str | Text, ...]]:
    said = {"text": tile.text, "picture": f"{tile.text} {tile.address}".strip()}.get(tile.sort)
    values: list[tuple[str | Text, ...]] = [
        (f"  {known[one].spoken}", value(known[one]))
        if one in known
        else (f"  {one}", Text("is not there any more", style="dim"))
        for one in tile.of
    ]
    return [*([(f"  {said}",)] if said else []), *values]


@app.command()
def put(
    dashboard: Page,
    file: Annotated[
        typer.FileBinaryRead,
        typer.Argument(help="What `show --json` writes; - reads it from the standard input."),
    ],
    name: Annotated[str, typer.Option(help="What to call it.")] = "",
    json: Json = False,
) -> None:
    """Put the tiles of a file on a page. A page that is not there is made."""
    tiles = _read(file)
    with hub() as h:
        there = any(one.dashboard == dashboard for one in h.dashboards.list())
        if not there and not dashboard.startswith("room-"):
            dashboard = h.dashboards.add(dashboard.replace("-", " ").capitalize()).dashboard
        result = h.dashboards.arrange(dashboard, tiles, title=name)
    said(json, [result], bold(result.dashboard), "has", counted(len(result.tiles), "tile"), "now")


def _read(file: BinaryIO) -> list[TileRequest]:
    """The tiles in a file."""
    try:
        pages = msgspec.json.decode(file.read(), type=list[_Page] | _Page)
    except msgspec.DecodeError as error:
        err.print(f"{file.name} holds no page: {error}", style="red")
        raise typer.Exit(WRONG) from error
    some = pages if isinstance(pages, list) else [pages]
    if len(some) != 1:
        err.print(f"{file.name} holds {len(some)} pages; put one at a time", style="red")
        raise typer.Exit(WRONG)
    return some[0].tiles


@app.command()
def remove(dashboard: Page, json: Json = False) -> None:
    """Remove a page; that of a room comes by itself again."""
    with hub() as h:
        h.dashboards.remove(dashboard)
    said(json, [], f"{dashboard} is removed.")
