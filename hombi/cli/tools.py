"""`hombi tools`: a person's own tools at the MQTT door; `hombi tokens`: programs that
are signed in."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli.drawing import ago, as_json, bold, out, table
from hombi.cli.run import Json, hub
from hombi.client import Tool

app = typer.Typer(
    no_args_is_help=True, help="A person's own tools at the MQTT door, each with topics of its own."
)
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
        found = h.tools()
    if json:
        as_json({k: v for k, v in t.as_dict().items() if k != "key"} for t in found)
        return
    rows = [(t.tool, ", ".join(t.publish), ", ".join(t.subscribe), ago(t.added_at)) for t in found]
    table(
        ("TOOL", "MAY PUBLISH", "MAY SUBSCRIBE TO", "ADDED"),
        rows,
        "No tools. `hombi tools add` lets one in.",
        ("ADDED",),
    )


@app.command()
def add(name: Name, publish: Publish = None, subscribe: Subscribe = None) -> None:
    """Let a tool in; its key is shown this once."""
    with hub() as h:
        _show_key(h.add_tool(name, publish or [], subscribe or []))


@app.command()
def change(name: Name, publish: Publish = None, subscribe: Subscribe = None) -> None:
    """Give a tool other topics; what is not named stays."""
    given = {"publish": publish, "subscribe": subscribe}
    with hub() as h:
        tool = h.change_tool(name, **{k: v for k, v in given.items() if v is not None})
    out.print(
        f"{tool.tool} may publish {', '.join(tool.publish) or 'nothing'}, subscribe to "
        f"{', '.join(tool.subscribe) or 'nothing'}"
    )


@app.command()
def key(name: Name) -> None:
    """Make a new key; the one before is void at once."""
    with hub() as h:
        _show_key(h.new_tool_key(name))


@app.command()
def remove(name: Name) -> None:
    """Shut a tool out."""
    with hub() as h:
        h.remove_tool(name)
    out.print(f"{name} is shut out.")


def _show_key(tool: Tool) -> None:
    out.print(bold(tool.tool), "has the key", bold(f"{tool.key}."), "It is not shown again.")


def tokens(
    revoke: Annotated[int | None, typer.Option(help="Make this one void.")] = None,
    json: Json = False,
) -> None:
    """The programs that are signed in."""
    with hub() as h:
        if revoke is not None:
            h.revoke_token(revoke)
            out.print("It is void; the program must sign in again.")
            return
        found = h.tokens()
    if json:
        as_json(t.as_dict() for t in found)
        return
    table(
        ("TOKEN", "PROGRAM", "PERSON", "MADE"),
        [(str(t.id), t.name, t.username, ago(t.made_at)) for t in found],
        "None.",
        ("MADE",),
    )
