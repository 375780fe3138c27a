"""`hombi steps`: the steps that an entity's values go through."""

from __future__ import annotations

import shlex
import time
from collections.abc import Iterable, Sequence
from itertools import pairwise
from typing import Annotated

import typer
from rich.text import Text

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, as_json, blocks, clock, err, out, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, entity_called, hub
from hombi.client import Hub
from hombi.wire.conditioning import Conditioning

app = noun("The steps that an entity's values go through.")
Entity = Annotated[
    str,
    typer.Argument(help="Its address, node/entity, or its name.", autocompletion=complete.entities),
]
Steps = Annotated[
    list[str] | None,
    typer.Argument(metavar="STEP…", help="Each like 'linear offset=-0.7'; in their order."),
]
Step = dict[str, float | str]
SPAN_MS = {"hour": 3_600_000, "day": 86_400_000, "week": 604_800_000, "month": 2_592_000_000}
WRONG, LOOK_S = 2, 0.3


@app.command()
def show(entity: Entity, json: Json = False) -> None:
    """Show the steps of an entity, the plans before, and what would be a beginning."""
    with hub() as h:
        HouseTime.of(h)
        conditioning = h.conditioning.show(entity_called(h, entity))
    if json:
        as_json([conditioning.as_dict()])
        return
    out.print(
        Text(conditioning.entity, style="bold"),
        f"in {conditioning.unit}" if conditioning.unit else "",
    )
    if conditioning.progress is not None:
        out.print(f"Its past is being made again: {conditioning.progress:.0%}.")
    for number, words in enumerate(conditioning.words, start=1):
        out.print(Text(f"  {number}. {words}"))
    if not conditioning.words:
        out.print("  No steps: each value is converted and checked, and kept as it is.")
    if conditioning.versions:
        rows = [
            (
                clock(version.made_at, "%d %b %Y %H:%M"),
                clock(version.since, "%d %b %Y %H:%M") if version.since else "the beginning",
                version.by,
                "; ".join(version.words) or "no steps",
            )
            for version in conditioning.versions
        ]
        table(("MADE", "HOLDS FROM", "BY", "STEPS"), rows, "")
    if not conditioning.words and conditioning.suggested:
        words = " ".join(f"'{_written(one)}'" for one in conditioning.suggested)
        out.print("A beginning, from how its values come and flicker:")
        out.print(Text(f"  hombi steps try {conditioning.entity} {words}"), soft_wrap=True)


@app.command(name="steps")
def steps_(json: Json = False) -> None:
    """List the sorts of steps, and their numbers."""
    with hub() as h:
        sorts = h.conditioning.steps()
    if json:
        as_json(sort.as_dict() for sort in sorts)
        return
    rows = [
        (
            sort.step if not place else "",
            f"{p.name}={'' if p.default is None else p.default}",
            p.about,
        )
        for sort in sorts
        for place, p in enumerate(sort.parameters)
    ]
    table(("STEP", "NUMBER", "WHAT IT IS"), rows, "")


@app.command(name="try")
def try_(
    entity: Entity,
    steps: Steps = None,
    span: Annotated[
        str,
        typer.Option(
            help="The last hour, day, week or month.", autocompletion=complete.one_of(*SPAN_MS)
        ),
    ] = "day",
    json: Json = False,
) -> None:
    """Draw what steps would make of the past; nothing is stored."""
    if span not in SPAN_MS:
        _refuse(f"{span} cannot be tried; use {', '.join(SPAN_MS)}")
    with hub() as h:
        wanted = _steps(steps)
        end = round(time.time() * 1000)
        conditioning = h.conditioning.try_(
            entity_called(h, entity), wanted, start=end - SPAN_MS[span], end=end
        )
    if json:
        as_json([conditioning.as_dict()])
        return
    if not conditioning.at:
        out.print(f"{conditioning.entity} has no readings in the last {span}.")
        return
    width = max(20, out.width - 4)
    known = [v for v in (*conditioning.plain, *conditioning.made) if v is not None]
    low, high = min(known, default=0.0), max(known, default=1.0)
    for name, values in (
        ("without the steps", conditioning.plain),
        ("with them", conditioning.made),
    ):
        out.print(Text(name, style="bold"))
        out.print(
            blocks(
                conditioning.at, values, (conditioning.start, conditioning.end), width, (low, high)
            )
        )
    out.print(f"between {low:.2f} and {high:.2f} {conditioning.unit}".rstrip())
    flicker = [_flicker(values) for values in (conditioning.plain, conditioning.made)]
    out.print(f"from one value to the next: {flicker[0]:.3f} without, {flicker[1]:.3f} with")
    if conditioning.spikes:
        out.print(f"{conditioning.spikes} of {len(conditioning.at)} values would be bad.")
    if conditioning.cut:
        out.print("The span has more readings than were tried; the first ones are drawn.")


@app.command(name="set")
def set_(
    entity: Entity,
    steps: Steps = None,
    past: Annotated[
        bool, typer.Option("--past", help="Over its whole past too, not only from now on.")
    ] = False,
    none: Annotated[bool, typer.Option("--none", help="No steps at all.")] = False,
    json: Json = False,
) -> None:
    """Condition an entity by these steps, from now on or over its past too."""
    if bool(steps) == none:
        _refuse("Name the steps, like 'linear offset=-0.7'; or none of them, with --none.")
    with hub() as h:
        conditioning = h.conditioning.set(entity_called(h, entity), _steps(steps), past=past)
        conditioning = waited(h, conditioning, quiet=json)
    told(conditioning, json=json, past=past)


@app.command()
def undo(entity: Entity, json: Json = False) -> None:
    """Take the latest plan back; the past becomes what it was before."""
    with hub() as h:
        conditioning = h.conditioning.undo(entity_called(h, entity))
        conditioning = waited(h, conditioning, quiet=json)
    told(conditioning, json=json, past=False)


def waited(h: Hub, conditioning: Conditioning, *, quiet: bool) -> Conditioning:
    """Wait until the past is made again."""
    with err.status("The past is made again …") as status:
        while conditioning.progress is not None:
            if not quiet:
                status.update(f"The past is made again: {conditioning.progress:.0%}")
            time.sleep(LOOK_S)
            conditioning = h.conditioning.show(conditioning.entity)
    return conditioning


def told(conditioning: Conditioning, *, json: bool, past: bool) -> None:
    """How an entity is conditioned now."""
    if json:
        as_json([conditioning.as_dict()])
        return
    words = "; ".join(conditioning.words) or "no steps"
    since = ", over its whole past" if past else ""
    out.print(f"{conditioning.entity} is conditioned{since}: {words}.")


def _steps(words: Sequence[str] | None) -> list[Step]:
    return [_step(word) for word in words or ()]


def _step(words: str) -> Step:
    """A step from how it is written: a name, then parameter=value."""
    try:
        name, *rest = shlex.split(words) or [""]
    except ValueError:
        _refuse(f"{words}: a quotation mark is not closed")
    result: Step = {"step": name}
    for part in rest:
        key, sign, value = part.partition("=")
        if not sign or not key:
            _refuse(f"{words}: write {part!r} as parameter=value, like 'linear offset=-0.7'")
        result[key] = value
    return result


def _written(step: Step) -> str:
    parts = [f'{key}="{v}"' if isinstance(v, str) else f"{key}={v:g}" for key, v in step.items()]
    return " ".join([str(step["step"]), *parts[1:]])


def _flicker(values: Iterable[float | None]) -> float:
    """The mean step from one value to the next."""
    known = [value for value in values if value is not None]
    steps = [abs(b - a) for a, b in pairwise(known)]
    return sum(steps) / len(steps) if steps else 0.0


def _refuse(why: str) -> None:
    err.print(why, style="red")
    raise typer.Exit(WRONG)
