"""`hombi person`: the people of the household, and who is home."""

from __future__ import annotations

from typing import Annotated

import typer

from hombi.cli import complete
from hombi.cli.drawing import as_json, clock, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, entity_called, hub
from hombi.client import Hub

app = noun("The people of the household, and who is home.")
Who = Annotated[
    str, typer.Argument(help="The person; may be left out where there is one.", show_default=False)
]


@app.command("list")
def list_(json: Json = False) -> None:
    """Everybody, and who is home."""
    with hub() as h:
        presences = h.people.list()
    if json:
        as_json(presence.as_dict() for presence in presences)
        return
    rows = [
        (
            presence.person,
            "not said yet" if presence.home is None else "home" if presence.home else "away",
            clock(presence.since, "%d %b %H:%M") if presence.since else "",
            ", ".join(presence.follows) or "their word",
        )
        for presence in presences
    ]
    table(("PERSON", "IS", "SINCE", "TOLD BY"), rows, "There is nobody yet.")


@app.command()
def home(person: Who = "", json: Json = False) -> None:
    """Say that somebody is home."""
    _say(person, json, is_home=True)


@app.command()
def away(person: Who = "", json: Json = False) -> None:
    """Say that somebody is away."""
    _say(person, json, is_home=False)


@app.command()
def follow(
    person: Annotated[str, typer.Argument(help="The person.")],
    entities: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[ENTITY]…",
            help="Values that are on, or heard, while they are here; none: their own word alone.",
            autocompletion=complete.entities,
        ),
    ] = None,
    linger: Annotated[
        str, typer.Option(help="Home for so long after the last sign, like “10 min”.")
    ] = "",
    json: Json = False,
) -> None:
    """Name the values that tell whether somebody is home."""
    with hub() as h:
        made = h.people.follow(
            person, [entity_called(h, entity) for entity in entities or []], linger
        )
    sentence = ", ".join(made.follows) or "their own word alone"
    said(json, [made], f"Whether {made.person} is home is told by {sentence}.")


@app.command()
def quiet(
    person: Annotated[str, typer.Argument(help="The person.")],
    hours: Annotated[str, typer.Argument(help="Like “22:00-06:30”; “never” for no quiet hours.")],
    json: Json = False,
) -> None:
    """Say when somebody is told only what is urgent."""
    with hub() as h:
        made = h.people.quiet(person, "" if hours == "never" else hours)
    sentence = (
        f"is told only what is urgent at {made.quiet}" if made.quiet else "has no quiet hours"
    )
    said(json, [made], f"{made.person} {sentence}.")


def _say(person: str, json: bool, *, is_home: bool) -> None:
    with hub() as h:
        made = h.people.say(person or _only_one(h), home=is_home)
    said(json, [made], f"{made.person} is {'home' if made.home else 'away'}.")


def _only_one(h: Hub) -> str:
    people = [presence.person for presence in h.people.list()]
    if len(people) != 1:
        which = f"say who: {', '.join(people)}" if people else "there is nobody yet"
        raise typer.BadParameter(which)
    return people[0]
