"""`hombi export`: an entity's single readings as a file."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, err
from hombi.cli.readings import Begin, End, Entity, Span, moments
from hombi.cli.run import entity_called, hub

FORMATS = ("csv", "senml")
WRONG = 2


def export(
    entity: Entity,
    span: Span = "day",
    begin: Begin = None,
    end: End = None,
    format: Annotated[
        str,
        typer.Option(
            help="csv, or senml (SenML JSON, RFC 8428).",
            autocompletion=complete.one_of(*FORMATS),
        ),
    ] = "csv",
    to: Annotated[
        Path | None, typer.Option("--file", help="Write it there; printed unless given.")
    ] = None,
) -> None:
    """Write an entity's single readings to a file, the bad ones too."""
    if format not in FORMATS:
        err.print(f"{format} is not a format; use {' or '.join(FORMATS)}", style="red")
        raise typer.Exit(WRONG)
    with hub() as h:
        since, until = moments(begin, end, HouseTime.of(h))
        address = entity_called(h, entity)
        pieces = h.entities.export(address, span, start=since, end=until, format=format)
        if to is None:
            for piece in pieces:
                sys.stdout.buffer.write(piece)
            sys.stdout.buffer.flush()
            return
        first = next(pieces, b"")  # a refusal leaves the file as it was
        try:
            with to.open("wb") as file:
                size = file.write(first)
                for piece in pieces:
                    size += file.write(piece)
        except OSError as error:
            err.print(f"{to} cannot be written: {error.strerror}", style="red")
            raise typer.Exit(1) from error
    err.print(f"{address} is in {to}, {size:,} bytes.")
