"""The pairing window, the arrivals, and readings that nodes post."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from rest_framework.exceptions import PermissionDenied
from rest_framework.parsers import BaseParser
from rest_framework.permissions import AllowAny, IsAuthenticated
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.errors import ValueTextError
from hombi.core.values import parse_span_ms
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.hub import Hub
from hombi.hub.nodes.admission import AdmitArrival, EntityChoice, TurnAway
from hombi.hub.nodes.feature import AskAgain, LookAt
from hombi.hub.nodes.pairing import ClosePairing, OpenPairing
from hombi.hub.readings.intake import Taken
from hombi.service.accounts.authentication import (
    NodeAuthentication,
    NodeKeyAuthentication,
    NodeUser,
)
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.problems import problem_response
from hombi.service.api.schema import Query, operation
from hombi.service.api.views import View, actor, done
from hombi.service.bridge import call, change, hub, read
from hombi.service.throttles import AddressThrottle
from hombi.wire.nodes import Node
from hombi.wire.pairing import (
    AdmitRequest,
    Arrival,
    Asked,
    AskRequest,
    Door,
    LookRequest,
    Outcome,
    Window,
    WindowRequest,
)
from hombi.wire.pairing import Taken as TakenShape

MAX_REFUSALS_SHOWN = 20
_SENML = {"application/senml+json": {"type": "array", "items": {"type": "object"}}}
_VALUE = {
    "text/plain": {"type": "string"},
    "application/json": {},
    "application/x-www-form-urlencoded": {"type": "string"},
}
_IN_ADDRESS = [Query("key", str), Query("value", str, required=True)]


class PairingView(View):
    """The pairing window."""

    @operation(gives=Window)
    def get(self, request: Request) -> Response:
        """Whether it is open, and for how long."""
        return Response(read(answers.window))

    @operation(takes=WindowRequest, gives=Window)
    def post(self, request: Request) -> Response:
        """Open it, or set its end again."""
        try:
            for_ms = parse_span_ms(body(request, WindowRequest).length)
        except ValueTextError as error:
            raise Invalid(str(error)) from error
        opened = change(actor(request), OpenPairing(for_ms), lambda h, _: answers.window(h))
        return Response(opened)

    @operation()
    def delete(self, request: Request) -> Response:
        """Close it."""
        return done(request, ClosePairing())


class ArrivalsView(View):
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

    @operation(name="arrivals_list", gives=list[Arrival])
    def get(self, request: Request) -> Response:
        """The nodes that wait to be let in."""
        return Response(read(lambda h: [answers.arrival(h, a) for a in h.pairing.waiting()]))

    @operation(takes=AskRequest, gives=Asked, status=202, open_to_all=True)
    def post(self, request: Request) -> Response:
        """For nodes: ask to join. Only while the pairing window is open; no sign-in."""
        payload = body(request, AskRequest)
        sender = str(request.META.get("REMOTE_ADDR", ""))

        async def asking(h: Hub) -> Asked:
            arrival, ticket = await h.pairing.ask(payload.description, payload.proof, sender)
            number = arrival.record.id
            outcome = f"/api/arrivals/{number}/outcome"
            return Asked(id=number, ticket=ticket, outcome=outcome)

        return Response(call(asking(hub())), status=202)


class LookView(View):
    """Looking for a node at an address."""

    @operation(takes=LookRequest, gives=Arrival, status=201)
    def post(self, request: Request) -> Response:
        """Fetch the description of the node at an address, as an arrival. The pairing
        window need not be open."""
        wanted = LookAt(body(request, LookRequest).address)
        return Response(change(actor(request), wanted, answers.arrival), status=201)


class OutcomeView(View):
    """For nodes."""

    authentication_classes = ()
    permission_classes = (AllowAny,)

    @operation(gives=Outcome, open_to_all=True)
    def get(self, request: Request, arrival: str) -> Response:
        """For nodes: what became of it. Sent with the ticket as a bearer token; once
        admitted, the answer has the node's key."""
        _, _, ticket = request.META.get("HTTP_AUTHORIZATION", "").partition(" ")
        state, joined = call(hub().pairing.outcome(arrival, ticket))
        if joined is None:
            return Response(Outcome(state=state))  # type: ignore[arg-type]
        outcome = Outcome(
            state="admitted",
            node=joined.node,
            key=joined.key,
            mqtt=Door(**joined.welcome),
            intake="/api/intake",
        )
        return Response(outcome)


class ArrivalView(View):
    """One arrival."""

    @operation(gives=Arrival)
    def get(self, request: Request, arrival: str) -> Response:
        """The arrival."""
        return Response(read(lambda h: answers.arrival(h, h.pairing.find(arrival))))

    @operation()
    def delete(self, request: Request, arrival: str) -> Response:
        """Turn it away."""
        return done(request, TurnAway(arrival))


class AgainView(View):
    """Asking an arrival again."""

    @operation()
    def post(self, request: Request, arrival: str) -> Response:
        """Ask it again what it has."""
        return done(request, AskAgain(arrival=arrival))


class AdmitView(View):
    """Letting an arrival in."""

    @operation(takes=AdmitRequest, gives=Node, status=201)
    def post(self, request: Request, arrival: str) -> Response:
        """Let it in with its setup code."""
        payload = body(request, AdmitRequest)
        choices = {
            entity.name: EntityChoice(entity.title, entity.hidden, entity.kind, entity.unit)
            for entity in payload.entities
        }
        wanted = AdmitArrival(
            arrival,
            payload.setup_code,
            payload.name,
            payload.room,
            payload.secret,
            choices,
            payload.origins,
        )
        return Response(change(actor(request), wanted, answers.node), status=201)


class AnyBody(BaseParser):
    """The body as it came: SenML is decoded by the hub's own decoder, whatever content
    type a board gives it."""

    media_type = "*/*"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return bytes(stream.read())


class IntakeView(View):
    """Readings over HTTP."""

    authentication_classes = (NodeAuthentication,)
    permission_classes = (IsAuthenticated,)
    parser_classes = (AnyBody,)

    @operation(gives=TakenShape, body=_SENML)
    def post(self, request: Request) -> Response:
        """For nodes: a SenML pack (RFC 8428). Answered once it is committed; sent
        again, it changes nothing."""
        user = request.user
        if not isinstance(user, NodeUser):
            raise NotFound("only a node posts readings")
        return _taken(call(hub().posts.pack(user.username, _bytes(request))))


def _bytes(request: Request) -> bytes:
    return request.data if isinstance(request.data, bytes) else b""


def _taken(taken: Taken) -> Response:
    refused = taken.refused[:MAX_REFUSALS_SHOWN]
    if taken.refused and not taken.stored:
        what = f"nothing was stored: {taken.refused[0]}"
        return problem_response(422, what, stored=0, refused=refused)
    return Response(TakenShape(stored=taken.stored, refused=refused))


class ValueView(View):
    """One value over HTTP."""

    authentication_classes = (NodeAuthentication, NodeKeyAuthentication)
    permission_classes = (IsAuthenticated,)
    parser_classes = (AnyBody,)

    @operation(name="intake_value", gives=TakenShape, body=_VALUE)
    def post(self, request: Request, node: str, name: str) -> Response:
        """For nodes: a value for one entity, as a bare number or word, or JSON with
        `value` (and `unit`, `at`) in it.

        The key goes as Basic (node, key) or as a bearer token. Answered once it is
        committed.
        """
        return self._take(request, node, name, _bytes(request))

    @operation(name="intake_value_in_address", gives=TakenShape, parameters=_IN_ADDRESS)
    def get(self, request: Request, node: str, name: str) -> Response:
        """For boards that can only fetch an address: the same with
        `?key=…&value=21.5`."""
        if "value" not in request.query_params:
            raise Invalid("the address has no value in it; write …?key=KEY&value=21.5")
        return self._take(request, node, name, request.query_params["value"].encode())

    def _take(self, request: Request, node: str, name: str, payload: bytes) -> Response:
        user = request.user
        if not isinstance(user, NodeUser) or user.username != node:
            raise PermissionDenied(f"only {node} posts here")
        return _taken(call(hub().posts.value(f"{node}/{name}", payload)))
