"""`hombi derive`: values that are computed from others."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli import complete
from hombi.cli.drawing import as_json, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, entity_called, hub

app = noun("Values that are computed from others: dew point, mean, difference …")
METHODS = (
    "dew-point", "absolute-humidity", "vapour-deficit", "humidex", "surface-humidity", "mean",
    "median", "lowest", "highest", "sum", "spread", "difference",
)  # fmt: skip


@app.command()
def methods(json: Json = False) -> None:
    """List the methods: what each takes, and what it gives."""
    with hub() as h:
        found = h.derived.methods()
    if json:
        as_json(one.as_dict() for one in found)
        return
    rows = [
        (
            one.method,
            ", ".join(one.sources) or "two or more of one kind",
            one.kind or "the same kind",
            ", ".join(f"{n}={'' if v is None else v:g}" for n, v in one.parameters.items()),
            one.about,
        )
        for one in found
    ]
    table(("METHOD", "TAKES", "GIVES", "PARAMETERS", "WHAT IT IS"), rows, "")


@app.command()
def add(
    method: Annotated[
        str,
        typer.Argument(
            help="`hombi derive methods` lists them.", autocompletion=complete.one_of(*METHODS)
        ),
    ],
    sources: Annotated[
        list[str],
        typer.Argument(
            metavar="SOURCE…",
            help="Entities in the order that the method takes them.",
            autocompletion=complete.entities,
        ),
    ],
    title: Annotated[
        str, typer.Option("--name", help="What to call it; the method unless given.")
    ] = "",
    room: Annotated[
        str,
        typer.Option(
            help="Where it stands; the first source's room unless given.",
            autocompletion=complete.rooms,
        ),
    ] = "",
    frsi: Annotated[
        float | None, typer.Option(help="Of a surface humidity: the temperature factor, 0 to 1.")
    ] = None,
    json: Json = False,
) -> None:
    """Compute a value from others, from now on and for the past."""
    with hub() as h:
        named = [entity_called(h, one) for one in sources]
        parameters = {} if frsi is None else {"frsi": frsi}
        made = h.derived.make(method, named, title=title, room=room, parameters=parameters)
    said(json, [made], f"{made.entity} is the {method} of {', '.join(named)}.")
