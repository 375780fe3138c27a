"""`hombi tally`: how often, how long or how much, by the calendar."""

from __future__ import annotations

import typer
from rich.text import Text

from hombi.cli.drawing import HouseTime, as_json, clock, err, out, table
from hombi.cli.exits import SAID_NO
from hombi.cli.readings import Entity, length
from hombi.cli.run import Json, entity_called, hub
from hombi.wire.entities import EntityDetail, Row

TALLIES = ("starts", "time-on", "amount")
HOUR_MS = 3_600_000
# For each span: how many are shown, how many hours one has at most, what the present
# one and the one before are called, with which it is compared, how one is written.
SPANS = {
    "hour": (25, 1, "this hour", "the hour before", 24, "the same hour yesterday", "%a %H:%M"),
    "day": (15, 24, "today", "yesterday", 7, "the same day last week", "%a %d %b"),
    "week": (13, 7 * 24, "this week", "last week", 4, "four weeks ago", "from %d %b"),
    "month": (13, 31 * 24, "this month", "last month", 12, "the same month last year", "%b %Y"),
    "year": (5, 366 * 24, "this year", "last year", 0, "", "%Y"),
}
WIDTH = 40


def tally(entity: Entity, json: Json = False) -> None:
    """A tally as bars: this day and those before, or hours, weeks, months, years."""
    with hub() as h:
        HouseTime.of(h)
        detail = h.entities.get(entity_called(h, entity))
        if detail.computed is None or detail.computed.method not in TALLIES:
            err.print(
                f"{detail.entity} is not a tally. `hombi compute methods` lists what makes one of "
                f"it: starts, time-on, amount.",
                style="red",
            )
            raise typer.Exit(SAID_NO)
        per = detail.computed.parameters["per"]
        count, hours, *_ = SPANS[per]
        end = (detail.at or 0) + 1
        start = max(0, end - (count - 1) * hours * HOUR_MS)
        rows = h.entities.rows(detail.entity, start=start, end=end, rows=f"{per}s")[-count:]
    if json:
        as_json(
            {"entity": detail.entity, "start": r.start, "end": r.end, "value": r.high} for r in rows
        )
        return
    _draw(detail, per, rows)


def _draw(detail: EntityDetail, per: str, rows: list[Row]) -> None:
    _, _, now, before, back, same, pattern = SPANS[per]

    def shown(row: Row) -> str:
        if row.high is None:
            return "–"
        if detail.unit == "s":
            return length(round(row.high * 1000))
        return f"{row.high:.{detail.decimals}f} {detail.unit}".strip()

    out.print(Text(detail.spoken, style="bold"))
    sentences = [f"{now} {shown(rows[-1])}"]
    if len(rows) > 1:
        sentences.append(f"{before} {shown(rows[-2])}")
    if back and len(rows) > back:
        sentences.append(f"{same} {shown(rows[-1 - back])}")
    out.print(" · ".join(sentences))
    most = max((row.high or 0.0 for row in rows), default=0.0) or 1.0
    bars = [
        (clock(row.start, pattern), shown(row), "█" * round(WIDTH * (row.high or 0.0) / most))
        for row in rows
    ]
    table(("", "VALUE", ""), bars, "", ("VALUE",))
