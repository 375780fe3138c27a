"""`hombi token`: programs that are signed in."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli.drawing import ago, as_json, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub

app = noun("Programs that are signed in.")


@app.command("list")
def list_(json: Json = False) -> None:
    """The programs that are signed in, newest first."""
    with hub() as h:
        result = h.tokens.list()
    if json:
        as_json(t.as_dict() for t in result)
        return
    rows = [(str(t.id), t.name, t.username, t.limit, ago(t.made_at)) for t in result]
    empty = "No program is signed in. `hombi sign-in` signs a machine in."
    table(("TOKEN", "PROGRAM", "PERSON", "MAY", "MADE"), rows, empty, ("MADE",))


@app.command()
def revoke(
    token: Annotated[int, typer.Argument(help="The token's number.")], json: Json = False
) -> None:
    """Revoke a token: its program must sign in again."""
    with hub() as h:
        h.tokens.revoke(token)
    said(json, [], "The token is revoked; the program must sign in again.")


@app.command("first-code")
def first_code(json: Json = False) -> None:
    """Make a new code for the first sign-in at this machine's hub, while nobody owns
    it."""
    with hub() as result:
        made = result.first_code()
        said(json, [made], f"Open {result.url}/first-sign-in and enter the code {made.code}")
