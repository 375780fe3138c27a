"""`hombi review`: a month or a week of the rooms, side by side."""

from __future__ import annotations

import csv
import sys
from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, as_json, blocks, clock, out, table
from hombi.cli.run import Json, hub
from hombi.wire.review import BatteryTrend, NodeSilence, Review, ReviewedKind

SPANS = ("month", "week")
HOURS = 24


def review(
    span: Annotated[
        str,
        typer.Argument(help="month or week.", autocompletion=complete.one_of(*SPANS)),
    ] = "month",
    on: Annotated[
        str,
        typer.Option(
            help="A day in it, like 2026-11-20; without it today, or the last whole one "
            "while this one has only begun."
        ),
    ] = "",
    as_csv: Annotated[bool, typer.Option("--csv", help="Print a table for a spreadsheet.")] = False,
    json: Json = False,
) -> None:
    """Look back over a month or a week: the rooms side by side, and what stands out."""
    with hub() as h:
        HouseTime.of(h)
        result = h.review(span, on=on)
    if json:
        as_json([result.as_dict()])
        return
    if as_csv:
        csv.writer(sys.stdout).writerows(result.rows())
        return
    _draw(result)


def _draw(review: Review) -> None:
    last = clock(review.end - 1, "%d %b %Y")
    out.print(Text(f"{clock(review.start, '%d %b')} to {last}", style="bold"))
    out.print()
    out.print(Text("What stands out", style="bold"))
    for finding in review.findings:
        out.print(f"· {finding.text}.")
    if not review.findings:
        out.print("Nothing.", style="dim")
    for kind in review.kinds:
        out.print()
        _kind(kind)
    if review.silences:
        out.print()
        rows = [(silence.title, *_silence(silence)) for silence in review.silences]
        table(("NODE", "LONGEST SILENCE", "FROM"), rows, "")
    if review.batteries:
        out.print()
        lines = [
            (battery.spoken, f"{battery.percent:.0f} %", *_trend(battery))
            for battery in review.batteries
        ]
        table(("BATTERY", "NOW", "A WEEK", "LOW ON"), lines, "", ("NOW", "A WEEK"))


def _kind(kind: ReviewedKind) -> None:
    places = [at for entity in kind.entities for at in entity.day]
    bounds = (min(at.median for at in places), max(at.median for at in places))
    # All lines of a kind have one scale, so that rooms can be compared.
    rows = [
        (
            entity.place + (", outside" if entity.outside else ""),
            *(_shown(number, kind) for number in (entity.low, entity.mean, entity.high)),
            blocks(
                [at.hour for at in entity.day],
                [at.median for at in entity.day],
                (0, HOURS),
                HOURS,
                bounds,
            ),
            "; ".join(f"{b.hours:.0f} h {b.limit}" for b in entity.beyond),
        )
        for entity in kind.entities
    ]
    name = kind.title.upper() + (f", {kind.unit}" if kind.unit else "")
    heads = (name, "LOWEST", "MEAN", "HIGHEST", "USUAL DAY, 0 TO 24 H", "BEYOND LIMITS")
    table(heads, rows, "", heads[1:4])


def _shown(number: float, kind: ReviewedKind) -> str:
    return f"{number:.{kind.decimals}f}"


def _silence(silence: NodeSilence) -> tuple[str, str]:
    if silence.start is None or silence.end is None:
        return "none", ""
    minutes = (silence.end - silence.start) // 60_000
    long = f"{minutes // 60} h {minutes % 60} min" if minutes >= 60 else f"{minutes} min"
    return long, clock(silence.start, "%d %b %H:%M")


def _trend(trend: BatteryTrend) -> tuple[str, str]:
    week = f"{trend.a_day * 7:+.1f} %"
    return week, clock(trend.low_at, "%d %b %Y") if trend.low_at else ""
