"""`hombi look`, `add-node`, `add-entity`, `change`, `remove`, `settings`, `do`, `key`,
`setup-code`: nodes and what is theirs."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import segno
import typer

from hombi.cli import complete
from hombi.cli.drawing import as_json, bold, err, out, table
from hombi.cli.run import SAID_NO, Json, hub
from hombi.client import Hub, NodeKey, Setting


def look(
    address: Annotated[
        str,
        typer.Argument(
            help="The node's address, like 192.168.1.20 or http://loft.local:8080/thing."
        ),
    ],
) -> None:
    """Fetch the Thing Description of the node at an address; it is an arrival then."""
    with hub() as h:
        arrival = h.look(address)
    has = ", ".join(e.name for e in arrival.entities)
    out.print(bold(arrival.title), f"is there: {has}")
    for left_out in arrival.left_out:
        out.print(f"  {left_out}", style="yellow")
    asked = f" It asks for its {arrival.asks} then." if arrival.asks else ""
    out.print(f"Let it in: hombi admit {arrival.id} --room ROOM.{asked}")


def add_node(
    name: Annotated[str, typer.Argument(help="What to call it.")],
    room: Annotated[
        str,
        typer.Option(
            help="The room it is in; made when there is none.", autocompletion=complete.rooms
        ),
    ] = "",
) -> None:
    """Add a node that posts its values over HTTP; its key is shown this once."""
    with hub() as h:
        made = h.add_node(name, room)
    _show_key(made)
    out.print(f"Say what it posts: hombi add-entity {made.node} Temperature --kind temperature")


def _show_key(made: NodeKey) -> None:
    out.print(bold(made.node), "has the key", bold(f"{made.key}."), "It is not shown again.")
    out.print("It posts a value like this, with the entity's name in the place of ENTITY:")
    out.print(f"  {made.curl}", soft_wrap=True)
    out.print("A board that can only fetch an address:")
    out.print(f"  {made.get}", soft_wrap=True)


def add_entity(
    node: Annotated[
        str, typer.Argument(help="The node that posts it.", autocompletion=complete.nodes)
    ],
    title: Annotated[
        str, typer.Argument(help="What to call the value; its address is made from it.")
    ],
    kind: Annotated[str, typer.Option(help="What it is: temperature, humidity, contact …")],
    unit: Annotated[
        str, typer.Option(help="The unit that the node speaks; the kind's own unless given.")
    ] = "",
    pointer: Annotated[
        str, typer.Option(help="Where it stands when JSON is posted, like /climate/t.")
    ] = "",
) -> None:
    """Add a value that a node posts to /api/intake/NODE/ENTITY."""
    with hub() as h:
        entity = h.add_entity(node, title, kind, unit, pointer)
    out.print(bold(entity.entity), f"takes what is posted to /api/intake/{entity.entity}")


def change(
    address: Annotated[
        str,
        typer.Argument(help="A node, or an entity (node/entity).", autocompletion=complete.nodes),
    ],
    title: Annotated[str | None, typer.Option(help="Another name; the address stays.")] = None,
    room: Annotated[
        str | None, typer.Option(help="Another room, for a node.", autocompletion=complete.rooms)
    ] = None,
    hide: Annotated[
        bool | None, typer.Option("--hide/--show", help="Not shown in its room, or shown again.")
    ] = None,
) -> None:
    """Rename a node or an entity, move a node, hide or show an entity."""
    changes: dict[str, Any] = {"title": title, "room": room, "hidden": hide}
    given = {name: value for name, value in changes.items() if value is not None}
    wrong = "room" if "/" in address else "hidden"
    if not given or wrong in given:
        raise typer.BadParameter(
            "give --title, --room for a node, or --hide or --show for an entity"
        )
    with hub() as h:
        if "/" in address:
            entity = h.change_entity(address, **given)
            out.print(f"{entity.entity} is {entity.title}{', hidden' if entity.hidden else ''}")
        else:
            node = h.change_node(address, **given)
            out.print(f"{node.node} is {node.title} in {node.room or 'no room'}")


def remove(
    node: Annotated[str, typer.Argument(help="The node.", autocompletion=complete.nodes)],
    with_history: Annotated[
        bool, typer.Option("--with-history", help="Its history goes too; else it is kept.")
    ] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
) -> None:
    """Take a node out of the house, also one that no longer answers."""
    if not yes:
        lost = " Its history is lost too." if with_history else ""
        typer.confirm(f"{node} is taken out and cut off.{lost} Remove it?", abort=True)
    with hub() as h:
        h.remove_node(node, keep_history=not with_history)
    out.print(
        f"{node} is out" + (", with its history." if with_history else "; its history is kept.")
    )


def ask_again(
    named: Annotated[
        str,
        typer.Argument(
            metavar="NODE", help="A node, or an arrival.", autocompletion=complete.nodes
        ),
    ],
) -> None:
    """Ask a Zigbee node anew what it has, where it did not say all of it."""
    with hub() as h:
        arrival = next((one for one in h.arrivals() if named in (one.id, one.title)), None)
        if arrival is not None:
            h.ask_again(arrival.id)
        else:
            h.ask_node_again(named)
    out.print(f"{named} is asked again what it has. What it says comes up by itself.")


def settings(
    node: Annotated[str, typer.Argument(help="The node.", autocompletion=complete.nodes)],
    name: Annotated[str | None, typer.Argument(help="The setting to change.")] = None,
    value: Annotated[str | None, typer.Argument(help="Its new value.")] = None,
    json: Json = False,
) -> None:
    """A node's own settings, and changing one."""
    with hub() as h:
        if name is not None and value is not None:
            changed = next(
                s for s in h.change_setting(node, name, value).settings if s.name == name
            )
            out.print(f"{changed.title} is {_told(changed)}")
            return
        found = [s for s in h.settings(node) if name in (None, s.name)]
    if json:
        as_json(s.as_dict() for s in found)
        return
    rows = [(s.name, s.title, _told(s), _allowed(s)) for s in found]
    table(("SETTING", "NAME", "IS", "CAN BE"), rows, f"{node} has no settings of its own.", ("IS",))


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


def do(
    node: Annotated[str, typer.Argument(help="The node.", autocompletion=complete.nodes)],
    action: Annotated[str | None, typer.Argument(help="What it is to do.")] = None,
    given: Annotated[
        list[str] | None, typer.Argument(help="What the action asks for, as name=value.")
    ] = None,
) -> None:
    """Have a node do one of its actions; without one, what it can do."""
    inputs = dict(one.partition("=")[::2] for one in given or [])
    with hub() as h:
        if action is None:
            found = next((n for n in h.nodes() if n.node == node), None)
            rows = [
                (a.name, a.title, ", ".join(i.name for i in a.inputs), a.about)
                for a in (found.actions if found else [])
            ]
            table(("ACTION", "NAME", "ASKS FOR", "ABOUT"), rows, f"{node} has no actions.")
            return
        answer = h.act(node, action, **inputs)
    out.print("Done." if answer is None else f"It answers: {answer}")


def key(
    node: Annotated[str, typer.Argument(help="The node.", autocompletion=complete.nodes)],
    revoke: Annotated[
        bool, typer.Option("--revoke", help="Take its key away and shut it out.")
    ] = False,
) -> None:
    """Make a new key for a node; the one before is void at once."""
    with hub() as h:
        if revoke:
            h.revoke_key(node)
            out.print(f"{node} has no key any more and is shut out.")
        else:
            _show_key(h.new_key(node))


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
) -> None:
    """Draw a node's setup code as a QR code: a phone's camera opens the page that lets
    the node in."""
    with hub() as h:
        made = h.setup_code(_thing(h, thing), code)
    drawn = segno.make(made.address, error="m")
    if png is not None:
        drawn.save(str(png), scale=8, border=4)
        out.print(f"The QR code is in {png}.")
    else:
        drawn.terminal(compact=True, border=2)
    out.print("Setup code", bold(made.code))
    out.print(made.address, soft_wrap=True)


def _thing(h: Hub, named: str) -> str:
    if ":" in named:
        return named
    found = [a for a in h.arrivals() if named in (a.id, a.title)]
    if len(found) != 1:
        err.print(
            f"no arrival is called {named}; give the id in the node's description, like urn:uuid:…",
            style="red",
        )
        raise typer.Exit(SAID_NO)
    return found[0].thing
