"""The house as a whole, and the hub itself."""

from __future__ import annotations

from hombi.client.calls.base import MAKING_S, Call, Pages, given
from hombi.wire.backup import BackupRequest
from hombi.wire.entities import KindOfEntity
from hombi.wire.house import Check, House, Release
from hombi.wire.people import (
    FirstCode,
    FirstSignInRequest,
    JournalEntry,
    JournalEvents,
    JournalPage,
    Owned,
    SignedIn,
    Token,
    TokenRequest,
)
from hombi.wire.review import Review
from hombi.wire.trust import Trust


def house() -> Call[House]:
    """The house at a glance."""
    return Call("GET", "/api/house", House)


def trust() -> Call[Trust]:
    """What a device needs to trust this house; also before anybody has signed in."""
    return Call("GET", "/api/trust", Trust)


def backup(passphrase: str = "") -> Call[bytes]:
    """A backup of the whole house, sealed if a passphrase is given."""
    body = BackupRequest(passphrase=passphrase)
    return Call("POST", "/api/backup", bytes, body=body, quiet_s=MAKING_S)


def doctor() -> Call[list[Check]]:
    """How every part of the hub is, and what to do."""
    return Call("GET", "/api/doctor", list[Check])


def review(span: str = "month", *, on: str = "") -> Call[Review]:
    """The rooms of a month or a week side by side; `on` is a day in it, today unless
    given."""
    return Call("GET", "/api/review", Review, params=given(span=span, on=on))


def kinds() -> Call[list[KindOfEntity]]:
    """The kinds of entities there are."""
    return Call("GET", "/api/kinds", list[KindOfEntity])


def journal(
    *,
    event: str = "",
    node: str = "",
    automation: str = "",
    since: int | None = None,
    page_size: int = 100,
) -> Pages[JournalPage, JournalEntry]:
    """What happened, newest first, fetched page by page."""

    def page(before: int | None) -> Call[JournalPage]:
        params = given(
            before=before,
            event=event,
            node=node,
            automation=automation,
            since=since,
            limit=page_size,
        )
        return Call("GET", "/api/journal", JournalPage, params=params)

    return Pages(page, lambda p: p.entries, lambda p: p.next)


def journal_events() -> Call[JournalEvents]:
    """The names of all events that the journal tells of."""
    return Call("GET", "/api/journal/events", JournalEvents)


def owned() -> Call[Owned]:
    """Whether the hub has an owner."""
    return Call("GET", "/api/first-sign-in", Owned)


def first_code() -> Call[FirstCode]:
    """A new code for the first sign-in; only with the token of the hub's own
    machine."""
    return Call("POST", "/api/first-sign-in/code", FirstCode)


def sign_in_first(code: str, username: str, password: str) -> Call[SignedIn]:
    """Make the owner's account with the code that the hub printed."""
    body = FirstSignInRequest(code=code, username=username, password=password)
    return Call("POST", "/api/first-sign-in", SignedIn, body=body)


def releases() -> Call[list[Release]]:
    """The releases, newest first, with what is new in each."""
    return Call("GET", "/api/releases", list[Release])


def sign_in(
    username: str,
    password: str,
    name: str = "client",
    limit: str = "change",
    days: int = 0,
    code: str = "",
) -> Call[Token]:
    """A token for a person; this client uses it from now on. `limit` is what it may
    do at most (`read`, `switch`, `change`); it is void after so many `days`, never
    for 0."""
    body = TokenRequest(
        username=username,
        password=password,
        name=name,
        limit=limit,  # type: ignore[arg-type]
        days=days,
        code=code,
    )
    return Call("POST", "/api/tokens", Token, body=body)


def sign_out() -> Call[None]:
    """Make this client's token void."""
    return Call("DELETE", "/api/tokens", None)
