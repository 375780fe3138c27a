"""`hombi zigbee`: the stick, and what is done with a network that it brings along."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from hombi.cli import complete
from hombi.cli.drawing import as_json, err, out, table
from hombi.cli.run import Json, hub, words

app = typer.Typer(no_args_is_help=True, help="The Zigbee stick and its network.")


@app.command()
def info(json: Json = False) -> None:
    """The stick, its firmware and its network."""
    with hub() as h:
        found = h.zigbee()
    if json:
        as_json([found.as_dict()])
        return
    pan = "" if found.pan_id is None else f"0x{found.pan_id:04X}, extended {found.extended_pan_id}"
    rows = [
        ("stick", found.port or "none is set"),
        ("state", found.text),
        ("network", pan),
        ("own address", found.ieee),
        ("nodes", str(found.nodes)),
    ]
    table(("ZIGBEE", ""), [row for row in rows if row[1]], "")


@app.command()
def profile(
    node: Annotated[str, typer.Argument(help="The node.", autocompletion=complete.nodes)],
    file: Annotated[
        Path | None,
        typer.Argument(
            exists=True,
            dir_okay=False,
            readable=True,
            help="The profile to use from now on, in TOML.",
        ),
    ] = None,
) -> None:
    """The profile of a node's make and model, with what the node says and nothing names
    yet; or, with FILE, another one.

    Write it to a file, give the values their names, kinds and units, and give the file
    to this command: they are there at once.
    """
    with hub() as h, words(str(file)):
        if file is None:
            found = h.node_profile(node)
            print(found.text, end="")
            left = (
                f"{found.unnamed} without a name"
                if found.unnamed
                else "all that it says has a name"
            )
            err.print(f"# {left}; the house keeps it in {found.path}", style="dim", soft_wrap=True)
            return
        found = h.put_node_profile(node, file.read_text())
    out.print(f"It is kept in {found.path}, and taken up.")


@app.command()
def keep() -> None:
    """Keep the foreign network that the stick carries: its nodes stay in it, and may be
    let in while the pairing window is open."""
    with hub() as h:
        h.choose_zigbee_network("keep")
    out.print("The stick's network is taken over.")


@app.command()
def clean(yes: bool = typer.Option(False, "--yes", help="Do not ask.")) -> None:
    """Wipe the foreign network from the stick, and go on with the house's own."""
    if not yes:
        typer.confirm("The network on the stick is lost for whoever used it. Wipe it?", abort=True)
    with hub() as h:
        h.choose_zigbee_network("clean")
    out.print("The stick starts clean.")
