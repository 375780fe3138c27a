"""`hombi person`: the people of the household: who is home, and who may what."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import segno
import typer

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, ago, as_json, clock, out, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, entity_called, hub
from hombi.client import Hub, NotAllowed
from hombi.wire.people import OpenInvitation, Person

Rooms = Annotated[
    list[str] | None,
    typer.Option("--room", help="A room that a guest sees; again for more.",
                 autocompletion=complete.rooms),
]  # fmt: skip
Dashboard = Annotated[str, typer.Option(help="The page of tiles that a wall shows.")]
Switches = Annotated[
    bool, typer.Option("--switches/--no-switches", help="Whether a wall may switch.")
]

Who = Annotated[
    str, typer.Argument(help="The person; may be left out where there is one.", show_default=False)
]


app = noun("The people of the household: who is home, who may what, invitations.")
Name = Annotated[str, typer.Argument(help="Their name.")]


class Role(StrEnum):
    """What somebody is in the house."""

    OWNER = "owner"
    ADULT = "adult"
    GUEST = "guest"
    WALL = "wall"


@app.command("list")
def list_(json: Json = False) -> None:
    """Everybody: who is home; and for the owner, what each may."""
    with hub() as h:
        HouseTime.of(h)
        presences, people = h.presence.list(), _people(h)
    if json:
        known = {presence.person: presence.as_dict() for presence in presences}
        for name, person in people.items():
            known[name] = known.get(name, {"person": name}) | person.as_dict()
        as_json(known.values())
        return
    rows = [
        (
            presence.person,
            "not said yet" if presence.home is None else "home" if presence.home else "away",
            clock(presence.since, "%d %b %H:%M") if presence.since else "",
            ", ".join(presence.follows) or "their word",
            *_role(people.pop(presence.person, None)),
        )
        for presence in presences
    ]
    # Nobody asks whether a guest or a wall is home.
    rows += [(person.username, "", "", "", *_role(person)) for person in people.values()]
    table(
        ("PERSON", "IS", "SINCE", "TOLD BY", "ROLE", "SEES", "SIGNED IN"),
        rows,
        "There is nobody yet.",
    )


def _people(h: Hub) -> dict[str, Person]:
    """Everybody by name, for who may know what they may; nobody for others."""
    try:
        return {person.username: person for person in h.people.list()}
    except NotAllowed:
        return {}


def _role(person: Person | None) -> tuple[str, str, str]:
    if person is None:
        return "", "", ""
    return person.role, _sees(person), ago(person.last) if person.last else "never"


def _sees(person: Person) -> str:
    if person.role == "guest":
        return ", ".join(person.rooms)
    if person.role == "wall":
        return person.dashboard + ("" if person.switches else ", switches nothing")
    return "the house"


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
        made = h.presence.follow(
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
        made = h.presence.quiet(person, "" if hours == "never" else hours)
    sentence = (
        f"is told only what is urgent at {made.quiet}" if made.quiet else "has no quiet hours"
    )
    said(json, [made], f"{made.person} {sentence}.")


def _say(person: str, json: bool, *, is_home: bool) -> None:
    with hub() as h:
        made = h.presence.say(person or _only_one(h), home=is_home)
    said(json, [made], f"{made.person} is {'home' if made.home else 'away'}.")


def _only_one(h: Hub) -> str:
    people = [presence.person for presence in h.presence.list()]
    if len(people) != 1:
        which = f"say who: {', '.join(people)}" if people else "there is nobody yet"
        raise typer.BadParameter(which)
    return people[0]


@app.command()
def invite(
    role: Annotated[Role, typer.Argument(help="owner, adult, guest or wall.")],
    rooms: Rooms = None,
    dashboard: Dashboard = "",
    switches: Switches = True,
    json: Json = False,
) -> None:
    """Make an invitation: a QR code and a link, good for three days and used once."""
    with hub() as h:
        made = h.people.invite(
            role.value, rooms=rooms or (), dashboard=dashboard, switches=switches
        )
    if json:
        as_json([made.as_dict()])
        return
    segno.make(made.address, error="m").terminal(compact=True, border=2)
    out.print("Whoever opens this joins; it is good for three days, once:")
    out.print(made.address, soft_wrap=True)


@app.command()
def invitations(json: Json = False) -> None:
    """Invitations and links for a new password that nobody has used yet."""
    with hub() as h:
        HouseTime.of(h)
        result = h.people.invitations()
    if json:
        as_json(invitation.as_dict() for invitation in result)
        return
    rows = [
        (
            str(invitation.number),
            f"new password for {invitation.person}"
            if invitation.person
            else _invited_as(invitation),
            invitation.by or "the command line",
            ago(invitation.made_at),
        )
        for invitation in result
    ]
    table(("NUMBER", "FOR", "MADE BY", "MADE"), rows, "No invitation is open.")


def _invited_as(invitation: OpenInvitation) -> str:
    if invitation.role == "guest":
        return f"guest: {', '.join(invitation.rooms)}"
    return f"wall: {invitation.dashboard}" if invitation.role == "wall" else invitation.role


@app.command()
def revoke(
    number: Annotated[int, typer.Argument(help="As `hombi person invitations` lists it.")],
    json: Json = False,
) -> None:
    """Make an invitation, or a link for a new password, void."""
    with hub() as h:
        h.people.revoke(number)
    said(json, [], f"Invitation {number} is void.")


@app.command()
def change(
    person: Name,
    role: Annotated[Role, typer.Argument(help="owner, adult, guest or wall.")],
    rooms: Rooms = None,
    dashboard: Dashboard = "",
    switches: Switches = True,
    json: Json = False,
) -> None:
    """Change a person's role."""
    with hub() as h:
        made = h.people.change(
            person, role.value, rooms=rooms or (), dashboard=dashboard, switches=switches
        )
    said(json, [made], f"{made.username} is {made.role} from now on and sees {_sees(made)}.")


@app.command()
def remove(
    person: Name,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    json: Json = False,
) -> None:
    """Take somebody out of the household, with their sign-ins and programs."""
    if not yes:
        typer.confirm(f"{person} cannot sign in any more then. Remove them?", abort=True)
    with hub() as h:
        h.people.remove(person)
    said(json, [], f"{person} is removed.")


@app.command()
def reset(person: Name, json: Json = False) -> None:
    """Make a link with which somebody sets a new password."""
    with hub() as h:
        made = h.people.reset(person)
    said(json, [made], f"{person} sets a new password here, within three days:\n{made.address}")
