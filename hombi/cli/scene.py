"""`hombi scene`: states of several entities, recorded and recalled together."""

from __future__ import annotations

from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import as_json, bold, counted, out, said, table
from hombi.cli.exits import SAID_NO
from hombi.cli.noun import noun
from hombi.cli.run import Json, entity_called, hub

app = noun("Scenes: states of several entities that are recalled together.")
Name = Annotated[str, typer.Argument(help="The scene.", autocompletion=complete.scenes)]


@app.command("list")
def list_(json: Json = False) -> None:
    """The scenes, and what is in them."""
    with hub() as h:
        found = h.scenes.list()
    if json:
        as_json(one.as_dict() for one in found)
        return
    rows = [
        (one.scene, one.title, ", ".join(f"{s.spoken} {s.shown}" for s in one.states))
        for one in found
    ]
    table(
        ("SCENE", "NAME", "STATES"), rows, "There is no scene yet. `hombi scene record` makes one."
    )


@app.command()
def record(
    title: Annotated[str, typer.Argument(help="What to call it.")],
    entities: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[ENTITY]…",
            help="What belongs to it; for a scene that is there, its own unless named.",
            autocompletion=complete.settable,
        ),
    ] = None,
    json: Json = False,
) -> None:
    """Record how some entities are now."""
    with hub() as h:
        made = h.scenes.record(title, [entity_called(h, one) for one in entities or []])
    states = ", ".join(f"{one.spoken} {one.shown}" for one in made.states)
    said(json, [made], bold(made.scene), f"is recorded: {states}")


@app.command()
def recall(name: Name, json: Json = False) -> None:
    """Recall a scene, and wait until its nodes confirm it."""
    with hub() as h:
        found = h.scenes.recall(name)
    failed = [one for one in found.commands if one.state != "confirmed"]
    if json:
        as_json([found.as_dict()])
    else:
        out.print(bold(found.scene), "is recalled:", counted(len(found.commands), "entity"))
        for one in failed:
            out.print(Text(f"! {one.entity}: {one.problem or one.state}", style="yellow"))
        for gone in found.gone:
            out.print(Text(f"! {gone} is not there any more", style="yellow"))
    if failed or found.gone:
        raise typer.Exit(SAID_NO)


@app.command()
def remove(name: Name, json: Json = False) -> None:
    """Remove a scene."""
    with hub() as h:
        h.scenes.remove(name)
    said(json, [], f"{name} is removed.")
