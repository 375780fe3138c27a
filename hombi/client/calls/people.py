"""Who belongs to the house, and what they may."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.client.calls.base import Call, path
from hombi.wire.people import (
    Invitation,
    JoinRequest,
    OpenInvitation,
    OwnPassword,
    PasswordRequest,
    Person,
    PlaceRequest,
    RecoveryCodes,
    SecondBegun,
    SecondCode,
    SignedIn,
)


def list_() -> Call[list[Person]]:
    """Everybody who can sign in."""
    return Call("GET", "/api/people", list[Person])


def invite(
    role: str, *, rooms: Sequence[str] = (), dashboard: str = "", switches: bool = True
) -> Call[Invitation]:
    """An invitation as `owner`, `adult`, `guest` (with rooms) or `wall` (with a
    dashboard)."""
    body = PlaceRequest(
        role=role,  # type: ignore[arg-type]
        rooms=list(rooms),
        dashboard=dashboard,
        switches=switches,
    )
    return Call("POST", "/api/invitations", Invitation, body=body)


def invitations() -> Call[list[OpenInvitation]]:
    """The invitations and links for a new password that nobody has used yet."""
    return Call("GET", "/api/invitations", list[OpenInvitation])


def revoke(number: int) -> Call[None]:
    """Make an invitation, or a link for a new password, void."""
    return Call("DELETE", path("invitations", str(number)), None)


def change(
    person: str,
    role: str,
    *,
    rooms: Sequence[str] = (),
    dashboard: str = "",
    switches: bool = True,
) -> Call[Person]:
    """Change a person's role."""
    body = PlaceRequest(
        role=role,  # type: ignore[arg-type]
        rooms=list(rooms),
        dashboard=dashboard,
        switches=switches,
    )
    return Call("PUT", path("people", person), Person, body=body)


def remove(person: str) -> Call[None]:
    """Take somebody out of the household."""
    return Call("DELETE", path("people", person), None)


def reset(person: str) -> Call[Invitation]:
    """A code with which somebody sets a new password."""
    return Call("POST", path("people", person, "reset"), Invitation)


def join(code: str, username: str = "", password: str = "") -> Call[SignedIn]:
    """Join with an invitation's code, or set a new password with one."""
    body = JoinRequest(code=code, username=username, password=password)
    return Call("POST", "/api/join", SignedIn, body=body)


def password(old: str, new: str) -> Call[None]:
    """Another password for oneself."""
    body = PasswordRequest(old=old, new=new)
    return Call("PUT", "/api/session/password", None, body=body)


def begin_second(password: str) -> Call[SecondBegun]:
    """A secret for an app that makes the codes of a second factor."""
    body = OwnPassword(password=password)
    return Call("POST", "/api/session/second", SecondBegun, body=body)


def confirm_second(code: str) -> Call[RecoveryCodes]:
    """Sign in with a code too from now on; the recovery codes, told this once."""
    body = SecondCode(code=code)
    return Call("PUT", "/api/session/second", RecoveryCodes, body=body)


def remove_second(password: str) -> Call[None]:
    """Sign in with the password alone again."""
    body = OwnPassword(password=password)
    return Call("POST", "/api/session/second/remove", None, body=body)
