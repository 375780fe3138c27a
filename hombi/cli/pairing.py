"""`hombi pair`, `arrivals`, `admit`: letting nodes in."""

from __future__ import annotations

import time
from math import ceil
from typing import Annotated

import typer
from rich.progress import BarColumn, Progress, TextColumn
from rich.prompt import Prompt

from hombi.cli import complete
from hombi.cli.drawing import ago, as_json, bold, err, out, said, table
from hombi.cli.exits import SAID_NO
from hombi.cli.run import Json, hub
from hombi.client import Hub
from hombi.wire.pairing import Arrival

LOOK_EVERY_S = 0.5


def pair(
    for_: Annotated[
        str,
        typer.Option(
            "--for", help="How long the window is open, like 2m or '90 s'; 15 min at most."
        ),
    ] = "2 min",
    watch: Annotated[bool, typer.Option(help="Stay, count down, and show who arrives.")] = True,
    close: Annotated[bool, typer.Option("--close", help="Close the window now.")] = False,
    json: Json = False,
) -> None:
    """Open the pairing window; it closes by itself."""
    with hub() as h:
        if close:
            h.pairing.close()
            said(json, [h.pairing.window()], "Pairing is closed.")
            return
        window = h.pairing.open(for_)
        if json:
            as_json([window.as_dict()])
            return
        for link, where in window.listening.items():
            out.print(f"{link}: {where}")
        if not watch or not out.is_terminal:
            out.print(f"Pairing is open for {ceil(window.left_ms / 1000)} s.")
            return
        _count_down(h, window.left_ms)


def _count_down(h: Hub, left_ms: int) -> None:
    seen: dict[str, tuple[str, str]] = {}
    with Progress(
        TextColumn("pairing is open"),
        BarColumn(),
        TextColumn("{task.fields[left]} s left"),
        console=out,
    ) as progress:
        task = progress.add_task("", total=left_ms / 1000, left=ceil(left_ms / 1000))
        while (window := h.pairing.window()).open:
            progress.update(task, completed=window.left_ms / 1000, left=ceil(window.left_ms / 1000))
            for arrival in h.pairing.arrivals():
                if (told := _told(arrival)) != seen.get(arrival.id):
                    seen[arrival.id] = told
                    progress.console.print(bold(told[0]), told[1])
            time.sleep(LOOK_EVERY_S)
    out.print("Pairing is closed.")


def _told(arrival: Arrival) -> tuple[str, str]:
    if arrival.state == "asking":
        return arrival.title, f"over {arrival.link}: {arrival.progress}"
    return arrival.title, f"asks to join over {arrival.link}: hombi admit {arrival.id} --room ROOM"


def arrivals(json: Json = False) -> None:
    """The nodes that were heard and are not let in yet."""
    with hub() as h:
        result = h.pairing.arrivals()
    if json:
        as_json(a.as_dict() for a in result)
        return
    rows = [
        (a.id, a.title, a.link, _has(a), a.progress or a.state, ago(a.heard_at)) for a in result
    ]
    table(
        ("ARRIVAL", "NAME", "LINK", "HAS", "STATE", "HEARD"),
        rows,
        "No node waits to be let in. `hombi pair` opens the pairing window.",
        ("HEARD",),
    )
    titles = [arrival.title.casefold() for arrival in result]
    for arrival in result:
        if titles.count(arrival.title.casefold()) > 1:
            at = ", ".join(filter(None, (arrival.thing, arrival.url or arrival.sender)))
            out.print(f"{arrival.id}: {at}", style="yellow")
        for elsewhere in arrival.elsewhere:
            out.print(
                f"{arrival.id}: it sends the hub to {elsewhere}, which is not its own; "
                f"`--origin {elsewhere}` lets it",
                style="yellow",
            )
        if arrival.rivals:
            out.print(
                f"{arrival.id}: {', '.join(arrival.rivals)} says that it is this node "
                f"too; the setup code shows which one is",
                style="yellow",
            )
        for left_out in arrival.left_out:
            out.print(f"{arrival.id}: {left_out}", style="yellow")
        for note in arrival.unit_notes:
            out.print(f"{arrival.id}: {note}, with `--unit NAME=UNIT`", style="yellow")


def _has(arrival: Arrival) -> str:
    return ", ".join(f"{e.name} ({e.unit or e.kind})" for e in arrival.entities if not e.hidden)


def admit(
    arrival: Annotated[
        str, typer.Argument(help="The arrival's id, or its name.", autocompletion=complete.arrivals)
    ],
    code: Annotated[
        str | None, typer.Option(help="The setup code on the node; prompted for if not given.")
    ] = None,
    name: Annotated[
        str, typer.Option(help="What to call it; the name it gives itself unless given.")
    ] = "",
    room: Annotated[
        str,
        typer.Option(
            help="The room it is in; made when there is none.", autocompletion=complete.rooms
        ),
    ] = "",
    secret: Annotated[
        str | None,
        typer.Option(help="What a node that was found asks for: user:password, or its token."),
    ] = None,
    call: Annotated[
        list[str] | None,
        typer.Option("--call", help="What to call an entity: temperature=Under the roof."),
    ] = None,
    unit: Annotated[
        list[str] | None,
        typer.Option(
            "--unit", help="The unit that the node sends a value in: temperature=°C, or =degC."
        ),
    ] = None,
    hide: Annotated[
        list[str] | None, typer.Option("--hide", help="An entity that is not shown in its room.")
    ] = None,
    origin: Annotated[
        list[str] | None,
        typer.Option(
            "--origin",
            help="An address beside its own that it sends the hub "
            "to, and may; else it is not used.",
        ),
    ] = None,
    turn_away: Annotated[bool, typer.Option("--turn-away", help="Do not let it in.")] = False,
    json: Json = False,
) -> None:
    """Let an arrival in, with the setup code that is on it, or with what it asks for
    when it was found."""
    with hub() as h:
        word = arrival.casefold()
        result = [a for a in h.pairing.arrivals() if word in (a.id, a.title.casefold())]
        if (
            len(result) > 1
            and len({a.thing for a in result}) == 1
            and all(a.needs_code for a in result)
        ):
            result = result[
                :1
            ]  # of those that say they are the same node, the setup code picks the right one
        if len(result) != 1:
            err.print(
                f"{'no' if not result else 'more than one'} arrival is called {arrival}; "
                f"`hombi arrivals` lists them",
                style="red",
            )
            raise typer.Exit(SAID_NO)
        if turn_away:
            h.pairing.turn_away(result[0].id)
            said(json, result, f"{result[0].title} was turned away.")
            return
        arriving = result[0]
        if arriving.needs_code and code is None:
            code = Prompt.ask("Setup code")
        if arriving.asks and secret is None:
            secret = Prompt.ask(f"Its {arriving.asks}", password=True)
        titles, units = (dict(x.partition("=")[::2] for x in given or []) for given in (call, unit))
        choices = {
            value: {
                "title": titles.get(value, ""),
                "hidden": value in (hide or []),
                "unit": units.get(value, ""),
            }
            for value in {*titles, *units, *(hide or [])}
        }
        node = h.pairing.admit(
            arriving.id,
            code or "",
            name,
            room,
            secret=secret or "",
            entities=choices,
            origins=origin or [],
        )
        values = ", ".join(node.entities)
        said(json, [node], f"{node.title} is in as", bold(f"{node.node}:"), values)
