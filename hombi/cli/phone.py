"""`hombi phone`: the household's phones."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli.drawing import HouseTime, as_json, clock, out, table
from hombi.cli.run import Json, hub, noun

app = noun("The household's phones, and their notices.")


@app.command("list")
def list_(json: Json = False) -> None:
    """All phones that take notifications."""
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
        "No phone takes notifications yet. Open the console on one: Settings, Phones.",
    )


@app.command()
def test(phone: Annotated[int, typer.Argument(help="The phone's number.")]) -> None:
    """Send a phone a notice."""
    with hub() as h:
        h.phones.test(phone)
        out.print("A notice is on its way. `hombi phone notices` shows what became of it.")


@app.command()
def remove(phone: Annotated[int, typer.Argument(help="The phone's number.")]) -> None:
    """Remove a phone."""
    with hub() as h:
        h.phones.remove(phone)
        out.print("The phone is removed.")


@app.command()
def notices(json: Json = False) -> None:
    """What the household was told, newest first."""
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
