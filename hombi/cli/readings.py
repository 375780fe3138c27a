"""`hombi history`, `follow`, `set`: one entity over time, and switching it."""

from __future__ import annotations

from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import as_json, clock, err, out, sparkline, table
from hombi.cli.run import UNANSWERED, Json, hub

Entity = Annotated[str, typer.Argument(help="Its address, node/entity.", autocompletion=complete.entities)]
_ROWS = {"hour": 12, "day": 24, "week": 14, "month": 30}
_PATTERNS = {"hour": "%H:%M", "day": "%d %b %H:%M", "week": "%a %d %b %H:%M", "month": "%a %d %b"}


def history(
    entity: Entity,
    span: Annotated[str, typer.Option(help="hour, day, week or month.")] = "day",
    json: Json = False,
) -> None:
    """One entity over time: its course and numbers."""
    with hub() as h:
        fine = h.history(entity, span, points=max(20, out.width - 4))
        coarse = h.history(entity, span, points=_ROWS.get(span, 24))
    columns = list(zip(coarse.at, coarse.mean, coarse.low, coarse.high, coarse.count, strict=True))
    if json:
        as_json(
            {"entity": entity, "unit": coarse.unit, "at": at, "mean": mean, "low": low, "high": high, "count": count}
            for at, mean, low, high, count in columns
        )
        return
    if not columns:
        out.print(f"{entity} has no readings in the last {span}.")
        return
    total = sum(fine.count)
    mean = sum(m * c for m, c in zip(fine.mean, fine.count, strict=True)) / total
    out.print(Text(entity, style="bold"), f"· last {span} · {total} readings")
    out.print(sparkline(fine, max(20, out.width - 4)))
    out.print(f"lowest {min(fine.low):.1f} · mean {mean:.1f} · highest {max(fine.high):.1f} {coarse.unit}".rstrip())
    rows = [
        (clock(at - coarse.width_ms // 2, _PATTERNS[span]), f"{mean:.1f}", f"{low:.1f}", f"{high:.1f}", str(count))
        for at, mean, low, high, count in columns
    ]
    table(("FROM", "MEAN", "LOWEST", "HIGHEST", "READINGS"), rows, "", ("MEAN", "LOWEST", "HIGHEST", "READINGS"))


def follow(
    entity: Annotated[
        list[str] | None, typer.Argument(help="Only these; all when none is named.", autocompletion=complete.entities)
    ] = None,
    json: Json = False,
) -> None:
    """Readings as they come in, until Ctrl-C. With --json, one object a line."""
    with hub() as h:
        known = {e.entity: e for e in h.entities()}
        for name in entity or []:
            if name not in known:
                h.entity(name)  # raises, with the nearest name
        try:
            for event in h.live():
                data = event.data
                if event.kind != "reading" or (entity and data["entity"] not in entity):
                    continue
                if json:
                    as_json_line(data)
                    continue
                about = known.get(data["entity"])
                good = data["quality"] == "good"
                line = Text(clock(data["at"], "%H:%M:%S"), style="dim")
                line.append(f"  {data['entity']:<32} ", style="default")
                value = "–" if data["value"] is None else f"{data['value']:.2f}"
                line.append(f"{value:>10} {about.unit if about else ''}", style="bold" if good else "red")
                if not good:
                    line.append(f" ! {data['reason']}", style="red")
                out.print(line)
        except KeyboardInterrupt:
            return


def as_json_line(data: dict[str, object]) -> None:
    """One object on one line, at once."""
    import json  # noqa: PLC0415 - the option of the same name shadows it above

    print(json.dumps(data, ensure_ascii=False), flush=True)


def set_(
    entity: Annotated[str, typer.Argument(help="Its address, node/entity.", autocompletion=complete.settable)],
    to: Annotated[str, typer.Argument(help="The value wanted: on, off, toggle, '40 %'.")],
    json: Json = False,
) -> None:
    """Switch an entity, and wait for its node's word."""
    with hub() as h:
        command = h.command(entity, to)
        became = h.entity(entity).shown if to == "toggle" and command.state == "confirmed" else to
    if json:
        as_json([command.as_dict()])
    elif command.state == "confirmed":
        took = (command.answered_at or command.asked_at) - command.asked_at
        out.print(f"{entity} is {became}, confirmed by the node after {took} ms.")
    else:
        err.print(f"{entity} was asked to be {to}, but: {command.problem}", style="red")
    if command.state != "confirmed":
        raise typer.Exit(UNANSWERED)
