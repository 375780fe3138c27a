"""`hombi phone`: the household's phones."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli.drawing import HouseTime, as_json, clock, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub

Number = Annotated[int, typer.Argument(help="The phone's number, as `hombi phone list` shows it.")]

app = noun("The household's phones, and their notices.")


@app.command("list")
def list_(json: Json = False) -> None:
    """List the phones that get notices."""
    with hub() as h:
        HouseTime.of(h)
        found = h.phones.list()
    if json:
        as_json(p.as_dict() for p in found)
        return
    rows = [
        (str(p.id), p.name, p.person, p.service, clock(p.added_at, "%d %b %H:%M")) for p in found
    ]
    table(
        ("PHONE", "NAME", "OF", "PUSH SERVICE", "SINCE"),
        rows,
        "No phone gets notifications yet. Open the console on one: Settings, Phones.",
    )


@app.command("test")
def send_test(phone: Number, json: Json = False) -> None:
    """Send a phone a notice."""
    with hub() as h:
        h.phones.test(phone)
    said(json, [], "A notice is on its way. `hombi phone notices` shows what became of it.")


@app.command()
def remove(
    phone: Number,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    json: Json = False,
) -> None:
    """Remove a phone; it stops getting notices."""
    with hub() as h:
        was = next((p for p in h.phones.list() if p.id == phone), None)
        if was is not None and not yes:
            question = f"{was.name} of {was.person} gets no notices then. Remove it?"
            typer.confirm(question, abort=True)
        h.phones.remove(phone)
    said(json, [was] if was else [], f"{was.name if was else phone} is removed.")


@app.command()
def notices(json: Json = False) -> None:
    """The notices that were sent, newest first."""
    with hub() as h:
        HouseTime.of(h)
        found = h.phones.notices()
    if json:
        as_json(n.as_dict() for n in found)
        return
    rows = [
        (
            clock(n.at),
            n.phone,
            n.title,
            n.text,
            n.state + (f": {n.problem}" if n.problem and n.state != "delivered" else ""),
        )
        for n in found
    ]
    table(("WHEN", "PHONE", "TITLE", "TEXT", "STATE"), rows, "Nobody was told anything yet.")
