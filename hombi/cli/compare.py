"""`hombi compare`: several entities over one span, or one with itself before."""

from __future__ import annotations

from itertools import zip_longest
from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, as_json, clock, err, out, sparkline, table
from hombi.cli.readings import Begin, End, Span, moments, pattern, within
from hombi.cli.run import Json, entity_called, hub
from hombi.client import Hub
from hombi.wire.entities import Entity, Row

EARLIER = ("day", "week", "month", "year")
MOST, MOST_UNITS, WRONG = 8, 2, 2
# These come first where two rooms are compared.
FIRST = "temperature humidity co2 "


def compare(
    entities: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="ENTITY…", help="Addresses or names.", autocompletion=complete.entities
        ),
    ] = None,
    rooms: Annotated[
        list[str] | None,
        typer.Option(
            "--room",
            help="In place of entities: a room, and once more the room to compare it with.",
            autocompletion=complete.rooms,
        ),
    ] = None,
    span: Span = "day",
    begin: Begin = None,
    end: End = None,
    earlier: Annotated[
        str | None,
        typer.Option(
            help="Also what each was a day, week, month or year earlier.",
            autocompletion=complete.one_of(*EARLIER),
        ),
    ] = None,
    json: Json = False,
) -> None:
    """Compare entities over one span, or with what they were earlier."""
    with hub() as h:
        if rooms and (entities or len(rooms) != 2):
            _refuse("Name two rooms with --room, and no entities beside them.")
        entities = _of_both(h, *rooms) if rooms else entities or []
        if not (len(entities) > 1 or earlier):
            _refuse("Name two entities or more, or add --earlier day, week, month or year.")
        if len(entities) * (2 if earlier else 1) > MOST:
            _refuse(f"That makes more than {MOST} curves. Name fewer entities.")
        zone = HouseTime.of(h)
        named = [entity_called(h, entity) for entity in entities]
        since, until = moments(begin, end, zone)
        curve = max(20, out.width - 4)
        wanted = [(one, by) for by in (None, earlier) for one in named if by or by is None]
        wanted = list(dict.fromkeys(wanted))
        columns = [
            (
                _name(one, by),
                h.entities.numbers(one, span, start=since, end=until, earlier=by),
                h.entities.rows(one, span, start=since, end=until, earlier=by),
                h.entities.history(one, span, start=since, end=until, earlier=by, points=curve),
            )
            for one, by in wanted
        ]
    units = list(dict.fromkeys(numbers.unit for _, numbers, _, _ in columns))
    if len(units) > MOST_UNITS:
        _refuse(
            f"These have {len(units)} units ({', '.join(unit or 'none' for unit in units)}). "
            f"Compare entities of at most two."
        )
    if json:
        as_json(
            {"entity": numbers.entity, "earlier": by, **numbers.as_dict(),
             "rows": [row.as_dict() for row in rows]}
            for (_, by), (_, numbers, rows, _) in zip(wanted, columns, strict=True)
        )  # fmt: skip
        return
    out.print(Text(within(span, begin, end).capitalize(), style="dim"))
    for name, numbers, _, fine in columns:
        out.print(Text(name, style="bold"), f"in {numbers.unit}" if numbers.unit else "")
        out.print(sparkline(fine, curve) or "no readings")
    heads = ("LOWEST", "MEAN", "MEDIAN", "HIGHEST", "READINGS")
    table(
        ("", *heads),
        [
            (name, *(_shown(x) for x in (n.low, n.mean, n.median, n.high)), str(n.count))
            for name, n, _, _ in columns
        ],
        "",
        heads,
    )
    names = [name for name, *_ in columns]
    two = len(columns) == 2 and len(units) == 1
    heads = (*names, *(("DIFFERENCE",) if two else ()))
    table(
        ("FROM", *heads),
        [
            _row(found, two=two)
            for found in zip_longest(*(rows for _, _, rows, _ in columns))
            if any(row is not None and row.count for row in found)
        ],
        "",
        heads,
    )


def _of_both(h: Hub, one: str, other: str) -> list[str]:
    """What two rooms have both: one value of each kind and room, as far as two units
    reach."""
    first, second = (
        {e.kind: e for e in reversed(h.entities.list(room=room)) if _comparable(e)}
        for room in (one, other)
    )
    result, units = [], set[str]()
    for kind in sorted(first, key=lambda kind: (FIRST + kind).index(kind)):
        if kind in second and (first[kind].unit in units or len(units) < MOST_UNITS):
            units.add(first[kind].unit)
            result += [first[kind].entity, second[kind].entity]
    if not result:
        _refuse(f"{one} and {other} have no values of the same kind.")
    return result[:MOST]


def _comparable(entity: Entity) -> bool:
    return entity.words is None and not entity.hidden and entity.kind != "battery"


def _row(found: tuple[Row | None, ...], *, two: bool) -> tuple[str, ...]:
    first = next(row for row in found if row is not None)
    means = [None if row is None else row.mean for row in found]
    cells = [clock(first.start, pattern(first)), *(_shown(mean) for mean in means)]
    if two:
        a, b = means
        cells.append("–" if a is None or b is None else f"{a - b:+.1f}")
    return tuple(cells)


def _name(entity: str, by: str | None) -> str:
    return f"{entity}, a {by} earlier" if by else entity


def _shown(number: float | None) -> str:
    return "–" if number is None else f"{number:.1f}"


def _refuse(why: str) -> None:
    err.print(why, style="red")
    raise typer.Exit(WRONG)
