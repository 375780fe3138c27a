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
        browsers = h.browsers.list()
    if json:
        as_json(browser.as_dict() for browser in browsers)
        return
    rows = [
        (
            browser.id[:SHOWN],
            browser.name,
            browser.username,
            ago(browser.since) if browser.since else "",
        )
        for browser in browsers
    ]
    table(("ID", "BROWSER", "PERSON", "SINCE"), rows, "No browser is signed in.", ("SINCE",))


@app.command()
def end(
    browser: Annotated[str, typer.Argument(help="Its id, or how that begins.")], json: Json = False
) -> None:
    """Sign a browser out: what it shows ends, and it must sign in again."""
    with hub() as h:
        browsers = [one for one in h.browsers.list() if one.id.startswith(browser)]
        if len(browsers) != 1:
            what = "no browser has" if not browsers else "more than one browser has"
            err.print(f"{what} an id that begins with {browser}; see `hombi browser list`")
            raise typer.Exit(SAID_NO)
        h.browsers.end(browsers[0].id)
    said(json, [], f"{browsers[0].name} of {browsers[0].username} is signed out.")
