"""`hombi tool`: a person's own tools at the MQTT door."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli.drawing import ago, as_json, bold, out, table
from hombi.cli.run import Json, hub, noun
from hombi.client import NewTool

app = noun("A person's own tools at the MQTT door, each with topics of its own.")
Publish = Annotated[
    list[str] | None,
    typer.Option("--publish", help="A topic filter it may publish under, like mill/#; repeat it."),
]
Subscribe = Annotated[
    list[str] | None,
    typer.Option("--subscribe", help="A topic filter it may subscribe to; repeat it."),
]
Name = Annotated[str, typer.Argument(help="The tool's name; it signs in with it.")]


@app.command("list")
def list_(json: Json = False) -> None:
    """The tools, and what they may do."""
    with hub() as h:
        found = h.tools.list()
    if json:
        as_json(t.as_dict() for t in found)
        return
    rows = [(t.tool, ", ".join(t.publish), ", ".join(t.subscribe), ago(t.added_at)) for t in found]
    table(
        ("TOOL", "MAY PUBLISH", "MAY SUBSCRIBE TO", "ADDED"),
        rows,
        "No tools. `hombi tool add` lets one in.",
        ("ADDED",),
    )


@app.command()
def add(name: Name, publish: Publish = None, subscribe: Subscribe = None) -> None:
    """Let a tool in; its key is shown this once."""
    with hub() as h:
        _show_key(h.tools.add(name, publish or [], subscribe or []))


@app.command()
def change(name: Name, publish: Publish = None, subscribe: Subscribe = None) -> None:
    """Give a tool other topics; what is not named stays."""
    with hub() as h:
        tool = h.tools.change(name, publish=publish, subscribe=subscribe)
    out.print(
        f"{tool.tool} may publish {', '.join(tool.publish) or 'nothing'}, subscribe to "
        f"{', '.join(tool.subscribe) or 'nothing'}"
    )


@app.command()
def key(name: Name) -> None:
    """Make a new key; the one before is void at once."""
    with hub() as h:
        _show_key(h.tools.new_key(name))


@app.command()
def remove(name: Name) -> None:
    """Shut a tool out."""
    with hub() as h:
        h.tools.remove(name)
    out.print(f"{name} is shut out.")


def _show_key(tool: NewTool) -> None:
    out.print(bold(tool.tool), "has the key", bold(f"{tool.key}."), "It is not shown again.")
