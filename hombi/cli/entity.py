"""`hombi entity`: the values of the house."""

from __future__ import annotations

from typing import Annotated, Any

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, ago, as_json, bold, err, out, said, since, table, value
from hombi.cli.exits import SAID_NO
from hombi.cli.noun import noun
from hombi.cli.now import HEADINGS, RIGHT, rows
from hombi.cli.run import Json, entity_called, hub
from hombi.wire.entities import Entity, EntityDetail

app = noun("The values of the house.")
Room = Annotated[str | None, typer.Option(help="Only this room.", autocompletion=complete.rooms)]
Node = Annotated[str | None, typer.Option(help="Only this node.", autocompletion=complete.nodes)]
Kind = Annotated[
    str | None,
    typer.Option(help="Only this kind, like temperature.", autocompletion=complete.kinds),
]
Address = Annotated[
    str,
    typer.Argument(help="Its address, node/entity, or its name.", autocompletion=complete.entities),
]


@app.command("list")
def list_(room: Room = None, node: Node = None, kind: Kind = None, json: Json = False) -> None:
    """List the entities: what they are, which can be set, and which are hidden."""
    listed(room, node, kind, json=json, now=False)


def listed(room: str | None, node: str | None, kind: str | None, *, json: bool, now: bool) -> None:
    """Entities as they are `now`, or what they are."""
    with hub() as h:
        entities = h.entities.list(room=room, node=node, kind=kind)
        about = {e.node for e in entities}
        shut = [n for n in h.nodes.list() if n.shut_out and n.node in about] if now else []
        HouseTime.of(h)
    if now:
        entities = [e for e in entities if not e.hidden]
    if json:
        as_json(e.as_dict() for e in entities)
        return
    entities.sort(key=lambda e: (e.room or "~", e.entity))
    empty = "There is nothing to see yet. `hombi pair` lets a node in."
    if now:
        # Who asks for one node or one kind wants each value.
        lines = rows(entities, apart=bool(node or kind))
        table(HEADINGS, lines, empty, RIGHT)
    else:
        headings = ("ENTITY", "NAME", "KIND", "UNIT", "ROOM", "")
        table(headings, [_about(e) for e in entities], empty)
    for one in shut:
        say = f"{one.title} refuses the hub; `hombi node secret {one.node}` gives it a new secret"
        out.print(Text(f"! {say}", style="yellow"))


def _about(e: Entity) -> tuple[str | Text, ...]:
    marks = [*(["can be set"] if e.writable else []), *(["hidden"] if e.hidden else [])]
    return (e.entity, e.title, e.kind, e.unit or "–", e.room or "–", ", ".join(marks))


@app.command()
def show(entity: Address, json: Json = False) -> None:
    """Show one entity: its value, its source, and the automations that watch it."""
    with hub() as h:
        detail = h.entities.get(entity)
        HouseTime.of(h)
    if json:
        as_json([detail.as_dict()])
        return
    out.print(bold(detail.spoken), value(detail))
    said = detail.converted and detail.raw is not None
    sent = f" ({detail.raw:g} {detail.wire_unit})" if said else ""
    facts = [
        ("address", detail.entity),
        ("kind", detail.kind + (f", in {detail.unit}" if detail.unit else "")),
        ("node", f"{detail.node}, over {detail.link}" if detail.node else "none"),
        ("room", detail.room or "none"),
        ("sent as", f"{detail.wire_name}{sent}" if detail.node else ""),
        ("computed", _computed(detail)),
        ("picked from", detail.picked),
        ("words", ", ".join(detail.words or ())),
        ("believed", "" if detail.words else _believed(detail)),
        ("since", since(detail.since)),
        ("heard", f"{ago(detail.heard_at)} ago" if detail.heard_at else "never"),
        ("watched by", ", ".join(watcher.automation for watcher in detail.watchers)),
    ]
    table(("ENTITY", ""), [fact for fact in facts if fact[1]], "")


def _believed(e: EntityDetail) -> str:
    return f"from {e.low:g} to {e.high:g} {e.unit}".rstrip()


def _computed(e: EntityDetail) -> str:
    """How a value is computed from others, in words."""
    if e.computed is None:
        return ""
    how = e.computed
    if "text" in how.parameters:
        return how.parameters["text"]
    given = ", ".join(f"{name}={value}" for name, value in how.parameters.items())
    return f"{how.method} of {', '.join(how.sources)}" + (f", {given}" if given else "")


@app.command()
def rename(
    entity: Address,
    title: Annotated[str, typer.Argument(help="What to call it.")],
    json: Json = False,
) -> None:
    """Rename an entity; its address stays."""
    with hub() as h:
        result = h.entities.rename(entity_called(h, entity), title)
    said(json, [result], f"{result.entity} is now called {result.title}")


@app.command()
def hide(
    entity: Address,
    again: Annotated[bool, typer.Option("--show", help="Show it again.")] = False,
    json: Json = False,
) -> None:
    """Hide an entity in its room, or show it again. It goes on recording."""
    with hub() as h:
        result = h.entities.hide(entity_called(h, entity), not again)
    said(json, [result], f"{result.entity} is {'hidden' if result.hidden else 'shown'}")


@app.command()
def see(
    entity: Address,
    unit: Annotated[
        str | None, typer.Option(help="In which unit it is seen; '' as in the whole house.")
    ] = None,
    decimals: Annotated[
        int | None, typer.Option(help="With how many decimals; -1: automatic.")
    ] = None,
    keep: Annotated[
        str | None,
        typer.Option(help="How long its single readings are kept, like '30 d'; '' as all others."),
    ] = None,
    json: Json = False,
) -> None:
    """Say how an entity is shown, and how long its readings are kept."""
    with hub() as h:
        result = h.entities.see(entity_called(h, entity), unit=unit, decimals=decimals, keep=keep)
    said(json, [result], f"{result.entity} is {result.shown or 'not heard yet'}")


@app.command()
def kind(
    entity: Address,
    kind: Annotated[
        str,
        typer.Argument(help="What it is; `hombi kinds` lists them.", autocompletion=complete.kinds),
    ],
    unit: Annotated[
        str, typer.Option(help="The unit that its node speaks; the kind's own unless given.")
    ] = "",
    json: Json = False,
) -> None:
    """Change an entity's kind from now on; its history keeps the old kind."""
    with hub() as h:
        result = h.entities.change_kind(entity_called(h, entity), kind, unit)
    said(json, [result], f"{result.entity} is now of kind {result.kind}")


@app.command()
def remove(
    entity: Address,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    json: Json = False,
) -> None:
    """Remove an entity that was picked or is computed, with its history."""
    if not yes:
        question = f"{entity} is removed, and its history with it. Remove it?"
        typer.confirm(question, abort=True)
    with hub() as h:
        was = h.entities.get(entity)
        h.entities.remove(was.entity)
    said(json, [was], f"{was.entity} is removed, with its history.")


@app.command()
def pick(
    topic: Annotated[
        str,
        typer.Argument(
            help="The topic, with {node} where the node's name stands, like mill/{node}/state."
        ),
    ],
    kind: Annotated[
        str,
        typer.Option(help="What it is; `hombi kinds` lists them.", autocompletion=complete.kinds),
    ],
    title: Annotated[str, typer.Option(help="What to call the value; the kind unless given.")] = "",
    pointer: Annotated[
        str,
        typer.Option(help="Where it stands in JSON, like /climate/t; the payload unless given."),
    ] = "",
    at: Annotated[str, typer.Option(help="Where its time stands in JSON, if anywhere.")] = "",
    unit: Annotated[
        str, typer.Option(help="The unit that the node speaks; the kind's own unless given.")
    ] = "",
    words: Annotated[
        str,
        typer.Option(help="The words of a choice, a press or an event, like low,medium,high."),
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
        typer.Option(help="The payload that asks for it, like '{\"lamp\": {1|0}}' or {value}."),
    ] = "",
    via: Annotated[
        str,
        typer.Option(
            help="Where the messages come in: door or broker; wherever they do unless given.",
            autocompletion=complete.one_of("door", "broker"),
        ),
    ] = "",
    try_: Annotated[
        bool, typer.Option("--try", help="Only show what the last messages would have given.")
    ] = False,
    json: Json = False,
) -> None:
    """Make a value in a node's messages an entity, for nodes that do not know Hombi."""
    if via not in ("", "door", "broker"):
        raise typer.BadParameter("messages are picked from door or broker", param_hint="--via")
    picking: dict[str, Any] = {"via": via, "pointer": pointer, "at": at, "unit": unit}
    picking["words"] = [word.strip() for word in words.split(",") if word.strip()]
    with hub() as h:
        rows = h.messages.preview(topic, kind, **picking)
        if node:
            rows = [row for row in rows if row.node in node]
        if try_:
            if json:
                as_json(row.as_dict() for row in rows)
                return
            empty = "No message has this topic yet. `hombi link messages` shows all messages."
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
            table(("TOPIC", "NODE", "VALUE", "PROBLEM", "HEARD"), shown, empty, ("VALUE", "HEARD"))
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
        made = h.messages.pick(
            topic,
            kind,
            title or next((k.title for k in h.kinds() if k.kind == kind), kind),
            **picking,
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
