"""What arrives, as it came, and picking values out of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from hombi import wire
from hombi.client.calls.base import Call, News, Param, given, path
from hombi.client.stream import MESSAGES_PATH

Via = Literal["", "door", "broker"]


def message_filter(via: str, topic: str, node: str, text: str) -> dict[str, Param]:
    """Which messages are wanted."""
    return given(via=via, topic=topic, node=node, text=text)


def follow(
    *, via: str = "", topic: str = "", node: str = "", text: str = ""
) -> News[wire.Messages]:
    """The messages that fit, as they come."""
    return News(MESSAGES_PATH, message_filter(via, topic, node, text), wire.Messages)


def list_(
    *,
    via: str = "",
    topic: str = "",
    node: str = "",
    text: str = "",
    limit: int = 100,
    each_topic: bool = False,
) -> Call[list[wire.Message]]:
    """The latest messages, newest first; with `each_topic` the last one of each
    topic."""
    params = {**message_filter(via, topic, node, text), "limit": limit}
    if each_topic:
        params["each_topic"] = "true"
    return Call("GET", "/api/messages", list[wire.Message], params=params)


def get(number: int) -> Call[wire.MessageDetail]:
    """A message with the values that could be picked out of it."""
    return Call("GET", path("messages", str(number)), wire.MessageDetail)


def preview(
    topic: str, kind: str, *, via: Via = "", pointer: str = "", at: str = "", unit: str = ""
) -> Call[list[wire.Previewed]]:
    """What the last messages would have given: the value at a JSON Pointer in them, of
    this kind, in this unit."""
    body = wire.PickingRequest(via=via, topic=topic, pointer=pointer, at=at, kind=kind, unit=unit)
    return Call("POST", "/api/picks/preview", list[wire.Previewed], body=body)


def pick(
    topic: str,
    kind: str,
    title: str,
    *,
    via: Via = "",
    pointer: str = "",
    at: str = "",
    unit: str = "",
    nodes: Sequence[str] = (),
    name: str = "",
    room: str = "",
    write: Mapping[str, Any] | None = None,
) -> Call[list[wire.Entity]]:
    """Make a value in messages an entity: as `preview`, and what to call it, of which
    nodes. `write` says how it is set: `topic`, `payload`, `retain`."""
    body = wire.PickRequest(
        via=via,
        topic=topic,
        pointer=pointer,
        at=at,
        kind=kind,
        unit=unit,
        title=title,
        nodes=list(nodes),
        name=name,
        room=room,
        write=None if write is None else wire.WritingRequest(**write),
    )
    return Call("POST", "/api/picks", list[wire.Entity], body=body)
