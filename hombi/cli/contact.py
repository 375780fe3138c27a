"""`hombi contact`: how people are reached. `hombi notices`: what they were told."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from hombi.cli.drawing import HouseTime, as_json, bold, clock, out, said, table
from hombi.cli.noun import noun
from hombi.cli.run import Json, hub
from hombi.cli.texts import read_text

Number = Annotated[
    int, typer.Argument(help="The contact's number, as `hombi contact list` shows it.")
]

app = noun("How people are reached: phones, mail, posts, loudspeakers.")


class Sort(StrEnum):
    """What can be added here; phones add themselves."""

    MAIL = "mail"
    POST = "post"
    LOUDSPEAKER = "loudspeaker"


@app.command("list")
def list_(json: Json = False) -> None:
    """List the contacts over which people are reached."""
    with hub() as h:
        HouseTime.of(h)
        contacts = h.contacts.list()
    if json:
        as_json(contact.as_dict() for contact in contacts)
        return
    rows = [
        (
            str(contact.id), contact.contact, contact.sort, contact.name, contact.address,
            clock(contact.added_at, "%d %b %H:%M"),
        )
        for contact in contacts
    ]  # fmt: skip
    table(
        ("CONTACT", "CALLED", "BY", "NAME", "ADDRESS", "SINCE"),
        rows,
        "Nobody can be reached yet. Phones add themselves in the console, on the page Notices; "
        "`hombi contact add mail ADDRESS` adds a mail address.",
    )


@app.command()
def add(
    sort: Annotated[Sort, typer.Argument(help="mail, post or loudspeaker.")],
    address: Annotated[
        str,
        typer.Argument(
            help="A mail address; an address to post to (https://…); or for a loudspeaker "
            "node/action/input."
        ),
    ],
    name: Annotated[str, typer.Option(help="What to call it; its sort unless given.")] = "",
    person: Annotated[str | None, typer.Option(help="Whose it is; yours unless given.")] = None,
    form: Annotated[
        Path | None,
        typer.Option(
            exists=True,
            dir_okay=False,
            help="For a post: a file with its JSON, {title}, {text} and the like in it.",
        ),
    ] = None,
    json: Json = False,
) -> None:
    """Add a contact of somebody."""
    text = read_text(form) if form is not None else ""
    with hub() as h:
        made = h.contacts.add(sort.value, address, name or sort.value, person=person, form=text)
    said(json, [made], f"{made.person} is reached by {made.contact}. "
        f"`hombi contact test {made.id}` "
                       "tries it.")  # fmt: skip
    if made.secret and not json:
        out.print("What is posted is signed with this secret. It is shown this once:")
        out.print(bold(made.secret))


@app.command("test")
def send_test(contact: Number, json: Json = False) -> None:
    """Send a notice over a contact, to try it."""
    with hub() as h:
        h.contacts.test(contact)
    said(json, [], "A notice is on its way. `hombi notices` shows what became of it.")


@app.command()
def remove(
    contact: Number,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
    json: Json = False,
) -> None:
    """Remove a contact; nobody is told anything over it any more."""
    with hub() as h:
        was = next((one for one in h.contacts.list() if one.id == contact), None)
        if was is not None and not yes:
            question = f"{was.person} is told nothing by {was.name} then. Remove it?"
            typer.confirm(question, abort=True)
        h.contacts.remove(contact)
    said(json, [was] if was else [], f"{was.name if was else contact} is removed.")


def notices(json: Json = False) -> None:
    """The notices that were sent, newest first, and what became of each."""
    with hub() as h:
        HouseTime.of(h)
        result = h.contacts.notices()
    if json:
        as_json(notice.as_dict() for notice in result)
        return
    rows = [
        (
            clock(notice.at),
            f"{notice.person}: {notice.phone}" if notice.person else notice.phone,
            notice.title,
            notice.text,
            notice.state
            + (f": {notice.problem}" if notice.problem and notice.state != "delivered" else ""),
        )
        for notice in result
    ]
    table(("WHEN", "TO", "TITLE", "TEXT", "STATE"), rows, "Nobody was told anything yet.")
