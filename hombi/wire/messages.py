"""What arrives, as it came, and picking values out of it."""

from __future__ import annotations

from typing import Annotated, Literal

from hombi.wire.base import Ask, MaybeName, Meta, Ms, Name, Shape

Pointer = Annotated[str, Meta(max_length=300)]
Topic = Annotated[str, Meta(min_length=1, max_length=300)]


class Message(Shape, frozen=True, kw_only=True):
    """One message as it came. `node` is whose it is, "" while nothing is picked from
    it; `size` is in bytes."""

    number: int
    at: Ms
    via: str
    topic: str
    sender: str
    node: str
    payload: Annotated[
        str, Meta(description="as text, cut at 4096 bytes; what is not text as hex digits")
    ]
    binary: bool
    size: int
    qos: int
    retained: Annotated[bool, Meta(description="a broker kept it; nobody knows since when")]


class Pickable(Shape, frozen=True, kw_only=True):
    """A value in a message: its JSON Pointer, and how it reads."""

    pointer: str
    shown: str


class MessageDetail(Message, frozen=True, kw_only=True):
    """A message with the values that could be picked out of it."""

    values: list[Pickable]


class Messages(Shape, frozen=True, kw_only=True):
    """What came since the batch before, and how many more did than anybody can read."""

    messages: list[Message]
    passed_over: int


class Previewed(Shape, frozen=True, kw_only=True):
    """What one message would have given: `shown`, or the `problem`."""

    number: int
    at: Ms
    topic: str
    node: str
    shown: str
    problem: str


class PickingRequest(Ask, frozen=True, kw_only=True):
    """What to pick: where the messages come in, their topic with `{node}` where the
    node's name stands, JSON Pointers to the value and to its time (both may be empty),
    the kind, and the unit that the node speaks; for a choice, a press or an event the
    words that it has."""

    via: Literal["", "door", "broker"] = ""
    topic: Topic
    pointer: Pointer = ""
    at: Pointer = ""
    kind: Annotated[str, Meta(min_length=1, max_length=20)]
    unit: Annotated[str, Meta(max_length=40)] = ""
    words: Annotated[list[Annotated[str, Meta(max_length=60)]], Meta(max_length=64)] = []


class WritingRequest(Ask, frozen=True, kw_only=True):
    """How the entity is written: a topic (with `{node}`), and a payload with `{value}`
    or `{1|0}` in it."""

    topic: Topic
    payload: Annotated[str, Meta(min_length=1, max_length=2000)]
    retain: bool = False


class PickRequest(PickingRequest, frozen=True, kw_only=True):
    """And what to call it: the value's name, for which nodes (what stands at `{node}`),
    the node's name, the room."""

    title: Name
    nodes: Annotated[list[Annotated[str, Meta(max_length=80)]], Meta(max_length=50)] = []
    name: MaybeName = ""
    room: MaybeName = ""
    write: WritingRequest | None = None
