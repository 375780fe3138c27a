"""`hombi messages`, `pick`: what arrives, as it came, and making values in it
entities."""

from __future__ import annotations

import contextlib
import json as json_text
from typing import Annotated, Any

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, ago, as_json, bold, clock, err, moment, out, table
from hombi.cli.run import SAID_NO, Json, hub
from hombi.client import Message

SHOWN = 20
PAYLOAD_SHOWN = 200


def messages(
    via: Annotated[
        str,
        typer.Option(help="Only those that came in by door, broker, http, zigbee or bluetooth."),
    ] = "",
    topic: Annotated[
        str, typer.Option(help="Only topics under this filter, like mill/+/state or mill/#.")
    ] = "",
    node: Annotated[
        str, typer.Option(help="Only those of this node or tool.", autocompletion=complete.nodes)
    ] = "",
    text: Annotated[
        str, typer.Option(help="Only those with this in the topic or the payload.")
    ] = "",
    each: Annotated[bool, typer.Option("--each", help="The last message of each topic.")] = False,
    follow: Annotated[
        bool, typer.Option("--follow", help="Go on as they come, until Ctrl-C.")
    ] = False,
    limit: Annotated[int, typer.Option(help="How many.", min=1, max=1000)] = SHOWN,
    json: Json = False,
) -> None:
    """What arrives, as it came: over the hub's MQTT door, from the broker, by HTTP,
    over Zigbee and Bluetooth."""
    with hub() as h, contextlib.suppress(KeyboardInterrupt):
        HouseTime.of(h)
        found = h.messages(
            via=via, topic=topic, node=node, text=text, limit=limit, each_topic=each
        )[::-1]
        if json and not follow:
            as_json(m.as_dict() for m in found)
            return
        if not found and not follow:
            out.print("Nothing came yet that fits. `--follow` waits for it.")
        for message in found:
            _show(message, json)
        if follow:
            for batch in h.follow_messages(via=via, topic=topic, node=node, text=text):
                for message in batch.messages:
                    _show(message, json)
                if batch.passed_over:
                    err.print(f"… and {batch.passed_over} more in between", style="dim")


def _show(message: Message, json: bool) -> None:
    if json:
        print(json_text.dumps({**message.as_dict(), "at": moment(message.at)}), flush=True)
        return
    line = Text(clock(message.at, "%H:%M:%S"), style="dim")
    line.append(f"  {message.topic}", style="bold")
    marks = [message.via, *(["retained"] if message.retained else []), message.node or "nobody's"]
    line.append(f"  ({', '.join(marks)})", style="dim")
    out.print(line)
    cut = "…" if len(message.payload) > PAYLOAD_SHOWN else ""
    out.print(Text(f"          {message.payload[:PAYLOAD_SHOWN]}{cut}"), soft_wrap=True)


def pick(
    topic: Annotated[
        str,
        typer.Argument(
            help="The topic, with {node} where the node's name stands, like mill/{node}/state."
        ),
    ],
    kind: Annotated[str, typer.Option(help="What it is: temperature, humidity, contact, switch …")],
    title: Annotated[str, typer.Option(help="What to call the value; the kind unless given.")] = "",
    pointer: Annotated[
        str,
        typer.Option(help="Where it stands in JSON, like /climate/t; the payload unless given."),
    ] = "",
    at: Annotated[str, typer.Option(help="Where its time stands in JSON, if anywhere.")] = "",
    unit: Annotated[
        str, typer.Option(help="The unit that the node speaks; the kind's own unless given.")
    ] = "",
    node: Annotated[
        list[str] | None,
        typer.Option(help="Which nodes, as they stand in the topic; all heard unless given."),
    ] = None,
    name: Annotated[str, typer.Option(help="What to call the node, when it is one.")] = "",
    room: Annotated[
        str,
        typer.Option(
            help="The room it is in; made when there is none.", autocompletion=complete.rooms
        ),
    ] = "",
    write_topic: Annotated[
        str, typer.Option(help="The topic that asks for a value, to be able to set it.")
    ] = "",
    write: Annotated[
        str,
        typer.Option(
            help='The payload that asks for it, like \'{"state": "{ON|OFF}"}\' or {value}.'
        ),
    ] = "",
    via: Annotated[str, typer.Option(help="Where the messages come in: door or broker.")] = "door",
    try_: Annotated[
        bool, typer.Option("--try", help="Only show what the last messages would have given.")
    ] = False,
    json: Json = False,
) -> None:
    """Make a value in a node's messages an entity, for nodes that do not know Hombi."""
    picking: dict[str, Any] = {
        "via": via,
        "topic": topic,
        "pointer": pointer,
        "at": at,
        "kind": kind,
        "unit": unit,
    }
    with hub() as h:
        rows = h.preview(**picking)
        if try_:
            if json:
                as_json(row.as_dict() for row in rows)
                return
            empty = "Nothing came under this topic yet. `hombi messages` shows what does."
            shown = [
                (
                    r.topic,
                    r.node,
                    Text(r.shown or "none"),
                    Text(r.problem, style="yellow"),
                    ago(r.at),
                )
                for r in rows
            ]
            table(
                ("TOPIC", "NODE", "WOULD BE", "BUT", "HEARD"), shown, empty, ("WOULD BE", "HEARD")
            )
            return
        heard = sorted({row.node for row in rows if row.node and row.shown})
        nodes = node or heard
        if "{node}" in topic.split("/") and not nodes:
            err.print(
                "Nothing came under this topic yet that gives a value; name the nodes with --node.",
                style="red",
            )
            raise typer.Exit(SAID_NO)
        writing = {"topic": write_topic, "payload": write} if write_topic or write else None
        made = h.pick(
            **picking,
            title=title or kind.capitalize(),
            nodes=nodes,
            name=name,
            room=room,
            write=writing,
        )
    if json:
        as_json(entity.as_dict() for entity in made)
        return
    for entity in made:
        out.print(bold(entity.entity), f"is picked from {entity.picked}")
