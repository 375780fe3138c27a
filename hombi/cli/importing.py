"""`hombi import`: a sensor's past from a table."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, as_json, clock, counted, err, out, table
from hombi.cli.readings import Entity
from hombi.cli.run import Json, entity_called, hub
from hombi.wire.importing import ImportPlan

WRONG = 2


def import_(
    entity: Entity,
    file: Annotated[
        Path | None, typer.Argument(help="A CSV; the imports are listed unless given.")
    ] = None,
    apply: Annotated[
        bool, typer.Option("--apply", help="Store it; only say what would be done unless given.")
    ] = False,
    time: Annotated[str, typer.Option(help='The column of the time, or two: "date+time".')] = "",
    value: Annotated[str, typer.Option(help="The column of the value.")] = "",
    unit: Annotated[str, typer.Option(help="The unit of the values; the kind's own.")] = "",
    zone: Annotated[str, typer.Option(help="The zone of times without one; the house's.")] = "",
    order: Annotated[
        str,
        typer.Option(
            help="Of days like 3/4/2026: dmy or mdy.", autocompletion=complete.one_of("dmy", "mdy")
        ),
    ] = "",
    take_back: Annotated[
        int | None, typer.Option(help="Delete what this import brought, by its number.")
    ] = None,
    json: Json = False,
) -> None:
    """Import a sensor's past from a CSV: first see what would be stored."""
    with hub() as h:
        HouseTime.of(h)
        address = entity_called(h, entity)
        if take_back is not None:
            h.entities.take_back_import(address, take_back)
            out.print(f"Import {take_back} of {address} is taken back.")
            return
        if file is None:
            imports = h.entities.imports(address)
            rows = [(str(o.number), o.file, o.unit, clock(o.made_at)) for o in imports]
            if json:
                as_json(one.as_dict() for one in imports)
            else:
                table(("IMPORT", "FILE", "UNIT", "MADE"), rows, "Nothing was imported.")
            return
        try:
            data = file.read_bytes()
        except OSError as error:
            err.print(f"{file} cannot be read: {error.strerror}", style="red")
            raise typer.Exit(WRONG) from error
        plan = h.entities.import_csv(
            address, data, apply=apply, time=time, value=value, unit=unit, zone=zone, order=order,
            file=file.name,
        )  # fmt: skip
    if json:
        as_json([plan.as_dict()])
        return
    _draw(plan)


def _draw(plan: ImportPlan) -> None:
    for line in plan.layout:
        out.print(f"{line.capitalize() if line.islower() else line[0].upper() + line[1:]}.")
    did = "are stored" if plan.applied else "would be stored"
    out.print(f"{counted(plan.taken, 'reading')} {did}.", style="bold")
    if plan.start is not None and plan.end is not None:
        span = f"from {clock(plan.start, '%d %b %Y %H:%M')} to {clock(plan.end, '%d %b %Y %H:%M')}"
        low, high = plan.low, plan.high
        between = "" if low is None else f", between {low:.6g} and {high:.6g} {plan.unit}".rstrip()
        out.print(f"{span[0].upper()}{span[1:]}{between}.")
    for count, why in (
        (plan.there, "have a reading of the same time already"),
        (plan.old, "are older than single readings are kept"),
        (plan.ahead, "lie in the future"),
        (plan.wrong, "cannot be read"),
    ):
        if count:
            out.print(Text(f"! {count} {why}, and are left out.", style="yellow"))
    for mistake in plan.mistakes:
        out.print(f"  line {mistake.line}: {mistake.what}")
    if plan.number is not None:
        out.print(f"`hombi import {plan.entity} --take-back {plan.number}` takes it back.")
    elif not plan.applied and plan.taken:
        out.print("Nothing is stored yet; --apply does it.")
