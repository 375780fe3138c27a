"""`hombi automation replay`, `hombi why`: what automations would have done, and why one
did or did not."""

from __future__ import annotations

import re
import time
from datetime import datetime, timedelta, tzinfo
from pathlib import Path
from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, as_json, bold, clock, counted, err, out
from hombi.cli.readings import Begin, End, length, moments
from hombi.cli.run import Json, hub, words
from hombi.cli.steps import SPAN_MS
from hombi.cli.texts import moment_of, read_text
from hombi.client import Hub
from hombi.wire.automations import PretendValue, Replay

WRONG, MOST_SHOWN = 2, 12
MINUTE_MS = 60_000
SHOWN = "%d %b %H:%M"
_CLOCK = re.compile(r"(?:(today|yesterday)\s+)?(\d{1,2}:\d{2}(?::\d{2})?)")
_PRETENDED = re.compile(r"(?P<after>\d[\w. ]*?)?\s*(?P<entity>[\w-]+/[\w-]+)?\s*=\s*(?P<value>.+)")
_EDGES = {"start": "started", "end": "ended", "lost": "lost"}


What = Annotated[
    str,
    typer.Argument(
        metavar="NAME",
        help="An automation, or the file of a text that is not kept yet.",
        autocompletion=complete.automations,
    ),
]


def _text_of(h: Hub, what: str) -> tuple[str, str]:
    """The text in a file, or that of an automation with its address."""
    file = Path(what)
    if file.is_file():
        return read_text(file), ""
    kept = h.automations.get(what)
    return kept.text, kept.automation


def replay(
    what: What,
    span: Annotated[
        str,
        typer.Option(
            help="The last hour, day, week or month.", autocompletion=complete.one_of(*SPAN_MS)
        ),
    ] = "month",
    begin: Begin = None,
    end: End = None,
    limit: Annotated[
        str, typer.Option(help='Try another limit, like "80 %". The text stays as it is.')
    ] = "",
    json: Json = False,
) -> None:
    """Run an automation over the past: when it would have started. Nothing is done."""
    if span not in SPAN_MS:
        err.print(f"{span} is not known; use {', '.join(SPAN_MS)}", style="red")
        raise typer.Exit(WRONG)
    with hub() as h, words(what):
        since, until = moments(begin, end, HouseTime.of(h))
        until = until or round(time.time() * 1000)
        since = since if since is not None else until - SPAN_MS[span]
        text, name = _text_of(h, what)
        result = h.automations.replay(text, start=since, end=until, limit=limit, automation=name)
    if json:
        as_json([result.as_dict()])
    else:
        _told(result)


def _told(replay: Replay) -> None:
    out.print(replay.sentence)
    if replay.known_from is None:
        out.print(f"{replay.entity} has no readings in this span.")
        return
    out.print(f"From {clock(replay.known_from, SHOWN)} to {clock(replay.end, SHOWN)} it")
    on = f", and been on for {length(replay.on_ms)}" if replay.on_ms else ""
    longest = f" (the longest {length(replay.longest_ms)})" if replay.on_ms else ""
    times = counted(replay.starts, "time")
    out.print(bold(f"would have started {times}"), f"({replay.a_week:g} a week){on}{longest}.")
    if replay.short:
        out.print(f"{counted(replay.short, 'time')} it did not hold long enough.")
    if replay.lived is not None:
        out.print(f"The one on duty started {counted(len(replay.lived), 'time')} in this span.")
    for effect in replay.effects:
        out.print(f"  {effect.text}: {counted(effect.times, 'time')}")
    for line in replay.advice:
        out.print(Text(f"! {line}", style="yellow"))
    if replay.limits:
        near = ", ".join(f"{limit.limit} about {limit.a_week:g}" for limit in replay.limits)
        out.print(f"Starts a week with other limits: {near}.")
    for edge in replay.edges[-MOST_SHOWN:]:
        out.print(f"{clock(edge.at, SHOWN)}  {_EDGES[edge.edge]}: {edge.text}")


def why(
    automation: Annotated[
        str, typer.Argument(help="The automation.", autocompletion=complete.automations)
    ],
    at: Annotated[
        str,
        typer.Option(help='A moment, like "02:10", "yesterday 02:10" or "2026-11-26 02:10".'),
    ] = "",
    json: Json = False,
) -> None:
    """Why an automation is on or not, now or at a moment in the past: what each part of
    it said."""
    with hub() as h:
        zone = HouseTime.of(h)
        account = h.automations.why(automation, moment_in(at, zone) if at else None)
    if json:
        as_json([account.as_dict()])
        return
    out.print(bold(account.sentence))
    for line in account.lines:
        sign, style = {True: ("yes", "green"), False: ("no", "red"), None: ("", "dim")}[line.holds]
        out.print(Text(f"{sign:>4}  ", style=style) + Text(line.text))
    if account.edge:
        out.print()
        out.print(Text(f"{account.edge}{':' if account.done else '; nothing was done.'}"))
    for done in account.done:
        sign, style = {True: ("done", "green"), False: ("no", "red"), None: ("", "dim")}[done.done]
        after = f"{done.took_ms / 1000:.1f} s" if done.took_ms < MINUTE_MS else length(done.took_ms)
        out.print(Text(f"{sign:>4}  ", style=style) + Text(f"{done.text} (after {after})"))


def rehearse(
    what: What,
    values: Annotated[
        list[str],
        typer.Argument(
            metavar="VALUE…",
            help='Pretend values: "81 %" at once, "5 min=84 %" later, or of another entity '
            '"5 min loft-beam/temperature=19 °C".',
        ),
    ],
    lasts: Annotated[
        str, typer.Option("--for", help="How long it goes on after the last of them.")
    ] = "1 h",
    at: Annotated[
        str, typer.Option(help='The moment at which it begins, like "22:00"; now unless given.')
    ] = "",
    json: Json = False,
) -> None:
    """Pretend values, and see what an automation would do. The house is not touched."""
    with hub() as h, words(what):
        zone = HouseTime.of(h)
        text, _ = _text_of(h, what)
        begin = moment_in(at, zone) if at else 0
        pretended = [_pretended(value) for value in values]
        rehearsal = h.automations.rehearse(text, pretended, lasts=lasts, at=begin)
    if json:
        as_json([rehearsal.as_dict()])
        return
    out.print(rehearsal.sentence)
    for step in rehearsal.steps:
        word = _EDGES.get(step.edge, "then")
        when = "at once" if step.after_ms < 1000 else f"after {length(step.after_ms)}"
        out.print(bold(f"{when} ({clock(step.at, '%H:%M')})"), f"{word}: {step.text}".rstrip(": "))
        for effect in step.effects:
            out.print(f"  {effect}")
    if not rehearsal.steps:
        out.print("Nothing happens.")


def _pretended(text: str) -> PretendValue:
    match = _PRETENDED.fullmatch(text.strip())
    if match is None:
        return PretendValue(value=text)
    return PretendValue(
        value=match["value"], after=(match["after"] or "").strip(), entity=match["entity"] or ""
    )


def moment_in(text: str, zone: tzinfo) -> int:
    """A moment as people say it, in ms since 1970. Raises typer.BadParameter."""
    match = _CLOCK.fullmatch(text.strip().lower())
    if match is None:
        return moment_of(text, zone, "--at")
    day = datetime.now(zone).date() - timedelta(days=match[1] == "yesterday")
    hour, rest = match[2].split(":", 1)
    return moment_of(f"{day.isoformat()} {int(hour):02d}:{rest}", zone, "--at")
