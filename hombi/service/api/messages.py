"""What arrives, as it came, and picking values out of it."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from typing import Any

import msgspec
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.core.kinds import KINDS
from hombi.core.picking import candidates
from hombi.core.units import units_for
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.foreign import Picking, Writing
from hombi.hub.messages import Filter, Message
from hombi.links.wifi.mqtt.topics import valid_filter
from hombi.service.api.live import streamed
from hombi.service.api.shapes import EntityShape, Shape, checked, entity_data
from hombi.service.bridge import call, hub

LIMIT, MAX_LIMIT = 100, 1_000
# A person reads no faster; what comes in between is counted, not sent.
EVERY_S, MOST_AT_ONCE = 0.25, 40
VIA = ["door", "broker", "http", "zigbee", "bluetooth"]

_FILTERS = [
    OpenApiParameter("via", str, enum=VIA, description="the way they came in"),
    OpenApiParameter(
        "topic", str, description="a topic filter as in MQTT, like mill/+/state or mill/#"
    ),
    OpenApiParameter("node", str, description="a node's or a tool's address"),
    OpenApiParameter("text", str, description="what stands in the topic or the payload"),
]


class MessageShape(Shape):
    """One message. `node` is whose it is, "" when nothing is picked from it yet; `size`
    is in bytes."""

    number = s.IntegerField()
    at = s.IntegerField()
    via = s.ChoiceField(VIA)
    topic = s.CharField()
    sender = s.CharField(allow_blank=True)
    node = s.CharField(allow_blank=True)
    payload = s.CharField(
        allow_blank=True,
        help_text="as text, cut at 4096 bytes; bytes that are no text as hex digits",
    )
    binary = s.BooleanField()
    size = s.IntegerField()
    qos = s.IntegerField()
    retained = s.BooleanField(help_text="a broker kept it; nobody knows since when")


class PickableShape(Shape):
    """A value in a message."""

    pointer = s.CharField(allow_blank=True)
    shown = s.CharField(allow_blank=True)


class MessageDetailShape(MessageShape):
    """A message with the values that could be picked out of it."""

    values = PickableShape(many=True)


class PickingRequest(Shape):
    """What to pick: where the messages come in, their topic with `{node}` where the
    node's name stands, JSON Pointers to the value and to its time (both may be empty),
    the kind, and the unit that the node speaks."""

    via = s.ChoiceField(VIA[:2], default="door")
    topic = s.CharField(max_length=300)
    pointer = s.CharField(max_length=300, default="", allow_blank=True)
    at = s.CharField(max_length=300, default="", allow_blank=True)
    kind = s.CharField(max_length=20)
    unit = s.CharField(max_length=40, default="", allow_blank=True)


class WritingRequest(Shape):
    """How the entity is written: a topic (with `{node}`), and a payload with `{value}`
    or `{ON|OFF}` in it."""

    topic = s.CharField(max_length=300)
    payload = s.CharField(max_length=2000)
    retain = s.BooleanField(default=False)


class PickRequest(PickingRequest):
    """And what to call it: the value's name, for which nodes (what stands at `{node}`),
    the node's name, the room."""

    title = s.CharField(max_length=60)
    nodes = s.ListField(child=s.CharField(max_length=80), default=list, max_length=50)
    name = s.CharField(max_length=60, default="", allow_blank=True)
    room = s.CharField(max_length=60, default="", allow_blank=True)
    write = WritingRequest(required=False, allow_null=True, default=None)


class PreviewedShape(Shape):
    """What one message would have given: `shown`, or the `problem`."""

    number = s.IntegerField()
    at = s.IntegerField()
    topic = s.CharField()
    node = s.CharField(allow_blank=True)
    shown = s.CharField(allow_blank=True)
    problem = s.CharField(allow_blank=True)


class KindShape(Shape):
    """A kind of entity, with the units that its nodes may speak."""

    kind = s.CharField()
    unit = s.CharField(allow_blank=True)
    units = s.ListField(child=s.CharField())
    words = s.ListField(child=s.CharField(), allow_null=True)


def message_data(message: Message) -> dict[str, Any]:
    """A message as programs see it."""
    heard = message.heard
    try:
        payload, binary = message.payload.decode(), False
    except UnicodeDecodeError as error:
        cut = message.size > len(message.payload) and error.start >= len(message.payload) - 4
        payload = message.payload[: error.start].decode() if cut else message.payload.hex()
        binary = not cut
    return {
        "number": message.number,
        "at": message.at_ms,
        "via": heard.via,
        "topic": heard.topic,
        "sender": heard.sender,
        "node": heard.node,
        "payload": payload,
        "binary": binary,
        "size": message.size,
        "qos": heard.qos,
        "retained": heard.retained,
    }


def wanted(params: Any) -> Filter:
    """The filter in a query. Raises Invalid."""
    topic = params.get("topic", "").strip()
    if topic and not valid_filter(topic):
        raise Invalid(
            f"{topic!r} is no topic filter; + stands for one level, # for all that "
            f"follow, like mill/+/state or mill/#"
        )
    via = params.get("via", "")
    if via not in ("", *VIA):
        raise Invalid(f"messages come in by {', '.join(VIA)}; {via!r} is none of them")
    return Filter(via, topic, params.get("node", "").strip(), params.get("text", ""))


class MessagesView(APIView):
    """Messages."""

    @extend_schema(
        parameters=[
            *_FILTERS,
            OpenApiParameter("each_topic", bool),
            OpenApiParameter("limit", int, default=LIMIT),
        ],
        responses=MessageShape(many=True),
    )
    def get(self, request: Request) -> Response:
        """The latest messages, newest first; with `each_topic` the last one of each
        topic."""
        text = request.query_params.get("limit", str(LIMIT))
        if not text.isdigit() or not 1 <= int(text) <= MAX_LIMIT:
            raise Invalid(f"limit is a whole number from 1 to {MAX_LIMIT}")
        each = request.query_params.get("each_topic", "") in ("1", "true", "yes")
        found = hub().messages.find(wanted(request.query_params), int(text), each_topic=each)
        return Response([message_data(message) for message in found])


class MessageView(APIView):
    """One message."""

    @extend_schema(responses=MessageDetailShape)
    def get(self, request: Request, number: int) -> Response:
        """The message, with the values that could be picked out of it. It is kept for a
        while only."""
        message = hub().messages.get(number)
        if message is None:
            raise NotFound(f"message {number} is not kept any more")
        values = [
            {"pointer": one.pointer, "shown": one.shown} for one in candidates(message.payload)
        ]
        return Response({**message_data(message), "values": values})


class PreviewView(APIView):
    """Trying a pick."""

    @extend_schema(request=PickingRequest, responses=PreviewedShape(many=True))
    def post(self, request: Request) -> Response:
        """What the last messages would have given. Nothing is kept."""
        rows = hub().foreign.preview(Picking(**checked(request, PickingRequest)))
        return Response(
            [
                {
                    "number": row.message.number,
                    "at": row.message.at_ms,
                    "topic": row.message.heard.topic,
                    "node": row.node,
                    "shown": row.shown,
                    "problem": row.problem,
                }
                for row in rows
            ]
        )


class PicksView(APIView):
    """Picking."""

    @extend_schema(request=PickRequest, responses={201: EntityShape(many=True)})
    def post(self, request: Request) -> Response:
        """Make the value an entity of each of the nodes; from the next message on it
        has readings."""
        given = checked(request, PickRequest)
        write, title, nodes = given.pop("write"), given.pop("title"), given.pop("nodes")
        name, room = given.pop("name"), given.pop("room")
        writing = Writing(**write) if write else None
        made = call(hub().foreign.take(Picking(**given), nodes, title, name, room, writing))
        return Response([entity_data(entity) for entity in made], status=201)


class KindsView(APIView):
    """Kinds."""

    @extend_schema(responses=KindShape(many=True))
    def get(self, request: Request) -> Response:
        """The kinds of entities there are."""
        return Response(
            [
                {
                    "kind": k.name,
                    "unit": k.unit,
                    "units": units_for(k.unit),
                    "words": list(k.words) if k.words else None,
                }
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
    return await streamed(request, lambda: _follow(wanted(request.GET), after))


async def _follow(filter_: Filter, after: str) -> AsyncIterator[bytes]:
    messages, stream = hub().messages, hub().live
    seen = messages.seen
    if after.isdecimal() and len(after) < 16:
        # A number that is not reached yet is from before the hub was started again: all
        # is new then.
        seen = int(after) if int(after) <= seen else 0
    yield b"retry: 1000\n\n"
    idle = 0.0
    while not stream.closed:
        await asyncio.sleep(EVERY_S)
        found = messages.find(filter_, MAX_LIMIT, after=seen)
        seen = messages.seen
        if not found:
            idle += EVERY_S
            if idle >= 15:
                idle = 0.0
                yield b": still here\n\n"
            continue
        idle = 0.0
        shown = [message_data(message) for message in reversed(found[:MOST_AT_ONCE])]
        body = msgspec.json.encode(
            {"messages": shown, "passed_over": max(0, len(found) - MOST_AT_ONCE)}
        )
        yield b"id: %d\nevent: messages\ndata: " % seen + body + b"\n\n"
