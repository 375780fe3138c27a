"""`hombi history`, `follow`, `set`: one entity over time, and switching it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import tzinfo
from itertools import groupby
from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, as_json, clock, err, out, sparkline, table
from hombi.cli.exits import UNANSWERED
from hombi.cli.run import Json, entity_called, hub
from hombi.cli.texts import MOMENT_HELP, moment_of
from hombi.client import Hub
from hombi.wire.entities import Command, EntityDetail, Row
from hombi.wire.entities import Entity as EntityShape

HOUR_MS = 3_600_000
MOMENT = "%d %b %H:%M:%S"
SPANS = ("hour", "day", "week", "month", "year")
Entity = Annotated[
    str,
    typer.Argument(help="Its address, node/entity, or its name.", autocompletion=complete.entities),
]


Span = Annotated[
    str,
    typer.Option(
        help="The last hour, day, week, month or year.", autocompletion=complete.one_of(*SPANS)
    ),
]
Begin = Annotated[
    str | None, typer.Option("--from", help=f"In place of --span: from when on, {MOMENT_HELP}.")
]
End = Annotated[
    str | None, typer.Option("--to", help=f"Until when, {MOMENT_HELP}; now unless given.")
]


def history(
    entity: Entity,
    span: Span = "day",
    begin: Begin = None,
    end: End = None,
    over: Annotated[
        str | None, typer.Option(help='Also say for how long it was over this, like "82 %".')
    ] = None,
    json: Json = False,
) -> None:
    """One entity over time: a curve and its numbers, in house time."""
    with hub() as h:
        zone, entity = HouseTime.of(h), entity_called(h, entity)
        since, until = moments(begin, end, zone)
        about = h.entities.get(entity)
        if not json and (about.drawn == "marks" or about.kind == "choice"):
            _in_words(h, about, within(span, begin, end), (span, since, until))
            return
        fine = h.entities.history(
            entity, span, points=max(20, out.width - 4), start=since, end=until
        )
        rows = h.entities.rows(entity, span, start=since, end=until)
        of = h.entities.numbers(entity, span, start=since, end=until, over=over)
    if json:
        as_json({"entity": entity, "unit": fine.unit, **row.as_dict()} for row in rows)
        return
    if not fine.at:
        out.print(f"{entity} has no readings {within(span, begin, end)}.")
        return
    counted = "1 reading" if of.count == 1 else f"{of.count} readings"
    out.print(Text(entity, style="bold"), f"· {within(span, begin, end)} · {counted}")
    out.print(sparkline(fine, max(20, out.width - 4)))
    ends = ("lowest", "highest") if of.median is not None else ("clockwise from", "to")
    shown = [(ends[0], of.low), ("mean", of.mean), ("median", of.median), (ends[1], of.high)]
    sentence = " · ".join(f"{name} {number:.1f}" for name, number in shown if number is not None)
    out.print(f"{sentence} {fine.unit}".rstrip())
    if of.over_ms is not None:
        share = 100 * of.over_ms / of.known_ms if of.known_ms else 0.0
        out.print(f"over {over} for {length(of.over_ms)}, {share:.1f} % of the time")
    numbers = ("MEAN", "LOWEST", "HIGHEST", "READINGS")
    table(("FROM", *numbers), _drawn(rows), "", numbers)


def _in_words(
    h: Hub, about: EntityDetail, when: str, spanned: tuple[str, int | None, int | None]
) -> None:
    """What happened, or how a choice stood, each with its time."""
    span, since, until = spanned
    if about.drawn == "marks":
        rows = h.entities.rows(about.entity, span, start=since, end=until)
        first, last = (rows[0].start, rows[-1].end) if rows else (since or 0, until)
        came = [(one.at, one.value) for one in h.entities.readings(about.entity, first, last)]
        shown = [
            (clock(at, MOMENT), about.words[round(value)] if about.words else f"{value:g}")
            for at, value in came
            if value is not None
        ]
        empty = f"Nothing happened {when}."
        table(("WHEN", "WHAT"), shown, empty)
        return
    stood = h.entities.stretches(about.entity, span, start=since, end=until).stretches
    words = about.words or []
    table(
        ("FROM", "IT WAS", "FOR"),
        [
            (clock(one.start, MOMENT), words[round(one.value)], length(one.end - one.start))
            for one in stood
        ],
        f"How it stood {when} is not known.",
        ("FOR",),
    )


def moments(begin: str | None, end: str | None, zone: tzinfo) -> tuple[int | None, int | None]:
    """What --from and --to name, in ms."""
    since = None if begin is None else moment_of(begin, zone, "--from")
    return since, None if end is None else moment_of(end, zone, "--to")


def length(ms: int) -> str:
    """A length of time in its two largest units."""
    minutes, seconds = divmod(ms // 1000, 60)
    hours, minutes = divmod(minutes, 60)
    if not hours:
        return f"{minutes} min" if minutes else f"{seconds} s"
    return f"{hours} h {minutes} min" if minutes else f"{hours} h"


def within(span: str, begin: str | None, end: str | None) -> str:
    """The span in words: "in the last day", "since 2026-11-20"."""
    if begin is None and end is None:
        return f"in the last {span}"
    since = f"since {begin}" if begin is not None else f"in a {span}"
    return f"{since} until {end}" if end is not None else since


def _drawn(rows: Sequence[Row]) -> Iterator[tuple[str, ...]]:
    """The rows as they are shown: those in a row that have no readings are one, which
    says how far it goes."""
    for empty, group in groupby(rows, key=lambda row: not row.count):
        some = list(group)
        if empty:
            until = clock(some[-1].end, pattern(some[-1]))
            yield clock(some[0].start, pattern(some[0])), "–", "–", "–", f"none until {until}"
            continue
        for row in some:
            numbers = (row.mean, row.low, row.high)
            yield (
                clock(row.start, pattern(row)),
                *(f"{n:.1f}" for n in numbers if n is not None),
                str(row.count),
            )


def pattern(row: Row) -> str:
    """How the time of a row is written: days without their hour."""
    return "%d %b %H:%M" if row.end - row.start <= HOUR_MS else "%a %d %b %Y"


def follow(
    entity: Annotated[
        list[str] | None,
        typer.Argument(
            help="Only these; all when none is named.", autocompletion=complete.entities
        ),
    ] = None,
    json: Json = False,
) -> None:
    """Readings as they come in, until Ctrl-C. With --json, one object a line."""
    with hub() as h:
        HouseTime.of(h)
        known = {e.entity: e for e in h.entities.list()}
        entity = [one if one in known else h.entities.get(one).entity for one in entity or []]
        try:
            for event in h.live():
                news = event.news
                if event.kind != "reading" or (entity and news.entity not in entity):
                    continue
                if json:
                    as_json_line(news.as_dict())
                    continue
                about = known.get(news.entity)
                good = news.quality == "good"
                line = Text(clock(news.at, "%H:%M:%S"), style="dim")
                line.append(f"  {news.entity:<32} ", style="default")
                line.append(_figure(news.value, about), style="bold" if good else "red")
                if not good:
                    line.append(f" ! {news.reason}", style="red")
                out.print(line)
        except KeyboardInterrupt:
            return


def _figure(value: float | None, about: EntityShape | None) -> str:
    """A value as it is printed in a column: a word, or a number with its unit."""
    if value is None or about is None:
        return f"{'–' if value is None else f'{value:.2f}':>10}"
    if about.words and round(value) < len(about.words):
        return f"{about.words[round(value)]:>10}"
    return f"{value:>10.2f} {about.unit}"


def as_json_line(data: dict[str, object]) -> None:
    """One object on one line, at once."""
    import json  # noqa: PLC0415 - the option of the same name shadows it above

    print(json.dumps(data), flush=True)


def set_(
    entity: Annotated[
        str,
        typer.Argument(
            help="The address or the name of an entity (node/entity), or of a node.",
            autocompletion=complete.settable,
        ),
    ],
    to: Annotated[
        list[str],
        typer.Argument(
            help="The value wanted: on, off, other, 40, open, teal; "
            "or several of a node, like level=40% white=2700K colour=#ff8800."
        ),
    ],
    taking: Annotated[
        str, typer.Option(help='Go there slowly, within this time, like "3 s".')
    ] = "",
    json: Json = False,
) -> None:
    """Set an entity, or several values of a node, and wait until the node confirms."""
    with hub() as h:
        values = dict(one.partition("=")[::2] for one in to if "=" in one)
        whole = " ".join(one for one in to if "=" not in one)
        node = _node_called(h, entity) if values or taking or "/" not in entity else ""
        if not node and (values or taking):
            raise typer.BadParameter(f"{entity} is not a node; a node takes several values")
        if node:
            commands = h.nodes.set(node, whole, values, taking=taking)
        else:
            entity = entity_called(h, entity)
            commands = [h.entities.set(entity, whole)]
        if json:
            as_json(command.as_dict() for command in commands)
        else:
            for command in commands:
                name = command.entity.partition("/")[2]
                _say(h, command, values.get(name, whole or values.get("colour", "")))
    if any(command.state != "confirmed" for command in commands):
        raise typer.Exit(UNANSWERED)


def _node_called(h: Hub, name: str) -> str:
    """The node of this address or name; "" where there is none."""
    nodes = h.nodes.list()
    return next((n.node for n in nodes if name.casefold() in (n.node, n.title.casefold())), "")


def _say(h: Hub, command: Command, wanted: str) -> None:
    """What became of a command."""
    if command.state == "confirmed":
        took = (command.answered_at or command.asked_at) - command.asked_at
        became = h.entities.get(command.entity).shown or wanted
        out.print(f"{command.entity} is {became}, confirmed by the node after {took} ms.")
    else:
        err.print(f"{command.entity} was asked to be {wanted}, but: {command.problem}", style="red")
