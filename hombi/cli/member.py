"""`hombi member`: who belongs to the house, and what they may."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import segno
import typer

from hombi.cli import complete
from hombi.cli.drawing import HouseTime, ago, as_json, out, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub
from hombi.client import Member, OpenInvitation

Who = Annotated[str, typer.Argument(help="Their name.")]
Rooms = Annotated[
    list[str] | None,
    typer.Option("--room", help="A room that a guest sees; again for more.",
                 autocompletion=complete.rooms),
]  # fmt: skip
Dashboard = Annotated[str, typer.Option(help="The page of tiles that a wall shows.")]
Switches = Annotated[
    bool, typer.Option("--switches/--no-switches", help="Whether a wall may switch.")
]

app = noun("Who belongs to the house, and what they may.")


class Role(StrEnum):
    """What somebody is in the house."""

    OWNER = "owner"
    ADULT = "adult"
    GUEST = "guest"
    WALL = "wall"


@app.command("list")
def list_(json: Json = False) -> None:
    """Everybody who can sign in."""
    with hub() as h:
        HouseTime.of(h)
        members = h.members.list()
    if json:
        as_json(member.as_dict() for member in members)
        return
    rows = [
        (member.username, member.role, _sees(member), ago(member.last) if member.last else "never")
        for member in members
    ]
    table(("NAME", "IS", "SEES", "SIGNED IN"), rows, "Nobody owns this hub yet.")


def _sees(member: Member) -> str:
    if member.role == "guest":
        return ", ".join(member.rooms)
    if member.role == "wall":
        return member.dashboard + ("" if member.switches else ", switches nothing")
    return "the house"


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
        made = h.members.invite(
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
        result = h.members.invitations()
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
    number: Annotated[int, typer.Argument(help="As `hombi member invitations` lists it.")],
    json: Json = False,
) -> None:
    """Make an invitation, or a link for a new password, void."""
    with hub() as h:
        h.members.revoke(number)
    said(json, [], f"Invitation {number} is void.")


@app.command()
def change(
    person: Who,
    role: Annotated[Role, typer.Argument(help="owner, adult, guest or wall.")],
    rooms: Rooms = None,
    dashboard: Dashboard = "",
    switches: Switches = True,
    json: Json = False,
) -> None:
    """Change a person's role."""
    with hub() as h:
        made = h.members.change(
            person, role.value, rooms=rooms or (), dashboard=dashboard, switches=switches
        )
    said(json, [made], f"{made.username} is {made.role} from now on and sees {_sees(made)}.")


@app.command()
def remove(
    person: Who,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    json: Json = False,
) -> None:
    """Take somebody out of the household, with their sign-ins and programs."""
    if not yes:
        typer.confirm(f"{person} cannot sign in any more then. Remove them?", abort=True)
    with hub() as h:
        h.members.remove(person)
    said(json, [], f"{person} is removed.")


@app.command()
def reset(person: Who, json: Json = False) -> None:
    """Make a link with which somebody sets a new password."""
    with hub() as h:
        made = h.members.reset(person)
    said(json, [made], f"{person} sets a new password here, within three days:\n{made.address}")
