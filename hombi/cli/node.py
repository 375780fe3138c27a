"""`hombi node`: the nodes of the house, and what is theirs."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import segno
import typer
from rich.prompt import Prompt

from hombi.cli import complete
from hombi.cli.drawing import ago, as_json, bold, err, out, said, table
from hombi.cli.exits import SAID_NO, UNANSWERED
from hombi.cli.noun import noun
from hombi.cli.run import NOT_SAID, Json, hub, words
from hombi.client import Hub
from hombi.wire.nodes import Node, NodeKey, Setting

app = noun("The nodes of the house, and what is theirs.")
Address = Annotated[str, typer.Argument(help="The node.", autocompletion=complete.nodes)]


@app.command("list")
def list_(json: Json = False) -> None:
    """List the nodes: where they are, and when they were last heard."""
    with hub() as h:
        nodes = h.nodes.list()
    if json:
        as_json(n.as_dict() for n in nodes)
        return
    rows = [(n.node, n.title, n.link, n.room or "–", _state(n), ago(n.heard_at)) for n in nodes]
    empty = "No node is in the house yet. `hombi pair` opens the pairing window."
    table(("NODE", "NAME", "LINK", "ROOM", "STATE", "HEARD"), rows, empty, ("HEARD",))


def _state(node: Node) -> str:
    if node.left:
        return "left"
    if node.shut_out:
        return "refuses the hub"
    if node.silent:
        return "silent"
    if not node.here:
        return "away"
    return "connected" if node.link == "wifi" else "here"


@app.command()
def show(node: Address, json: Json = False) -> None:
    """Show one node: what it is, its state, and its values."""
    with hub() as h:
        result = h.nodes.get(node)
    if json:
        as_json([result.as_dict()])
        return
    ways = {
        "senml": "by itself, as SenML",
        "described": "as its Thing Description says",
        "foreign": "as it likes; values are picked out of it",
        "paired": "over a radio of its own",
    }
    rows = [
        ("address", result.node),
        ("room", result.room or "none"),
        ("link", f"{result.link}, {ways[result.way]}"),
        ("state", f"{_state(result)}, heard {ago(result.heard_at)} ago"),
        ("make", result.make),
        ("at", result.url),
        ("refuses", result.shut_out and f"the hub: {result.shut_out}"),
        ("clock", result.clock),
        ("refused", str(result.refused) if result.refused else ""),
        ("entities", ", ".join(result.entities)),
        ("settings", ", ".join(setting.name for setting in result.settings)),
        ("actions", ", ".join(action.name for action in result.actions)),
        *(("left out", text) for text in result.left_out),
        *(("unit", f"{text}, with `hombi entity kind`") for text in result.unit_notes),
    ]
    table((result.title.upper(), ""), [row for row in rows if row[1]], "")


@app.command()
def rename(
    node: Address,
    title: Annotated[str, typer.Argument(help="What to call it.")],
    json: Json = False,
) -> None:
    """Rename a node; its address stays."""
    with hub() as h:
        result = h.nodes.rename(node, title)
    said(json, [result], f"{result.node} is now called {result.title}")


@app.command()
def move(
    node: Address,
    room: Annotated[
        str,
        typer.Argument(
            help="The room it is in now; made when there is none, '' for none.",
            autocompletion=complete.rooms,
        ),
    ],
    json: Json = False,
) -> None:
    """Put a node into another room."""
    with hub() as h:
        result = h.nodes.move(node, room)
    said(json, [result], f"{result.node} is in {result.room or 'no room'}")


@app.command()
def remove(
    node: Address,
    with_history: Annotated[
        bool, typer.Option("--with-history", help="Delete its history too; otherwise it is kept.")
    ] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    json: Json = False,
) -> None:
    """Remove a node, even one that no longer answers."""
    if not yes:
        lost = " Its history is lost too." if with_history else ""
        typer.confirm(f"{node} is taken out and cut off.{lost} Remove it?", abort=True)
    with hub() as h:
        was = h.nodes.get(node)
        h.nodes.remove(node, keep_history=not with_history)
    history = ", with its history." if with_history else "; its history is kept."
    said(json, [was], f"{was.title} is removed{history}")


@app.command()
def settings(
    node: Address,
    name: Annotated[str | None, typer.Argument(help="The setting to change.")] = None,
    value: Annotated[str | None, typer.Argument(help="Its new value.")] = None,
    json: Json = False,
) -> None:
    """A node's own settings, and changing one."""
    with hub() as h:
        if name is not None and value is not None:
            has = h.nodes.change_setting(node, name, value).settings
            changed = next(s for s in has if _means(name, s))
            said(json, [changed], f"{changed.title} is {_told(changed)}")
            return
        result = [s for s in h.nodes.settings(node) if name is None or _means(name, s)]
    if json:
        as_json(s.as_dict() for s in result)
        return
    rows = [(s.name, s.title, _told(s), _allowed(s)) for s in result]
    table(("SETTING", "NAME", "IS", "CAN BE"), rows, f"{node} has no settings of its own.", ("IS",))


def _means(name: str, setting: Setting) -> bool:
    return name.casefold() in (setting.name.casefold(), setting.title.casefold())


def _told(setting: Setting) -> str:
    if setting.value is None:
        return "not told yet"
    value = (
        {True: "on", False: "off"}[setting.value]
        if isinstance(setting.value, bool)
        else setting.value
    )
    return f"{value:g} {setting.unit}".strip() if isinstance(value, int | float) else f"{value}"


def _allowed(setting: Setting) -> str:
    if setting.choices:
        return ", ".join(map(str, setting.choices))
    if setting.type == "boolean":
        return "on, off"
    low, high = setting.low, setting.high
    if low is None and high is None:
        return f"a {setting.type} {setting.unit}".strip()
    return (
        f"{'' if low is None else f'{low:g}'} to {'' if high is None else f'{high:g}'} "
        f"{setting.unit}".strip()
    )


@app.command()
def do(
    node: Address,
    action: Annotated[str | None, typer.Argument(help="What it is to do.")] = None,
    given: Annotated[
        list[str] | None, typer.Argument(help="What the action asks for, as name=value.")
    ] = None,
    json: Json = False,
) -> None:
    """Run one of a node's actions; without one, list them."""
    inputs = dict(one.partition("=")[::2] for one in given or [])
    with hub() as h:
        if action is None:
            has = h.nodes.get(node).actions
            if json:
                as_json(a.as_dict() for a in has)
                return
            rows = [(a.name, a.title, ", ".join(i.name for i in a.inputs), a.about) for a in has]
            table(("ACTION", "NAME", "ASKS FOR", "ABOUT"), rows, f"{node} has no actions.")
            return
        answered = h.nodes.act(node, action, inputs)
    answer = "Done." if answered.answer is None else f"It answers: {answered.answer}"
    said(json, [answered], answer if answered.done else f"{node} was asked; {NOT_SAID}")
    if not answered.done:
        raise typer.Exit(UNANSWERED)


@app.command()
def secret(
    node: Address,
    secret: Annotated[
        str | None,
        typer.Argument(help="user:password, or its token; prompted for if not given."),
    ] = None,
    json: Json = False,
) -> None:
    """Give the hub another secret for a node that asks for one. It is tried first."""
    with hub() as h:
        given = secret or Prompt.ask("Its secret", password=True)
        result = h.nodes.change_secret(node, given)
    said(json, [result], f"{result.title} accepts the secret.")


@app.command()
def key(
    node: Address,
    revoke: Annotated[
        bool, typer.Option("--revoke", help="Revoke its key without making a new one.")
    ] = False,
    json: Json = False,
) -> None:
    """Make a new key for a node; the old one stops working at once."""
    with hub() as h:
        if revoke:
            h.nodes.revoke_key(node)
            said(json, [h.nodes.get(node)], f"{node} has no key any more and cannot sign in.")
        else:
            _show_key(h.nodes.new_key(node), json)


def _show_key(made: NodeKey, json: bool) -> None:
    if json:
        as_json([made.as_dict()])
        return
    out.print(bold(made.node), "has the key", bold(f"{made.key}."), "It is not shown again.")
    out.print("It posts a value like this, with the entity's name in the place of ENTITY:")
    out.print(f"  {made.curl}", soft_wrap=True)
    out.print("A board that can only fetch an address:")
    out.print(f"  {made.get}", soft_wrap=True)


@app.command()
def add(
    name: Annotated[str, typer.Argument(help="What to call it.")],
    room: Annotated[
        str,
        typer.Option(
            help="The room it is in; made when there is none.", autocompletion=complete.rooms
        ),
    ] = "",
    json: Json = False,
) -> None:
    """Add a node that posts its values over HTTP; its key is shown only once."""
    with hub() as h:
        made = h.nodes.add(name, room)
    _show_key(made, json)
    if json:
        return
    out.print(f"Say what it posts: hombi node add-value {made.node} Temperature --kind temperature")


@app.command("add-value")
def add_value(
    node: Annotated[
        str, typer.Argument(help="The node that posts it.", autocompletion=complete.nodes)
    ],
    title: Annotated[
        str, typer.Argument(help="What to call the value; its address is made from it.")
    ],
    kind: Annotated[
        str,
        typer.Option(help="What it is; `hombi kinds` lists them.", autocompletion=complete.kinds),
    ],
    unit: Annotated[
        str, typer.Option(help="The unit that the node speaks; the kind's own unless given.")
    ] = "",
    pointer: Annotated[
        str, typer.Option(help="Where it stands when JSON is posted, like /climate/t.")
    ] = "",
    json: Json = False,
) -> None:
    """Add a value that a node posts to /api/intake/NODE/ENTITY."""
    with hub() as h:
        entity = h.nodes.add_entity(node, title, kind, unit, pointer)
    posted = f"takes what is posted to /api/intake/{entity.entity}"
    said(json, [entity], bold(entity.entity), posted)


@app.command()
def look(
    address: Annotated[
        str,
        typer.Argument(
            help="The node's address, like 192.168.1.20 or http://loft.local:8080/thing."
        ),
    ],
    json: Json = False,
) -> None:
    """Fetch the Thing Description at an address; its node becomes an arrival."""
    with hub() as h:
        arrival = h.pairing.look(address)
    if json:
        as_json([arrival.as_dict()])
        return
    has = ", ".join(e.name for e in arrival.entities)
    out.print(bold(arrival.title), f"is there: {has}")
    for note in (*arrival.left_out, *arrival.unit_notes):
        out.print(f"  {note}", style="yellow")
    asked = f" It asks for its {arrival.asks} then." if arrival.asks else ""
    out.print(f"Let it in: hombi admit {arrival.id} --room ROOM.{asked}")


@app.command("ask-again")
def ask_again(
    named: Annotated[
        str,
        typer.Argument(
            metavar="NODE", help="A node, or an arrival.", autocompletion=complete.nodes
        ),
    ],
) -> None:
    """Ask a Zigbee node again what it has, when something is missing."""
    with hub() as h:
        arrival = next((one for one in h.pairing.arrivals() if named in (one.id, one.title)), None)
        if arrival is not None:
            h.pairing.ask_again(arrival.id)
        else:
            h.nodes.ask_again(named)
    out.print(f"{named} is asked again what it has. New values appear by themselves.")


@app.command("setup-code")
def setup_code(
    thing: Annotated[
        str,
        typer.Argument(
            help="An arrival, or the id in a node's description.", autocompletion=complete.arrivals
        ),
    ],
    code: Annotated[str, typer.Option(help="The node's setup code; a new one unless given.")] = "",
    png: Annotated[
        Path | None, typer.Option(help="Write the QR code to this file, to print it.")
    ] = None,
    json: Json = False,
) -> None:
    """Draw a node's setup code as a QR code: a phone's camera opens the page that lets
    the node in."""
    with hub() as h:
        made = h.pairing.setup_code(_thing(h, thing), code)
    drawn = segno.make(made.address, error="m")
    if png is not None:
        drawn.save(str(png), scale=8, border=4)
    if json:
        as_json([made.as_dict()])
        return
    if png is not None:
        out.print(f"The QR code is in {png}.")
    else:
        drawn.terminal(compact=True, border=2)
    out.print("Setup code", bold(made.code))
    out.print(made.address, soft_wrap=True)


def _thing(h: Hub, named: str) -> str:
    if ":" in named:
        return named
    arrivals = [a for a in h.pairing.arrivals() if named in (a.id, a.title)]
    if len(arrivals) != 1:
        err.print(
            f"no arrival is called {named}; give the id in the node's description, like urn:uuid:…",
            style="red",
        )
        raise typer.Exit(SAID_NO)
    return arrivals[0].thing


@app.command()
def profile(
    node: Address,
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
            result = h.nodes.profile(node)
            print(result.text, end="")
            left = (
                f"{result.unnamed} without a name"
                if result.unnamed
                else "all that it says has a name"
            )
            err.print(f"# {left}; the house keeps it in {result.path}", style="dim", soft_wrap=True)
            return
        result = h.nodes.put_profile(node, file.read_text())
    out.print(f"Saved in {result.path}. The hub uses it now.")
