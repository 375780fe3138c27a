"""The contacts over which people are reached, and their notices."""

from __future__ import annotations

from collections.abc import Mapping

from hombi.client.calls.base import Call, path, unless_none
from hombi.wire.people import (
    Contact,
    ContactRequest,
    Loudspeaker,
    NewContact,
    Notice,
    PhoneRequest,
    PushKeys,
)


def list_() -> Call[list[Contact]]:
    """All of them: phones, mail addresses, addresses to post to, loudspeakers."""
    return Call("GET", "/api/contacts", list[Contact])


def add(
    sort: str, address: str, name: str, *, person: str | None = None, form: str = ""
) -> Call[NewContact]:
    """Add a contact of the sort `mail`, `post` or `loudspeaker`. `form` is the JSON of
    a post, with `{title}` and the like in it."""
    body = ContactRequest(
        sort=sort,  # type: ignore[arg-type]
        name=name,
        person=unless_none(person),
        address=address,
        form=form,
    )
    return Call("POST", "/api/contacts", NewContact, body=body)


def add_phone(
    name: str, endpoint: str, keys: Mapping[str, str], person: str | None = None
) -> Call[Contact]:
    """Add a phone by its push subscription."""
    body = PhoneRequest(
        name=name,
        person=unless_none(person),
        endpoint=endpoint,
        keys=PushKeys(p256dh=keys["p256dh"], auth=keys["auth"]),
    )
    return Call("POST", "/api/phones", Contact, body=body)


def remove(contact: int) -> Call[None]:
    """Remove a contact."""
    return Call("DELETE", path("contacts", str(contact)), None)


def test(contact: int) -> Call[None]:
    """Send a notice over a contact."""
    return Call("POST", path("contacts", str(contact), "test"), None)


def loudspeakers() -> Call[list[Loudspeaker]]:
    """What of the house's nodes can say a text."""
    return Call("GET", "/api/loudspeakers", list[Loudspeaker])


def notices() -> Call[list[Notice]]:
    """The latest notices, newest first."""
    return Call("GET", "/api/notices", list[Notice])
