"""The contacts over which people are reached, and their notices."""

from __future__ import annotations

from collections.abc import Mapping

from hombi import wire
from hombi.client.calls.base import Call, path, unless_none


def list_() -> Call[list[wire.Contact]]:
    """All of them: phones, mail addresses, addresses to post to, loudspeakers."""
    return Call("GET", "/api/contacts", list[wire.Contact])


def add(
    sort: str, address: str, name: str, *, person: str | None = None, form: str = ""
) -> Call[wire.NewContact]:
    """Add a contact of the sort `mail`, `post` or `loudspeaker`. `form` is the JSON of
    a post, with `{title}` and the like in it."""
    body = wire.ContactRequest(
        sort=sort,  # type: ignore[arg-type]
        name=name,
        person=unless_none(person),
        address=address,
        form=form,
    )
    return Call("POST", "/api/contacts", wire.NewContact, body=body)


def add_phone(
    name: str, endpoint: str, keys: Mapping[str, str], person: str | None = None
) -> Call[wire.Contact]:
    """Add a phone by its push subscription."""
    body = wire.PhoneRequest(
        name=name,
        person=unless_none(person),
        endpoint=endpoint,
        keys=wire.PushKeys(p256dh=keys["p256dh"], auth=keys["auth"]),
    )
    return Call("POST", "/api/phones", wire.Contact, body=body)


def remove(contact: int) -> Call[None]:
    """Remove a contact."""
    return Call("DELETE", path("contacts", str(contact)), None)


def test(contact: int) -> Call[None]:
    """Send a notice over a contact."""
    return Call("POST", path("contacts", str(contact), "test"), None)


def loudspeakers() -> Call[list[wire.Loudspeaker]]:
    """What of the house's nodes can say a text."""
    return Call("GET", "/api/loudspeakers", list[wire.Loudspeaker])


def notices() -> Call[list[wire.Notice]]:
    """The latest notices, newest first."""
    return Call("GET", "/api/notices", list[wire.Notice])
