"""`hombi compute`: values that are computed from others."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli import complete
from hombi.cli.drawing import as_json, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, entity_called, hub
from hombi.wire.conditioning import StepNumber

app = noun("Values that are computed from others: dew point, mean, difference …")
METHODS = (
    "dew-point", "absolute-humidity", "vapour-deficit", "humidex", "surface-humidity", "mean",
    "median", "lowest", "highest", "sum", "spread", "difference", "hysteresis", "starts",
    "time-on", "amount", "time-since", "change", "integral",
)  # fmt: skip


@app.command()
def methods(json: Json = False) -> None:
    """List the methods: what each takes, and what it gives."""
    with hub() as h:
        sorts = h.computed.methods()
    if json:
        as_json(sort.as_dict() for sort in sorts)
        return
    rows = [
        (
            sort.method,
            ", ".join(sort.sources) or "two or more of one kind",
            sort.kind or "the same kind",
            " ".join(f"{p.name}={_usual(p)}" for p in sort.parameters),
            sort.about,
        )
        for sort in sorts
    ]
    table(("METHOD", "TAKES", "GIVES", "PARAMETERS", "WHAT IT IS"), rows, "")


@app.command()
def add(
    method: Annotated[
        str,
        typer.Argument(
            help="`hombi compute methods` lists them.", autocompletion=complete.one_of(*METHODS)
        ),
    ],
    sources: Annotated[
        list[str],
        typer.Argument(
            metavar="SOURCE… [PARAMETER=VALUE…]",
            help="Entities in the order that the method takes them; then its parameters.",
            autocompletion=complete.entities,
        ),
    ],
    title: Annotated[
        str, typer.Option("--name", help="What to call it; the method unless given.")
    ] = "",
    room: Annotated[
        str,
        typer.Option(
            help="The room it stands in, if not on the node of its sources.",
            autocompletion=complete.rooms,
        ),
    ] = "",
    json: Json = False,
) -> None:
    """Compute a value from others, from now on and for the past."""
    with hub() as h:
        given = dict(source.split("=", 1) for source in sources if "=" in source)
        named = [entity_called(h, source) for source in sources if "=" not in source]
        parameters = {name: value.strip("\"'") for name, value in given.items()}
        made = h.computed.make(method, named, title=title, room=room, parameters=parameters)
    said(json, [made], f"{made.entity} is the {method} of {', '.join(named)}.")


@app.command()
def formula(
    text: Annotated[
        str, typer.Argument(help='Like "loft-beam/temperature - terrace-mast/temperature".')
    ],
    title: Annotated[str, typer.Option("--name", help="What to call it.")],
    kind: Annotated[
        str,
        typer.Option(
            help="What it gives, where its unit does not say so.", autocompletion=complete.kinds
        ),
    ] = "",
    room: Annotated[
        str,
        typer.Option(
            help="The room it stands in, if not on the node of its sources.",
            autocompletion=complete.rooms,
        ),
    ] = "",
    json: Json = False,
) -> None:
    """Compute a value by a formula of others; units must fit."""
    with hub() as h:
        parameters = {"text": text, "kind": kind}
        made = h.computed.make("formula", [], title=title, room=room, parameters=parameters)
    said(json, [made], f"{made.entity} is {text}, a {made.kind} in {made.unit or 'no unit'}.")


def _usual(parameter: StepNumber) -> str:
    usual = parameter.default
    shown = "" if usual is None else f"{usual:g}" if isinstance(usual, float) else usual
    return f'"{shown}"' if parameter.time else shown
