"""`hombi calibrate`: a sensor beside a reference, and its correction."""

from __future__ import annotations

import time
from datetime import tzinfo
from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, as_json, blocks, err, out
from hombi.cli.readings import Begin, End, Entity, moments
from hombi.cli.run import Json, entity_called, hub
from hombi.cli.steps import SPAN_MS, told, waited
from hombi.cli.texts import moment_of
from hombi.wire.conditioning import Comparison, Fit, TypedValue

WRONG = 2
FITS = ("offset", "gain")


def calibrate(
    entity: Entity,
    reference: Annotated[
        str,
        typer.Argument(
            help="The entity to compare it with, of the same kind; or use --typed.",
            autocompletion=complete.entities,
        ),
    ] = "",
    typed: Annotated[
        list[str] | None,
        typer.Option(
            help='A value read off an instrument, with its time: "2026-11-27 10:00=21.4 °C". Once '
            "for each."
        ),
    ] = None,
    also: Annotated[
        list[str] | None,
        typer.Option(
            help="Another sensor beside the same reference. Once for each.",
            autocompletion=complete.entities,
        ),
    ] = None,
    span: Annotated[
        str,
        typer.Option(
            help="The last hour, day, week or month.", autocompletion=complete.one_of(*SPAN_MS)
        ),
    ] = "week",
    begin: Begin = None,
    end: End = None,
    apply: Annotated[
        str,
        typer.Option(
            help="Correct it: by the offset, or by gain and offset (gain).",
            autocompletion=complete.one_of(*FITS),
        ),
    ] = "",
    past: Annotated[
        bool, typer.Option("--past", help="Correct its whole past too, not only from now on.")
    ] = False,
    json: Json = False,
) -> None:
    """Compare a sensor with a reference beside it, and correct it."""
    if span not in SPAN_MS or (apply and apply not in FITS):
        wrong, right = (span, SPAN_MS) if span not in SPAN_MS else (apply, FITS)
        err.print(f"{wrong} is not known; use {', '.join(right)}", style="red")
        raise typer.Exit(WRONG)
    with hub() as h:
        since, until = moments(begin, end, HouseTime.of(h))
        until = until or round(time.time() * 1000)
        since = since if since is not None else until - SPAN_MS[span]
        sensors = [entity_called(h, one) for one in (entity, *(also or []))]
        beside = entity_called(h, reference) if reference else ""
        read_off = [_typed(one, HouseTime.of(h)) for one in typed or []]
        if not (beside or read_off):
            err.print("Name a reference, or give values with --typed.", style="red")
            raise typer.Exit(WRONG)
        if apply:
            for named in dict.fromkeys(sensors):
                made = h.conditioning.calibrate(
                    named, beside, start=since, end=until, gain=apply == "gain", past=past,
                    typed=read_off,
                )  # fmt: skip
                told(waited(h, made, quiet=json), json=json, past=past)
            return
        all_found = [
            h.conditioning.compare(named, beside, start=since, end=until, typed=read_off)
            for named in dict.fromkeys(sensors)
        ]
    if json:
        as_json([comparison.as_dict() for comparison in all_found])
        return
    for comparison in all_found:
        _shown(comparison, beside or "values read off an instrument", typed=bool(read_off))


def _shown(comparison: Comparison, beside: str, *, typed: bool) -> None:
    named = comparison.entity
    out.print(
        Text(named, style="bold"), "beside", Text(beside, style="bold"), f"in {comparison.unit}"
    )
    if comparison.at:
        width = max(20, out.width - 4)
        known = [*comparison.sensor, *comparison.beside]
        bounds = (min(known), max(known))
        for name, values in (
            ("the sensor", comparison.sensor),
            ("the reference", comparison.beside),
        ):
            out.print(name)
            out.print(
                blocks(comparison.at, values, (comparison.start, comparison.end), width, bounds)
            )
        what = "values" if typed else "hours in which both were heard"
        out.print(f"{len(comparison.at)} {what}")
    for name, fit in (("offset", comparison.offset), ("gain", comparison.both)):
        if fit is not None:
            out.print(f"{_in_words(fit, comparison.unit, gain=name == 'gain')}  (--apply {name})")
    for remark in comparison.remarks:
        out.print(Text(f"! {remark}", style="yellow"))


def _typed(text: str, zone: tzinfo) -> TypedValue:
    when, _, value = text.rpartition("=")
    if not when:
        err.print(f"--typed {text}: write it like '2026-11-27 10:00=21.4 °C'", style="red")
        raise typer.Exit(WRONG)
    return TypedValue(at=moment_of(when.strip(), zone, "--typed"), value=value.strip())


def _in_words(fit: Fit, unit: str, *, gain: bool) -> str:
    sentence = f"offset {fit.offset:+.3g} {unit} ({fit.low:+.3g} to {fit.high:+.3g})"
    if gain:
        sentence = f"gain {fit.gain:.4g} ({fit.gain_low:.4g} to {fit.gain_high:.4g}), {sentence}"
    return f"{sentence}, leaves {fit.residual:.2g} {unit}"
