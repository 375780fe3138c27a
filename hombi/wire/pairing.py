"""The pairing window, the arrivals, and readings that nodes post."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from hombi.wire.base import UNSET, Ask, MaybeName, Meta, Ms, Shape, UnsetType


class Window(Shape, frozen=True, kw_only=True):
    """The pairing window; `left_ms` is 0 when it is closed."""

    open: bool
    until: Ms | None
    left_ms: int
    listening: Annotated[dict[str, str], Meta(description="where each link listens")]


class Promised(Shape, frozen=True, kw_only=True):
    """An entity that an arrival says it has; `hidden` unless a person wants to see
    it."""

    name: str
    title: str
    kind: str
    unit: str
    writable: bool
    hidden: bool


class Arrival(Shape, frozen=True, kw_only=True):
    """A node that asks to join."""

    id: str
    title: str
    about: str
    link: str
    progress: Annotated[str, Meta(description="while it is asking: how far the interview is")]
    state: Literal["asking", "waiting", "locked", "admitted", "admitting", "turned-away"]
    asked_at: Ms
    heard_at: Ms
    known_as: Annotated[str | None, Meta(description="the node it already is, when it joins again")]
    wrong_codes: int
    entities: list[Promised]
    left_out: Annotated[list[str], Meta(description="what it has that the hub does not use")]
    unit_notes: Annotated[
        list[str], Meta(description="its values in units that the hub does not know")
    ]
    settings: Annotated[list[str], Meta(description="settings of its own")]
    actions: Annotated[list[str], Meta(description="what it can be asked to do")]
    thing: Annotated[str, Meta(description="the id in its description")]
    url: Annotated[str, Meta(description="where it was found; empty if it asked by itself")]
    sender: Annotated[str, Meta(description="the address that it spoke from")]
    elsewhere: Annotated[
        list[str], Meta(description="origins beside its own that it sends the hub to")
    ]
    rivals: Annotated[list[str], Meta(description="arrivals that claim to be the same node")]
    needs_code: Annotated[bool, Meta(description="whether its setup code lets it in")]
    asks: Annotated[
        str, Meta(description='what it wants to hear before it answers: "user and password"')
    ]


class Asked(Shape, frozen=True, kw_only=True):
    """Where the node asks what became of it, with `Authorization: Bearer <ticket>`."""

    id: str
    ticket: str
    outcome: str


class Door(Shape, frozen=True, kw_only=True):
    """The hub's MQTT listener, for one node. It signs in with its address and its key,
    also for HTTP (Basic)."""

    port: int
    readings: Annotated[str, Meta(description="the topic it publishes SenML to, QoS 1")]
    wanted: Annotated[str, Meta(description="the topic on which it hears values it is to take")]
    actions: Annotated[str, Meta(description="the topic on which it hears actions it is to do")]
    presence: Annotated[
        str, Meta(description='the topic for "here" (retained), and "gone" as its last will')
    ]


class Outcome(Shape, frozen=True, kw_only=True, omit_defaults=True):
    """What became of an arrival; once it is admitted, with its key."""

    state: Literal["waiting", "locked", "admitted", "admitting", "turned-away"]
    node: str | UnsetType = UNSET
    key: str | UnsetType = UNSET
    mqtt: Door | UnsetType = UNSET
    intake: str | UnsetType = UNSET


class Taken(Shape, frozen=True, kw_only=True):
    """What became of a pack: how many readings are safe on disk, and what was
    refused."""

    stored: int
    refused: list[str]


class WindowRequest(Ask, frozen=True, kw_only=True):
    """How long to open it, like "2 min"; 15 min at most."""

    length: Annotated[str, Meta(min_length=1, max_length=40)] = "2 min"


class AskRequest(Ask, frozen=True, kw_only=True):
    """What a node that wants to join sends: its Thing Description (W3C WoT TD 1.1), and
    the proof of its setup code: HMAC-SHA-256 of the description's id, keyed with the
    code, as hex digits."""

    description: dict[str, Any]
    proof: str


class EntityChoice(Ask, frozen=True, kw_only=True):
    """What an entity is to be called, whether it is hidden, and what it is taken for:
    the kind and the unit that its node speaks, where it is not what the node says."""

    name: str
    title: MaybeName = ""
    hidden: bool = False
    kind: MaybeName = ""
    unit: MaybeName = ""


class LookRequest(Ask, frozen=True, kw_only=True):
    """Where to look for a node: its address, or that of its description."""

    address: Annotated[str, Meta(min_length=1, max_length=300)]


class AdmitRequest(Ask, frozen=True, kw_only=True):
    """The setup code (or the secret of a node that was found), what the node is to be
    called and where it is; a room that does not exist is made.

    Entities that are not named keep the names that the node gives them. `origins` are
    those of the arrival's `elsewhere` that it may use.
    """

    setup_code: Annotated[str, Meta(max_length=100)] = ""
    secret: Annotated[str, Meta(max_length=300)] = ""
    entities: list[EntityChoice] = []
    origins: list[Annotated[str, Meta(max_length=300)]] = []
    name: MaybeName = ""
    room: MaybeName = ""
