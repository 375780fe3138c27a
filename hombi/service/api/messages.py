"""What arrives, as it came, and picking values out of it."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncGenerator
from typing import Any

import msgspec
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.kinds import KINDS
from hombi.core.picking import candidates
from hombi.core.topics import valid_filter
from hombi.core.units import units_for
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.hub import Hub
from hombi.hub.nodes.messages import Filter
from hombi.hub.nodes.picks import Picking, TakePick, Writing
from hombi.service.api import answers
from hombi.service.api.live import streamed
from hombi.service.api.parsing import body
from hombi.service.api.schema import Query, operation
from hombi.service.api.views import View, actor, yes
from hombi.service.bridge import change, hub, read
from hombi.wire.entities import Entity, KindOfEntity
from hombi.wire.messages import (
    Message,
    MessageDetail,
    Pickable,
    PickingRequest,
    PickRequest,
    Previewed,
)
from hombi.wire.messages import Messages as MessagesShape

LIMIT, MAX_LIMIT = 100, 1_000
# A person reads no faster; what comes in between is counted, not sent.
EVERY_S, MOST_AT_ONCE = 0.25, 40
VIA = ["door", "broker", "http", "zigbee", "bluetooth"]

_FILTERS = [
    Query("via", str, enum=VIA, description="the way they came in"),
    Query("topic", str, description="a topic filter as in MQTT, like mill/+/state or mill/#"),
    Query("node", str, description="a node's address, or an MQTT account's name"),
    Query("text", str, description="what stands in the topic or the payload"),
    Query("each_topic", bool),
    Query("limit", int, default=LIMIT),
]


def wanted(params: Any) -> Filter:
    """The filter in a query. Raises Invalid."""
    topic = params.get("topic", "").strip()
    if topic and not valid_filter(topic):
        raise Invalid(
            f"{topic!r} is not a topic filter; + stands for one level, # for all that "
            f"follow, like mill/+/state or mill/#"
        )
    via = params.get("via", "")
    if via not in ("", *VIA):
        raise Invalid(f"messages come in by {', '.join(VIA)}; {via!r} is none of them")
    return Filter(via, topic, params.get("node", "").strip(), params.get("text", ""))


def _picking(payload: PickingRequest) -> Picking:
    return Picking(
        payload.via,
        payload.topic,
        payload.pointer,
        payload.at,
        payload.kind,
        payload.unit,
        tuple(payload.words),
    )


class MessagesView(View):
    """Messages."""

    @operation(name="messages_list", gives=list[Message], parameters=_FILTERS)
    def get(self, request: Request) -> Response:
        """The latest messages, newest first; with `each_topic` the last one of each
        topic."""
        text = request.query_params.get("limit", str(LIMIT))
        if not text.isdigit() or not 1 <= int(text) <= MAX_LIMIT:
            raise Invalid(f"limit is a whole number from 1 to {MAX_LIMIT}")
        which, each = wanted(request.query_params), yes(request, "each_topic")
        # Messages are never changed: only finding them is done in the loop.
        messages = read(lambda h: h.messages.find(which, int(text), each_topic=each))
        return Response([answers.message(message) for message in messages])


class MessageView(View):
    """One message."""

    @operation(gives=MessageDetail)
    def get(self, request: Request, number: int) -> Response:
        """The message, with the values that could be picked out of it. It is kept for a
        while only."""
        message = read(lambda h: h.messages.get(number))
        if message is None:
            raise NotFound(f"message {number} is no longer stored")
        values = [
            Pickable(pointer=candidate.pointer, shown=candidate.shown)
            for candidate in candidates(message.payload)
        ]
        return Response(MessageDetail(**answers.message_fields(message), values=values))


class PreviewView(View):
    """Trying a pick."""

    @operation(takes=PickingRequest, gives=list[Previewed])
    def post(self, request: Request) -> Response:
        """What the last messages would have given. Nothing is kept."""
        picking = _picking(body(request, PickingRequest))

        def look(h: Hub) -> list[Previewed]:
            return [
                Previewed(
                    number=row.message.number,
                    at=row.message.at_ms,
                    topic=row.message.heard.topic,
                    node=row.node,
                    shown=row.shown,
                    problem=row.problem,
                )
                for row in h.picks.preview(picking)
            ]

        return Response(read(look))


class PicksView(View):
    """Picking."""

    @operation(takes=PickRequest, gives=list[Entity], status=201)
    def post(self, request: Request) -> Response:
        """Make the value an entity of each of the nodes; from the next message on it
        has readings."""
        payload = body(request, PickRequest)
        write = payload.write
        writing = Writing(write.topic, write.payload, write.retain) if write else None
        pick = TakePick(
            _picking(payload), payload.title, payload.nodes, payload.name, payload.room, writing
        )
        made = change(actor(request), pick, lambda h, m: [answers.entity(h, e) for e in m])
        return Response(made, status=201)


class KindsView(View):
    """Kinds."""

    @operation(gives=list[KindOfEntity])
    def get(self, request: Request) -> Response:
        """The kinds of entities there are."""
        return Response(
            [
                KindOfEntity(
                    kind=k.name,
                    title=k.shown,
                    unit=k.unit,
                    units=units_for(k.unit),
                    words=list(k.words) if k.words else None,
                    own_words=k.brings,
                    moment=k.moment,
                    low=k.low,
                    high=k.high,
                    called=list(k.called),
                )
                for k in KINDS.values()
            ]
        )


async def live_messages(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """`GET /api/messages/live`: the messages that fit, as they come; how many more came
    in between is said, not sent.

    It begins after the message whose number is in `after` or, when it is taken up
    again, in Last-Event-ID; else now.
    """
    after = request.headers.get("Last-Event-ID", "") or request.GET.get("after", "")
    return await streamed(request, lambda _: _follow(wanted(request.GET), after))


async def _follow(filter_: Filter, after: str) -> AsyncGenerator[bytes]:
    messages, stream = hub().messages, hub().context.live
    seen = messages.seen
    if after.isdecimal() and len(after) < 16:
        # A number that is not reached yet is from before the hub was started again: all
        # is new then.
        seen = int(after) if int(after) <= seen else 0
    yield b"retry: 1000\n\n"
    idle = 0.0
    while not stream.closed:
        await asyncio.sleep(EVERY_S)
        result = messages.find(filter_, MAX_LIMIT, after=seen)
        seen = messages.seen
        if not result:
            idle += EVERY_S
            if idle >= 15:
                idle = 0.0
                yield b": still here\n\n"
            continue
        idle = 0.0
        shown = [answers.message(message) for message in reversed(result[:MOST_AT_ONCE])]
        more = max(0, len(result) - MOST_AT_ONCE)
        answer = msgspec.json.encode(MessagesShape(messages=shown, passed_over=more))
        yield b"id: %d\nevent: messages\ndata: " % seen + answer + b"\n\n"
