"""What arrives, as it came, and picking values out of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from hombi.client.calls.base import Call, News, Param, given, path
from hombi.client.stream import MESSAGES_PATH
from hombi.wire.entities import Entity
from hombi.wire.messages import (
    Message,
    MessageDetail,
    Messages,
    PickingRequest,
    PickRequest,
    Previewed,
    WritingRequest,
)

Via = Literal["", "door", "broker"]


def message_filter(via: str, topic: str, node: str, text: str) -> dict[str, Param]:
    """Which messages are wanted."""
    return given(via=via, topic=topic, node=node, text=text)


def follow(*, via: str = "", topic: str = "", node: str = "", text: str = "") -> News[Messages]:
    """The messages that fit, as they come."""
    return News(MESSAGES_PATH, message_filter(via, topic, node, text), Messages)


def list_(
    *,
    via: str = "",
    topic: str = "",
    node: str = "",
    text: str = "",
    limit: int = 100,
    each_topic: bool = False,
) -> Call[list[Message]]:
    """The latest messages, newest first; with `each_topic` the last one of each
    topic."""
    params = {**message_filter(via, topic, node, text), "limit": limit}
    if each_topic:
        params["each_topic"] = "true"
    return Call("GET", "/api/messages", list[Message], params=params)


def get(number: int) -> Call[MessageDetail]:
    """A message with the values that could be picked out of it."""
    return Call("GET", path("messages", str(number)), MessageDetail)


def preview(
    topic: str,
    kind: str,
    *,
    via: Via = "",
    pointer: str = "",
    at: str = "",
    unit: str = "",
    words: Sequence[str] = (),
) -> Call[list[Previewed]]:
    """What the last messages would have given: the value at a JSON Pointer in them, of
    this kind, in this unit; for a choice, a press or an event with these words."""
    body = PickingRequest(
        via=via,
        topic=topic,
        pointer=pointer,
        at=at,
        kind=kind,
        unit=unit,
        words=list(words),
    )
    return Call("POST", "/api/picks/preview", list[Previewed], body=body)


def pick(
    topic: str,
    kind: str,
    title: str,
    *,
    via: Via = "",
    pointer: str = "",
    at: str = "",
    unit: str = "",
    words: Sequence[str] = (),
    nodes: Sequence[str] = (),
    name: str = "",
    room: str = "",
    write: Mapping[str, Any] | None = None,
) -> Call[list[Entity]]:
    """Make a value in messages an entity: as `preview`, and what to call it, of which
    nodes. `write` says how it is set: `topic`, `payload`, `retain`."""
    body = PickRequest(
        via=via,
        topic=topic,
        pointer=pointer,
        at=at,
        kind=kind,
        unit=unit,
        words=list(words),
        title=title,
        nodes=list(nodes),
        name=name,
        room=room,
        write=None if write is None else WritingRequest(**write),
    )
    return Call("POST", "/api/picks", list[Entity], body=body)
