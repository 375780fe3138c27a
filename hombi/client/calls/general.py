"""The house as a whole, and the hub itself."""

from __future__ import annotations

from hombi import wire
from hombi.client.calls.base import Call, Pages, given


def house() -> Call[wire.House]:
    """The house at a glance."""
    return Call("GET", "/api/house", wire.House)


def doctor() -> Call[list[wire.Check]]:
    """How every part of the hub is, and what to do."""
    return Call("GET", "/api/doctor", list[wire.Check])


def review(span: str = "month", *, on: str = "") -> Call[wire.Review]:
    """The rooms of a month or a week side by side; `on` is a day in it, today unless
    given."""
    return Call("GET", "/api/review", wire.Review, params=given(span=span, on=on))


def kinds() -> Call[list[wire.KindOfEntity]]:
    """The kinds of entities there are."""
    return Call("GET", "/api/kinds", list[wire.KindOfEntity])


def journal(
    *,
    event: str = "",
    node: str = "",
    automation: str = "",
    since: int | None = None,
    page_size: int = 100,
) -> Pages[wire.JournalPage, wire.JournalEntry]:
    """What happened, newest first, fetched page by page."""

    def page(before: int | None) -> Call[wire.JournalPage]:
        params = given(
            before=before,
            event=event,
            node=node,
            automation=automation,
            since=since,
            limit=page_size,
        )
        return Call("GET", "/api/journal", wire.JournalPage, params=params)

    return Pages(page, lambda p: p.entries, lambda p: p.next)


def journal_events() -> Call[wire.JournalEvents]:
    """The names of all events that the journal tells of."""
    return Call("GET", "/api/journal/events", wire.JournalEvents)


def claimed() -> Call[wire.Claimed]:
    """Whether the hub has an owner."""
    return Call("GET", "/api/claim", wire.Claimed)


def claim_code() -> Call[wire.ClaimCode]:
    """A new code for claiming the hub; only with the token of the hub's own machine."""
    return Call("POST", "/api/claim/code", wire.ClaimCode)


def claim(code: str, username: str, password: str) -> Call[wire.Person]:
    """Make the owner's account with the code that the hub printed."""
    body = wire.ClaimRequest(code=code, username=username, password=password)
    return Call("POST", "/api/claim", wire.Person, body=body)


def sign_in(username: str, password: str, name: str = "client") -> Call[wire.Token]:
    """A token for a person; this client uses it from now on."""
    body = wire.TokenRequest(username=username, password=password, name=name)
    return Call("POST", "/api/tokens", wire.Token, body=body)


def sign_out() -> Call[None]:
    """Make this client's token void."""
    return Call("DELETE", "/api/tokens", None)
