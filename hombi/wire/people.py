"""People and their things: accounts and tokens, phones and notices, MQTT accounts, the
journal."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from hombi.wire.base import UNSET, Ask, Meta, Ms, Shape, UnsetType

UserName = Annotated[str, Meta(min_length=1, max_length=150)]
PassWord = Annotated[str, Meta(min_length=1, max_length=200)]
Filters = list[Annotated[str, Meta(max_length=300)]]


class Owned(Shape, frozen=True, kw_only=True):
    """Whether the hub has an owner."""

    owned: bool


class FirstCode(Shape, frozen=True, kw_only=True):
    """The code with which a person makes the hub theirs."""

    code: str


Role = Literal["owner", "adult", "guest", "wall"]


class SignedIn(Shape, frozen=True, kw_only=True):
    """Who is signed in, and what they are in the house. A guest sees `rooms`, a wall a
    `dashboard`."""

    username: str
    role: Role = "owner"
    rooms: list[str] = []
    dashboard: str = ""
    second: bool = False


class Person(Shape, frozen=True, kw_only=True):
    """Somebody of the house, or a wall. `last` is when they signed in last."""

    username: str
    role: Role
    rooms: list[str]
    dashboard: str
    switches: bool
    last: Ms | None


class Invitation(Shape, frozen=True, kw_only=True):
    """An invitation, told this once: its address opens the page on which somebody
    joins; `svg` is the address as a QR code."""

    code: str
    address: str
    svg: str
    ends_at: Ms


class OpenInvitation(Shape, frozen=True, kw_only=True):
    """An invitation that nobody has used yet; its code is not told again. `person` sets
    a new password with it; "" joins as `role`. `by` made it, "" for the command line on
    the hub's machine."""

    number: int
    role: Role
    rooms: list[str]
    dashboard: str
    person: str
    by: str
    made_at: Ms
    ends_at: Ms


class SecondBegun(Shape, frozen=True, kw_only=True):
    """A second factor's secret for an app, and its address as a QR code (SVG)."""

    secret: str
    svg: str


class RecoveryCodes(Shape, frozen=True, kw_only=True):
    """Codes for the day when the app is lost, each good once; told this once."""

    codes: list[str]


class Invited(Shape, frozen=True, kw_only=True):
    """What an invitation is for. `person` sets a new password with it; "" joins."""

    house: str
    role: Role
    person: str


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
    limit: Literal["read", "switch", "change"]
    ends_at: Ms | None
    this_one: bool


class KnownBrowser(Shape, frozen=True, kw_only=True):
    """A browser that is signed in, since when (null where that was not kept).
    `this_one`: it sent this request."""

    id: str
    name: str
    username: str
    since: Ms | None
    this_one: bool


class Contact(Shape, frozen=True, kw_only=True):
    """A contact of a person. `contact` is how a text names it; `address` is the mail
    address, the host that is posted to, what a loudspeaker does, or a phone's push
    service."""

    id: int
    contact: str
    sort: Literal["phone", "mail", "post", "loudspeaker"]
    name: str
    person: str
    address: str
    added_at: Ms


class NewContact(Contact, frozen=True, kw_only=True):
    """A contact that was added. `secret` signs what is posted there, told this once; ""
    for the others."""

    secret: str


class Loudspeaker(Shape, frozen=True, kw_only=True):
    """Something of a node that can say a text; `address` names it for a contact."""

    address: str
    title: str


class PushKey(Shape, frozen=True, kw_only=True):
    """The hub's application server key (RFC 8292), base64url."""

    key: str


class Notice(Shape, frozen=True, kw_only=True):
    """A notice on its way to a person over one contact, or there. `phone` is what that
    contact is called, `subject` what it is about. `settled_at` is when it was
    delivered, or given up."""

    id: int
    phone: str
    person: str
    title: str
    text: str
    path: str
    subject: str
    urgent: bool
    quiet: bool
    state: Literal["waiting", "delivered", "failed", "too late", "replaced", "told together"]
    attempts: int
    problem: str
    at: Ms
    settled_at: Ms | None
    picture: Annotated[str, Meta(description="the path of its picture, if one is kept")]


class Pressed(Shape, frozen=True, kw_only=True):
    """What a button of a notice did."""

    done: str


class MqttAccount(Shape, frozen=True, kw_only=True):
    """An account: it signs in to the MQTT listener with its name and its key."""

    account: str
    publish: list[str]
    subscribe: list[str]
    added_at: Ms


class NewMqttAccount(MqttAccount, frozen=True, kw_only=True):
    """An MQTT account with its key, shown this once."""

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


class FirstSignInRequest(Ask, frozen=True, kw_only=True):
    """The code that the hub printed, and the account to make."""

    verbatim = frozenset({"password"})
    code: Annotated[str, Meta(min_length=1, max_length=100)]
    username: UserName
    password: PassWord


class SignInRequest(Ask, frozen=True, kw_only=True):
    """A name and a password, and the code of a second factor where there is one."""

    verbatim = frozenset({"password"})
    username: UserName
    password: PassWord
    code: Annotated[str, Meta(max_length=20)] = ""


class TokenRequest(SignInRequest, frozen=True, kw_only=True):
    """And a name for the program that the token is for."""

    verbatim = frozenset({"password"})
    name: Annotated[str, Meta(min_length=1, max_length=80)] = "command line"
    limit: Annotated[
        Literal["read", "switch", "change"], Meta(description="what it may do at most")
    ] = "change"
    days: Annotated[int, Meta(ge=0, le=3650, description="void after so many; 0: never")] = 0


class PlaceRequest(Ask, frozen=True, kw_only=True):
    """What somebody is to be in the house: a guest sees and switches what is in their
    rooms, a wall shows a dashboard, and switches what is on it unless told
    otherwise."""

    role: Role
    rooms: Annotated[list[Annotated[str, Meta(max_length=80)]], Meta(max_length=100)] = []
    dashboard: Annotated[str, Meta(max_length=80)] = ""
    switches: bool = True


class JoinRequest(Ask, frozen=True, kw_only=True):
    """An invitation's code, and the account to make with it. A wall has no password;
    who sets a new password gives no name."""

    verbatim = frozenset({"password"})
    code: Annotated[str, Meta(min_length=1, max_length=100)]
    username: Annotated[str, Meta(max_length=150)] = ""
    password: Annotated[str, Meta(max_length=200)] = ""


class PasswordRequest(Ask, frozen=True, kw_only=True):
    """The old password, and a new one."""

    verbatim = frozenset({"old", "new"})
    old: PassWord
    new: PassWord


class OwnPassword(Ask, frozen=True, kw_only=True):
    """One's own password, to be sure."""

    verbatim = frozenset({"password"})
    password: PassWord


class SecondCode(Ask, frozen=True, kw_only=True):
    """A code that the app shows now."""

    code: Annotated[str, Meta(min_length=6, max_length=20)]


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


class ContactRequest(Ask, frozen=True, kw_only=True):
    """A mail address, an address to post to, or something of a node that takes a text.
    `person` is whoever is signed in unless given. `form` is the JSON of a post, with
    `{title}` and the like in it; "" for the usual one."""

    sort: Literal["mail", "post", "loudspeaker"]
    name: Annotated[str, Meta(min_length=1, max_length=80)]
    person: UserName | UnsetType = UNSET
    address: Annotated[str, Meta(min_length=1, max_length=1000)]
    form: Annotated[str, Meta(max_length=4000)] = ""


class PressRequest(Ask, frozen=True, kw_only=True):
    """The right that came with a button."""

    right: Annotated[str, Meta(min_length=1, max_length=120)]


class MqttAccountRequest(Ask, frozen=True, kw_only=True):
    """A name, and the topic filters it may publish under and subscribe to."""

    name: Annotated[str, Meta(min_length=1, max_length=60)]
    publish: Filters = []
    subscribe: Filters = []


class MqttAccountChange(Ask, frozen=True, kw_only=True):
    """Other topic filters."""

    publish: Filters | UnsetType = UNSET
    subscribe: Filters | UnsetType = UNSET
