"""`hombi link`: the ways in which nodes are reached, what arrives over them, and the
Zigbee stick."""

from __future__ import annotations

import contextlib
import json as json_text
from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, as_json, clock, err, moment, out, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub
from hombi.wire.messages import Message

app = noun("The ways in which nodes are reached.")
SHOWN = 20
PAYLOAD_SHOWN = 200


@app.command("list")
def list_(json: Json = False) -> None:
    """The links, and where each of them listens."""
    with hub() as h:
        links = h.house().links
    if json:
        as_json(link.as_dict() for link in links)
        return
    table(("LINK", "LISTENS"), [(link.link, link.listening) for link in links], "No links.")


@app.command()
def messages(
    via: Annotated[
        str,
        typer.Option(
            help="Only those that came in by door, broker, http, zigbee or bluetooth.",
            autocompletion=complete.one_of("door", "broker", "http", "zigbee", "bluetooth"),
        ),
    ] = "",
    topic: Annotated[
        str, typer.Option(help="Only topics under this filter, like mill/+/state or mill/#.")
    ] = "",
    node: Annotated[
        str, typer.Option(help="Only those of this node or account.", autocompletion=complete.nodes)
    ] = "",
    text: Annotated[
        str, typer.Option(help="Only those with this in the topic or the payload.")
    ] = "",
    each: Annotated[bool, typer.Option("--each", help="The last message of each topic.")] = False,
    follow: Annotated[
        bool, typer.Option("--follow", help="Print new ones as they come, until Ctrl-C.")
    ] = False,
    limit: Annotated[int, typer.Option(help="How many.", min=1, max=1000)] = SHOWN,
    json: Json = False,
) -> None:
    """What arrives, as it came: over the hub's MQTT listener, from the broker, by HTTP,
    over Zigbee and Bluetooth."""
    with hub() as h, contextlib.suppress(KeyboardInterrupt):
        HouseTime.of(h)
        result = h.messages.list(
            via=via, topic=topic, node=node, text=text, limit=limit, each_topic=each
        )[::-1]
        if json and not follow:
            as_json(m.as_dict() for m in result)
            return
        if not result and not follow:
            out.print("No message matches yet. `--follow` waits for one.")
        for message in result:
            _show(message, json)
        if follow:
            for batch in h.messages.follow(via=via, topic=topic, node=node, text=text):
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
    marks = [message.via, *(["retained"] if message.retained else []), message.node or "no node"]
    line.append(f"  ({', '.join(marks)})", style="dim")
    out.print(line)
    cut = "…" if len(message.payload) > PAYLOAD_SHOWN else ""
    out.print(Text(f"          {message.payload[:PAYLOAD_SHOWN]}{cut}"), soft_wrap=True)


@app.command()
def stick(json: Json = False) -> None:
    """The stick, its firmware and its network."""
    with hub() as h:
        zigbee = h.zigbee.info()
    if json:
        as_json([zigbee.as_dict()])
        return
    pan = (
        "" if zigbee.pan_id is None else f"0x{zigbee.pan_id:04X}, extended {zigbee.extended_pan_id}"
    )
    rows = [
        ("stick", zigbee.port or "none is set"),
        ("state", zigbee.text),
        ("network", pan),
        ("own address", zigbee.ieee),
        ("nodes", str(zigbee.nodes)),
    ]
    table(("ZIGBEE", ""), [row for row in rows if row[1]], "")


@app.command()
def keep(json: Json = False) -> None:
    """Keep the foreign network that the stick carries: its nodes stay in it, and may be
    let in while the pairing window is open."""
    with hub() as h:
        h.zigbee.choose("keep")
    said(json, [], "The stick's network is taken over.")


@app.command()
def clean(
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False, json: Json = False
) -> None:
    """Wipe the foreign network from the stick, and go on with the house's own."""
    if not yes:
        typer.confirm(
            "Every node in the network on the stick loses it. Wipe the network?", abort=True
        )
    with hub() as h:
        h.zigbee.choose("clean")
    said(json, [], "The stick's old network is wiped.")
