"""The pairing window, the arrivals, and readings that nodes post."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers as s
from rest_framework.exceptions import PermissionDenied
from rest_framework.parsers import BaseParser
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.core.errors import ValueTextError
from hombi.core.values import parse_span_ms
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.intake import Taken
from hombi.hub.pairing import EntityChoice
from hombi.links.wifi.driver import WifiDriver, presence_topic, readings_topic, wanted_topic
from hombi.service.accounts.authentication import (
    NodeAuthentication,
    NodeKeyAuthentication,
    NodeUser,
)
from hombi.service.api.problems import problem_response
from hombi.service.api.shapes import (
    ArrivalShape,
    NodeShape,
    Shape,
    arrival_data,
    checked,
    node_data,
)
from hombi.service.bridge import call, call_plain, hub
from hombi.service.throttles import AddressThrottle

MAX_REFUSALS_SHOWN = 20


class WindowShape(Shape):
    """The pairing window; `left_ms` is 0 when it is closed."""

    open = s.BooleanField()
    until = s.IntegerField(allow_null=True)
    left_ms = s.IntegerField()
    listening = s.DictField(child=s.CharField(), help_text="where each link listens")


class WindowRequest(Shape):
    """How long to open it, like "2 min"; 15 min at most."""

    length = s.CharField(default="2 min")


class AskRequest(Shape):
    """What a node that wants to join sends: its Thing Description (W3C WoT TD 1.1), and
    the proof of its setup code: HMAC-SHA-256 of the description's id, keyed with the
    code, as hex digits."""

    description = s.DictField()
    proof = s.CharField()


class AskedShape(Shape):
    """Where the node asks what became of it, with `Authorization: Bearer <ticket>`."""

    id = s.CharField()
    ticket = s.CharField()
    outcome = s.CharField()


class DoorShape(Shape):
    """The hub's MQTT door, for one node. It signs in with its address and its key, also
    for HTTP (Basic)."""

    port = s.IntegerField()
    readings = s.CharField(help_text="the topic it publishes SenML to, QoS 1")
    wanted = s.CharField(help_text="the topic on which it hears, as SenML, what it is to do")
    presence = s.CharField(
        help_text='the topic for "here" (retained), and for "gone" as its last will'
    )


class OutcomeShape(Shape):
    """What became of an arrival."""

    state = s.ChoiceField(["waiting", "locked", "admitted", "admitting", "turned-away"])
    node = s.CharField(required=False)
    key = s.CharField(required=False)
    mqtt = DoorShape(required=False)
    intake = s.CharField(required=False)


class EntityChoiceRequest(Shape):
    """What an entity is to be called, and whether it is shown."""

    name = s.CharField()
    title = s.CharField(default="", allow_blank=True, max_length=60)
    hidden = s.BooleanField(default=False)


class LookRequest(Shape):
    """Where to look for a node: its address, or that of its description."""

    address = s.CharField(max_length=300)


class AdmitRequest(Shape):
    """The setup code (or the secret of a node that was found), what the node is to be
    called and where it is; a room that does not exist is made. Entities that are not
    named keep the names that the node gives them."""

    setup_code = s.CharField(default="", allow_blank=True)
    secret = s.CharField(default="", allow_blank=True, max_length=300)
    entities = EntityChoiceRequest(many=True, default=list)
    origins = s.ListField(
        child=s.CharField(max_length=300),
        default=list,
        help_text="of the arrival's `elsewhere`, those that it may use",
    )
    name = s.CharField(default="", allow_blank=True, max_length=60)
    room = s.CharField(default="", allow_blank=True, max_length=60)


class TakenShape(Shape):
    """What became of a pack: how many readings are safe on disk, and what was
    refused."""

    stored = s.IntegerField()
    refused = s.ListField(child=s.CharField())


class PairingView(APIView):
    """The pairing window."""

    @extend_schema(responses=WindowShape)
    def get(self, request: Request) -> Response:
        """Whether it is open, and for how long."""
        return Response(_window())

    @extend_schema(request=WindowRequest, responses=WindowShape)
    def post(self, request: Request) -> Response:
        """Open it, or set its end anew."""
        try:
            length = parse_span_ms(checked(request, WindowRequest)["length"])
        except ValueTextError as error:
            raise Invalid(str(error)) from error
        call_plain(hub().pairing.open, length)
        return Response(_window())

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        """Close it."""
        call_plain(hub().pairing.close)
        return Response(status=204)


def _window() -> dict[str, Any]:
    pairing = hub().pairing
    return {
        "open": pairing.left_ms > 0,
        "until": pairing.until_ms or None,
        "left_ms": pairing.left_ms,
        "listening": {d.link: d.listening() for d in hub().drivers.values()},
    }


class ArrivalsView(APIView):
    """Nodes that ask to join."""

    throttle_scope = "arrivals"

    def get_authenticators(self) -> list[Any]:
        return [] if self._asking() else super().get_authenticators()

    def get_permissions(self) -> Any:
        return [AllowAny()] if self._asking() else super().get_permissions()

    def get_throttles(self) -> list[Any]:
        return [AddressThrottle()] if self._asking() else []

    def _asking(self) -> bool:
        request: HttpRequest | Request | None = getattr(self, "request", None)
        return request is not None and request.method == "POST"

    @extend_schema(responses=ArrivalShape(many=True))
    def get(self, request: Request) -> Response:
        """The nodes that wait to be let in."""
        return Response([arrival_data(a) for a in hub().pairing.waiting()])

    @extend_schema(request=AskRequest, responses={202: AskedShape}, auth=[])
    def post(self, request: Request) -> Response:
        """For nodes: ask to join. Only while the pairing window is open; no sign-in."""
        given = checked(request, AskRequest)
        sender = str(request.META.get("REMOTE_ADDR", ""))
        arrival, ticket = call(hub().pairing.ask(given["description"], given["proof"], sender))
        outcome = f"/api/arrivals/{arrival.record.id}/outcome"
        return Response({"id": arrival.record.id, "ticket": ticket, "outcome": outcome}, status=202)


class LookView(APIView):
    """Looking for a node at an address."""

    @extend_schema(request=LookRequest, responses={201: ArrivalShape})
    def post(self, request: Request) -> Response:
        """Fetch the description of the node at an address, as an arrival. The pairing
        window need not be open."""
        return Response(
            arrival_data(call(hub().nodes.look(checked(request, LookRequest)["address"]))),
            status=201,
        )


class OutcomeView(APIView):
    """For nodes."""

    authentication_classes = ()
    permission_classes = (AllowAny,)

    @extend_schema(responses=OutcomeShape, auth=[])
    def get(self, request: Request, arrival: str) -> Response:
        """For nodes: what became of it. Sent with the ticket as a bearer token; once
        admitted, the answer has the node's key."""
        _, _, ticket = request.META.get("HTTP_AUTHORIZATION", "").partition(" ")
        state, joined = call(hub().pairing.outcome(arrival, ticket))
        if joined is None:
            return Response({"state": state})
        wifi = hub().drivers["wifi"]
        assert isinstance(wifi, WifiDriver)
        mqtt = {
            "port": wifi.port,
            "readings": readings_topic(joined.node),
            "wanted": wanted_topic(joined.node),
            "presence": presence_topic(joined.node),
        }
        return Response(
            {
                "state": state,
                "node": joined.node,
                "key": joined.key,
                "mqtt": mqtt,
                "intake": "/api/intake",
            }
        )


class ArrivalView(APIView):
    """One arrival."""

    @extend_schema(responses=ArrivalShape)
    def get(self, request: Request, arrival: str) -> Response:
        """The arrival."""
        return Response(arrival_data(hub().pairing.find(arrival)))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, arrival: str) -> Response:
        """Turn it away."""
        call(hub().pairing.turn_away(arrival))
        return Response(status=204)


class AgainView(APIView):
    """Asking an arrival again."""

    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request, arrival: str) -> Response:
        """Ask it anew what it has."""
        found = hub().pairing.find(arrival).record
        call(hub().nodes.ask_again(found.link, found.thing_id))
        return Response(status=204)


class AdmitView(APIView):
    """Letting an arrival in."""

    @extend_schema(request=AdmitRequest, responses={201: NodeShape})
    def post(self, request: Request, arrival: str) -> Response:
        """Let it in with its setup code."""
        given = checked(request, AdmitRequest)
        choices = {
            one["name"]: EntityChoice(one["title"], one["hidden"]) for one in given["entities"]
        }
        node = call(
            hub().admit(
                arrival,
                given["setup_code"],
                given["name"],
                given["room"],
                given["secret"],
                choices,
                given["origins"],
            )
        )
        return Response(node_data(node), status=201)


class AnyBody(BaseParser):
    """The body as it came: SenML is decoded by the hub's own decoder, whatever content
    type a board gives it."""

    media_type = "*/*"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return bytes(stream.read())


class IntakeView(APIView):
    """Readings over HTTP."""

    authentication_classes = (NodeAuthentication,)
    parser_classes = (AnyBody,)

    @extend_schema(
        request={"application/senml+json": {"type": "array", "items": {"type": "object"}}},
        responses=TakenShape,
    )
    def post(self, request: Request) -> Response:
        """For nodes: a SenML pack (RFC 8428). Answered once it is committed; sent
        again, it changes nothing."""
        user = request.user
        if not isinstance(user, NodeUser):
            raise NotFound("only a node posts readings")
        return _answer(
            call(hub().post(user.node, request.data if isinstance(request.data, bytes) else b""))
        )


def _answer(taken: Taken) -> Response:
    refused = taken.refused[:MAX_REFUSALS_SHOWN]
    if taken.refused and not taken.stored:
        return problem_response(
            422, f"nothing was stored: {taken.refused[0]}", stored=0, refused=refused
        )
    return Response({"stored": taken.stored, "refused": refused})


class ValueView(APIView):
    """One value over HTTP."""

    authentication_classes = (NodeAuthentication, NodeKeyAuthentication)
    parser_classes = (AnyBody,)

    @extend_schema(
        operation_id="intake_value",
        request={
            "text/plain": {"type": "string"},
            "application/json": {},
            "application/x-www-form-urlencoded": {"type": "string"},
        },
        responses=TakenShape,
    )
    def post(self, request: Request, node: str, name: str) -> Response:
        """For nodes: a value for one entity, as a bare number or word, or JSON with
        `value` (and `unit`, `at`) in it.

        The key goes as Basic (node, key) or as a bearer token. Answered once it is
        committed.
        """
        return self._take(
            request, node, name, request.data if isinstance(request.data, bytes) else b""
        )

    @extend_schema(
        operation_id="intake_value_in_address",
        parameters=[OpenApiParameter("key", str), OpenApiParameter("value", str, required=True)],
        responses=TakenShape,
    )
    def get(self, request: Request, node: str, name: str) -> Response:
        """For boards that can only fetch an address: the same with
        `?key=…&value=21.5`."""
        if "value" not in request.query_params:
            raise Invalid("the address has no value in it; write …?key=KEY&value=21.5")
        return self._take(request, node, name, request.query_params["value"].encode())

    def _take(self, request: Request, node: str, name: str, payload: bytes) -> Response:
        user = request.user
        if not isinstance(user, NodeUser) or user.node.address != node:
            raise PermissionDenied(f"only {node} posts here")
        return _answer(call(hub().post_value(f"{node}/{name}", payload, user.node)))
