"""Phones, and their notices."""

from __future__ import annotations

from hombi import wire
from hombi.client.calls.base import Call, path, unless_none


def list_() -> Call[list[wire.Phone]]:
    """The phones that take notifications."""
    return Call("GET", "/api/phones", list[wire.Phone])


def add(
    name: str, endpoint: str, keys: dict[str, str], person: str | None = None
) -> Call[wire.Phone]:
    """Add a phone by its push subscription."""
    body = wire.PhoneRequest(
        name=name,
        endpoint=endpoint,
        person=unless_none(person),
        keys=wire.PushKeys(**keys),
    )
    return Call("POST", "/api/phones", wire.Phone, body=body)


def remove(phone: int) -> Call[None]:
    """Remove a phone."""
    return Call("DELETE", path("phones", str(phone)), None)


def test(phone: int) -> Call[None]:
    """Send a phone a notice."""
    return Call("POST", path("phones", str(phone), "test"), None)


def notices() -> Call[list[wire.Notice]]:
    """The latest notices, newest first."""
    return Call("GET", "/api/notices", list[wire.Notice])
