"""`hombi sequence`: lists of actions that automations run."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from hombi.cli import complete
from hombi.cli.drawing import as_json, bold, mistakes, out, said, table
from hombi.cli.exits import SAID_NO
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub, words
from hombi.cli.texts import read_text

app = noun("Sequences: lists of actions that automations run.")
Name = Annotated[str, typer.Argument(help="The sequence.", autocompletion=complete.sequences)]
File = Annotated[Path, typer.Argument(exists=True, dir_okay=False, help="The file of its text.")]


@app.command("list")
def list_(json: Json = False) -> None:
    """The sequences, and their steps."""
    with hub() as h:
        sequences = h.sequences.list()
    if json:
        as_json(sequence.as_dict() for sequence in sequences)
        return
    rows = [
        (sequence.sequence, sequence.sentence or f"cannot run: {sequence.mistakes[0].what}")
        for sequence in sequences
    ]
    table(("SEQUENCE", "STEPS"), rows, "There is none yet. `hombi sequence put FILE` keeps one.")


@app.command()
def check(file: File, json: Json = False) -> None:
    """Check a text: every mistake with its line and column. Nothing is stored."""
    with hub() as h:
        sequence = h.sequences.check(read_text(file))
    if json:
        as_json([sequence.as_dict()])
    elif sequence.mistakes:
        mistakes(sequence.mistakes, str(file))
    else:
        out.print(f"{file} is sound: {sequence.sentence}.")
    if sequence.mistakes:
        raise typer.Exit(SAID_NO)


@app.command()
def put(file: File, json: Json = False) -> None:
    """Keep a sequence from its text, in the place of the one with its name."""
    with hub() as h, words(str(file)):
        kept = h.sequences.put(read_text(file))
    said(json, [kept], bold(kept.sequence), f"is kept: {kept.sentence}.")


@app.command()
def show(name: Name, json: Json = False) -> None:
    """The text, as it was written."""
    with hub() as h:
        sequence = h.sequences.get(name)
    if json:
        as_json([sequence.as_dict()])
    else:
        print(sequence.text, end="" if sequence.text.endswith("\n") else "\n")


@app.command()
def remove(name: Name, json: Json = False) -> None:
    """Remove a sequence."""
    with hub() as h:
        h.sequences.remove(name)
    said(json, [], f"{name} is removed.")
