"""The ways in which people are reached, and their notices."""

from __future__ import annotations

from collections.abc import Mapping

from hombi import wire
from hombi.client.calls.base import Call, path, unless_none


def list_() -> Call[list[wire.Way]]:
    """All of them: phones, mail addresses, addresses to post to, loudspeakers."""
    return Call("GET", "/api/ways", list[wire.Way])


def add(
    sort: str, address: str, name: str, *, person: str | None = None, form: str = ""
) -> Call[wire.NewWay]:
    """Add a way of the sort `mail`, `post` or `loudspeaker`. `form` is the JSON of a
    post, with `{title}` and the like in it."""
    body = wire.WayRequest(
        sort=sort,  # type: ignore[arg-type]
        name=name,
        person=unless_none(person),
        address=address,
        form=form,
    )
    return Call("POST", "/api/ways", wire.NewWay, body=body)


def add_phone(
    name: str, endpoint: str, keys: Mapping[str, str], person: str | None = None
) -> Call[wire.Way]:
    """Add a phone by its push subscription."""
    body = wire.PhoneRequest(
        name=name,
        person=unless_none(person),
        endpoint=endpoint,
        keys=wire.PushKeys(p256dh=keys["p256dh"], auth=keys["auth"]),
    )
    return Call("POST", "/api/phones", wire.Way, body=body)


def remove(way: int) -> Call[None]:
    """Remove a way."""
    return Call("DELETE", path("ways", str(way)), None)


def test(way: int) -> Call[None]:
    """Send a notice that way."""
    return Call("POST", path("ways", str(way), "test"), None)


def loudspeakers() -> Call[list[wire.Loudspeaker]]:
    """What of the house's nodes can say a text."""
    return Call("GET", "/api/loudspeakers", list[wire.Loudspeaker])


def notices() -> Call[list[wire.Notice]]:
    """The latest notices, newest first."""
    return Call("GET", "/api/notices", list[wire.Notice])
