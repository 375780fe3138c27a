"""People and their things: accounts and tokens, phones and notices, tools, the
journal."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from hombi.wire.base import UNSET, Ask, Meta, Ms, Shape, UnsetType

UserName = Annotated[str, Meta(min_length=1, max_length=150)]
PassWord = Annotated[str, Meta(min_length=1, max_length=200)]
Filters = list[Annotated[str, Meta(max_length=300)]]


class Claimed(Shape, frozen=True, kw_only=True):
    """Whether the hub has an owner."""

    claimed: bool


class ClaimCode(Shape, frozen=True, kw_only=True):
    """The code with which a person makes the hub theirs."""

    code: str


class Person(Shape, frozen=True, kw_only=True):
    """Who is signed in."""

    username: str


class Token(Shape, frozen=True, kw_only=True):
    """A token, shown this once."""

    token: str
    username: str


class KnownToken(Shape, frozen=True, kw_only=True):
    """A token that was given to a program; the token itself is not kept. `this_one`:
    this request came with it."""

    id: int
    name: str
    username: str
    made_at: Ms
    this_one: bool


class Phone(Shape, frozen=True, kw_only=True):
    """A phone that takes notifications; `service` is the host of its push service."""

    id: int
    name: str
    person: str
    added_at: Ms
    service: str


class PushKey(Shape, frozen=True, kw_only=True):
    """The hub's application server key (RFC 8292), base64url."""

    key: str


class Notice(Shape, frozen=True, kw_only=True):
    """A notice on its way to a phone, or there."""

    id: int
    phone: str
    title: str
    text: str
    state: Literal["waiting", "delivered", "failed"]
    attempts: int
    problem: str
    at: Ms


class Tool(Shape, frozen=True, kw_only=True):
    """A tool: it signs in to the MQTT door with its name and its key."""

    tool: str
    publish: list[str]
    subscribe: list[str]
    added_at: Ms


class NewTool(Tool, frozen=True, kw_only=True):
    """A tool with its key, shown this once."""

    key: str


class JournalEntry(Shape, frozen=True, kw_only=True):
    """Something that happened; `by` is who was behind it, `text` says it in words."""

    id: int
    at: Ms
    event: str
    text: str
    by: str
    node: str
    entity: str
    automation: str
    data: dict[str, Any]


class JournalEvents(Shape, frozen=True, kw_only=True):
    """The names of all events that the journal tells of."""

    events: list[str]


class JournalPage(Shape, frozen=True, kw_only=True):
    """A page of the journal, newest first; `next` is the `before` of the next page,
    null on the last one."""

    entries: list[JournalEntry]
    next: int | None


class ClaimRequest(Ask, frozen=True, kw_only=True):
    """The code that the hub printed, and the account to make."""

    verbatim = frozenset({"password"})
    code: Annotated[str, Meta(min_length=1, max_length=100)]
    username: UserName
    password: PassWord


class SignInRequest(Ask, frozen=True, kw_only=True):
    """A name and a password."""

    verbatim = frozenset({"password"})
    username: UserName
    password: PassWord


class TokenRequest(SignInRequest, frozen=True, kw_only=True):
    """And a name for the program that the token is for."""

    verbatim = frozenset({"password"})
    name: Annotated[str, Meta(min_length=1, max_length=80)] = "command line"


class PushKeys(Ask, frozen=True, kw_only=True):
    """The keys of a push subscription (RFC 8291), base64url."""

    p256dh: Annotated[str, Meta(min_length=1, max_length=120)]
    auth: Annotated[str, Meta(min_length=1, max_length=40)]


class PhoneRequest(Ask, frozen=True, kw_only=True):
    """A browser's push subscription, and what the device is called. `person` is whoever
    is signed in unless given."""

    name: Annotated[str, Meta(min_length=1, max_length=80)]
    person: UserName | UnsetType = UNSET
    endpoint: Annotated[str, Meta(min_length=1, max_length=2000)]
    keys: PushKeys


class ToolRequest(Ask, frozen=True, kw_only=True):
    """A name, and the topic filters it may publish under and subscribe to."""

    name: Annotated[str, Meta(min_length=1, max_length=60)]
    publish: Filters = []
    subscribe: Filters = []


class ToolChange(Ask, frozen=True, kw_only=True):
    """Other topic filters."""

    publish: Filters | UnsetType = UNSET
    subscribe: Filters | UnsetType = UNSET
