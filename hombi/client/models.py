"""What the hub tells, as immutable values. Times (`..._at`, `at`) are milliseconds
since 1970."""

from __future__ import annotations

from typing import Any

import msgspec


class Model(msgspec.Struct, frozen=True):
    """A value that came from the hub; fields that a newer hub adds are passed over."""

    def as_dict(self) -> dict[str, Any]:
        """As plain data, for JSON."""
        return dict(msgspec.to_builtins(self))


class Room(Model, frozen=True):
    """A room."""

    room: str
    name: str
    floor: str
    position: int


class Floor(Model, frozen=True):
    """A floor, 0 the lowest, with its rooms in order."""

    id: int
    name: str
    position: int
    rooms: list[Room]


class Need(Model, frozen=True):
    """Something that needs a person."""

    kind: str
    text: str
    path: str


class House(Model, frozen=True):
    """The house at a glance."""

    name: str
    time_zone: str
    floors: list[Floor]
    needs: list[Need]
    nodes: int
    entities: int
    automations: int
    phones: int
    links: list[dict[str, str]]
    started_at: int
    readings_committed: int
    readings_held: int
    version: str


class Setting(Model, frozen=True):
    """One of a node's own settings, or an input of an action; `value` is what the node
    told last."""

    name: str
    title: str
    type: str
    unit: str
    low: float | None
    high: float | None
    choices: list[Any]
    value: Any


class NodeAction(Model, frozen=True):
    """Something that a node can be asked to do."""

    name: str
    title: str
    about: str
    inputs: list[Setting]


class NodeKey(Model, frozen=True):
    """A node's key, told this once, and a line and an address that post a value with
    it."""

    node: str
    key: str
    curl: str
    get: str


class SetupCode(Model, frozen=True):
    """A setup code, the address in its QR code, and the QR code as SVG."""

    code: str
    address: str
    svg: str


class Node(Model, frozen=True):
    """A node; `here` is whether it is connected, `heard_at` moves with everything it
    sends.

    `way` is how it speaks: "senml" by itself, "described" as its Thing Description
    says, "foreign" as it likes, "paired" over a radio of its own. `left` is whether it
    has left by itself, `make` what it says of itself.
    """

    node: str
    title: str
    link: str
    room: str | None
    here: bool
    silent: bool
    heard_at: int
    admitted_at: int
    refused: int
    entities: list[str]
    way: str
    left: bool
    make: str
    url: str
    has_key: bool
    clock: str
    settings: list[Setting]
    actions: list[NodeAction]


class Wish(Model, frozen=True):
    """What an entity is wanted to be while its node has not confirmed it: `shown` says
    it in words."""

    value: float
    by: str
    since: int
    problem: str
    shown: str


class Entity(Model, frozen=True):
    """An entity with its latest reading: `value` in `unit`, `raw` in the node's own
    unit, `shown` as people read it."""

    entity: str
    node: str
    link: str
    title: str
    spoken: str
    kind: str
    unit: str
    room: str | None
    writable: bool
    low: float
    high: float
    hidden: bool
    picked: str
    value: float | None
    raw: float | None
    shown: str
    quality: str
    reason: str
    at: int | None
    heard_at: int | None
    wanted: Wish | None


class Row(Model, frozen=True):
    """What the readings of a stretch of house time come to; None where there are
    none."""

    start: int
    end: int
    mean: float | None
    low: float | None
    high: float | None
    count: int


class Reading(Model, frozen=True):
    """One reading."""

    at: int
    raw: float | None
    value: float | None
    quality: str
    reason: str


class ReadingsPage(Model, frozen=True):
    """A page of readings."""

    readings: list[Reading]
    next: int | None


class History(Model, frozen=True):
    """An entity's history in buckets of `width_ms`: columns of the same length; `at` is
    the middle of each bucket."""

    entity: str
    unit: str
    start: int
    end: int
    width_ms: int
    at: list[int]
    mean: list[float]
    low: list[float]
    high: list[float]
    count: list[int]


class Command(Model, frozen=True):
    """A command and what became of it: `confirmed`, `unanswered` or `unreachable`."""

    id: int
    entity: str
    value: float
    by: str
    state: str
    problem: str
    asked_at: int
    answered_at: int | None


class Window(Model, frozen=True):
    """The pairing window."""

    open: bool
    until: int | None
    left_ms: int
    listening: dict[str, str]


class Promised(Model, frozen=True):
    """An entity that an arrival says it has."""

    name: str
    title: str
    kind: str
    unit: str
    writable: bool
    hidden: bool


class Arrival(Model, frozen=True):
    """A node that asks to join."""

    id: str
    title: str
    about: str
    link: str
    progress: str
    state: str
    asked_at: int
    heard_at: int
    known_as: str | None
    wrong_codes: int
    entities: list[Promised]
    left_out: list[str]
    settings: list[str]
    actions: list[str]
    thing: str
    url: str
    sender: str
    elsewhere: list[str]
    rivals: list[str]
    needs_code: bool
    asks: str


class Zigbee(Model, frozen=True):
    """The Zigbee stick and its network; `state` is "up", "down" or "foreign"."""

    port: str
    state: str
    text: str
    firmware: str
    pan_id: int | None
    extended_pan_id: str
    channel: int | None
    ieee: str
    nodes: int


class NodeProfile(Model, frozen=True):
    """The profile of a Zigbee node's make and model: where the house keeps it, and its
    text, with what the node says and nothing names yet (so many are `unnamed`) added
    for a person to name."""

    path: str
    text: str
    unnamed: int


class Mistake(Model, frozen=True):
    """One thing that is wrong in a text; line and column count from 1."""

    line: int
    column: int
    what: str
    hint: str
    source_line: str


class Automation(Model, frozen=True):
    """An automation: its text word for word, as a sentence, and where it stands."""

    automation: str
    name: str
    about: str
    text: str
    sentence: str
    enabled: bool
    phase: str
    since: int | None
    due: int | None
    stopped: str
    mistakes: list[Mistake]


class Checked(Model, frozen=True):
    """What the text of an automation comes to."""

    ok: bool
    sentence: str
    mistakes: list[Mistake]
    warnings: list[Mistake] = []


class JournalEntry(Model, frozen=True):
    """Something that happened."""

    id: int
    at: int
    event: str
    text: str
    node: str
    entity: str
    automation: str
    data: dict[str, Any]


class JournalPage(Model, frozen=True):
    """A page of the journal, newest first."""

    entries: list[JournalEntry]
    next: int | None


class Phone(Model, frozen=True):
    """A phone that takes notifications."""

    id: int
    name: str
    person: str
    added_at: int
    service: str


class Notice(Model, frozen=True):
    """A notice on its way to a phone, or there."""

    id: int
    phone: str
    title: str
    text: str
    state: str
    attempts: int
    problem: str
    at: int


class Token(Model, frozen=True):
    """A token; it is shown this once."""

    token: str
    username: str


class Person(Model, frozen=True):
    """Who is signed in."""

    username: str


class Claimed(Model, frozen=True):
    """Whether the hub has an owner."""

    claimed: bool


class ClaimCode(Model, frozen=True):
    """The code with which a person makes the hub theirs."""

    code: str


class KnownToken(Model, frozen=True):
    """A token that was given to a program; the token itself is not kept."""

    id: int
    name: str
    username: str
    made_at: int
    this_one: bool


class Message(Model, frozen=True):
    """One message as it came. `via` is where: door, broker or http; `payload` is cut at
    4096 bytes, `size` is what it had."""

    number: int
    at: int
    via: str
    topic: str
    sender: str
    node: str
    payload: str
    binary: bool
    size: int
    qos: int
    retained: bool


class Pickable(Model, frozen=True):
    """A value in a message: its JSON Pointer, and how it reads."""

    pointer: str
    shown: str


class MessageDetail(Message, frozen=True):
    """A message with the values that could be picked out of it."""

    values: list[Pickable]


class Messages(Model, frozen=True):
    """What came since the batch before, and how many more did than anybody can read."""

    messages: list[Message]
    passed_over: int


class Previewed(Model, frozen=True):
    """What one message would have given: `shown`, or the `problem`."""

    number: int
    at: int
    topic: str
    node: str
    shown: str
    problem: str


class KindOfEntity(Model, frozen=True):
    """A kind of entity, with the units that its nodes may speak."""

    kind: str
    unit: str
    units: list[str]
    words: list[str] | None


class Tool(Model, frozen=True):
    """A person's tool at the MQTT door; `key` is told once, when it is made."""

    tool: str
    publish: list[str]
    subscribe: list[str]
    added_at: int
    key: str = ""


class Check(Model, frozen=True):
    """How one part of the hub is: `state` is ok, warning or fault."""

    part: str
    state: str
    text: str
    advice: str
