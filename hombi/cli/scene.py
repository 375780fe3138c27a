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
        scenes = h.scenes.list()
    if json:
        as_json(scene.as_dict() for scene in scenes)
        return
    rows = [
        (scene.scene, scene.title, ", ".join(f"{s.spoken} {s.shown}" for s in scene.states))
        for scene in scenes
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
        made = h.scenes.record(title, [entity_called(h, entity) for entity in entities or []])
    states = ", ".join(f"{state.spoken} {state.shown}" for state in made.states)
    said(json, [made], bold(made.scene), f"is recorded: {states}")


@app.command()
def recall(name: Name, json: Json = False) -> None:
    """Recall a scene, and wait until its nodes confirm it."""
    with hub() as h:
        result = h.scenes.recall(name)
    failed = [command for command in result.commands if command.state != "confirmed"]
    if json:
        as_json([result.as_dict()])
    else:
        out.print(bold(result.scene), "is recalled:", counted(len(result.commands), "entity"))
        for command in failed:
            out.print(
                Text(f"! {command.entity}: {command.problem or command.state}", style="yellow")
            )
        for gone in result.gone:
            out.print(Text(f"! {gone} is not there any more", style="yellow"))
    if failed or result.gone:
        raise typer.Exit(SAID_NO)


@app.command()
def remove(name: Name, json: Json = False) -> None:
    """Remove a scene."""
    with hub() as h:
        h.scenes.remove(name)
    said(json, [], f"{name} is removed.")
