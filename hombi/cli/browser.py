"""`hombi browser`: browsers that are signed in."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli.drawing import ago, as_json, err, said, table
from hombi.cli.exits import SAID_NO
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub

app = noun("Browsers that are signed in.")
# So much of an id tells the browsers of a house apart.
SHOWN = 8


@app.command("list")
def list_(json: Json = False) -> None:
    """The browsers that are signed in, newest first."""
    with hub() as h:
        found = h.browsers.list()
    if json:
        as_json(one.as_dict() for one in found)
        return
    rows = [
        (one.id[:SHOWN], one.name, one.username, ago(one.since) if one.since else "")
        for one in found
    ]
    table(("ID", "BROWSER", "PERSON", "SINCE"), rows, "No browser is signed in.", ("SINCE",))


@app.command()
def end(
    browser: Annotated[str, typer.Argument(help="Its id, or how that begins.")], json: Json = False
) -> None:
    """Sign a browser out: what it shows ends, and it must sign in again."""
    with hub() as h:
        found = [one for one in h.browsers.list() if one.id.startswith(browser)]
        if len(found) != 1:
            what = "no browser has" if not found else "more than one browser has"
            err.print(f"{what} an id that begins with {browser}; see `hombi browser list`")
            raise typer.Exit(SAID_NO)
        h.browsers.end(found[0].id)
    said(json, [], f"{found[0].name} of {found[0].username} is signed out.")
