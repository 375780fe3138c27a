"""Phones and notices."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from drf_spectacular.utils import extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.hub.errors import Invalid, NotFound
from hombi.hub.ports import PhoneRecord
from hombi.service.api.shapes import PhoneShape, Shape, checked
from hombi.service.bridge import call, hub
from hombi.service.records import queries

NOTICES_SHOWN = 100


class PushKeys(Shape):
    """The keys of a push subscription (RFC 8291), base64url."""

    p256dh = s.CharField(max_length=120)
    auth = s.CharField(max_length=40)


class PhoneRequest(Shape):
    """A browser's push subscription, and what the device is called. `person` is whoever
    is signed in unless given."""

    name = s.CharField(max_length=80)
    person = s.CharField(max_length=150, required=False)
    endpoint = s.CharField(max_length=2000)
    keys = PushKeys()


class KeyShape(Shape):
    """The hub's application server key (RFC 8292), base64url."""

    key = s.CharField()


class NoticeShape(Shape):
    """A notice on its way to a phone, or there."""

    id = s.IntegerField()
    phone = s.CharField()
    title = s.CharField()
    text = s.CharField(allow_blank=True)
    state = s.ChoiceField(["waiting", "delivered", "failed"])
    attempts = s.IntegerField()
    problem = s.CharField(allow_blank=True)
    at = s.IntegerField()


class PhonesView(APIView):
    """All phones."""

    @extend_schema(responses=PhoneShape(many=True))
    def get(self, request: Request) -> Response:
        """All phones that take notifications."""
        return Response(PhoneShape(list(hub().outbox.phones.values()), many=True).data)

    @extend_schema(request=PhoneRequest, responses={201: PhoneShape})
    def post(self, request: Request) -> Response:
        """Add one; the same subscription again replaces it."""
        given: dict[str, Any] = checked(request, PhoneRequest)
        person = given.get("person") or _owner(request)
        if person not in hub().house.people:
            raise Invalid(
                f"nobody here is called {person}; people are "
                f"{', '.join(sorted(hub().house.people))}"
            )
        keys = given["keys"]
        phone = PhoneRecord(
            0, given["name"], person, given["endpoint"], keys["p256dh"], keys["auth"], 0
        )
        return Response(PhoneShape(call(hub().outbox.add_phone(phone))).data, status=201)


def _owner(request: Request) -> str:
    """The signed-in person; for the command line on the hub's machine, the owner."""
    if request.user.pk:
        return str(request.user.username)
    owner = get_user_model().objects.order_by("pk").values_list("username", flat=True).first()
    if owner is None:
        raise Invalid("this hub has no owner yet; claim it in the console first")
    return str(owner)


class PhoneView(APIView):
    """One phone."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, phone: int) -> Response:
        """Remove it."""
        call(hub().outbox.remove_phone(phone))
        return Response(status=204)


class PhoneTestView(APIView):
    """Trying a phone."""

    @extend_schema(request=None, responses={202: None})
    def post(self, request: Request, phone: int) -> Response:
        """Send it a notice."""
        found = hub().outbox.phones.get(phone)
        if found is None:
            raise NotFound(f"no phone {phone}; `hombi phones` lists them")
        call(hub().outbox.send([found], "Hombi can reach you", f"This is {found.name}.", "/"))
        return Response(status=202)


class PushKeyView(APIView):
    """What a browser subscribes with."""

    @extend_schema(responses=KeyShape)
    def get(self, request: Request) -> Response:
        """The hub's application server key."""
        return Response({"key": hub().public_key})


class NoticesView(APIView):
    """What the household was told."""

    @extend_schema(responses=NoticeShape(many=True))
    def get(self, request: Request) -> Response:
        """The latest hundred notices, newest first."""
        return Response(
            [
                {
                    "id": d.pk,
                    "phone": d.phone_name or (d.phone.name if d.phone else ""),
                    "title": d.notice.title,
                    "text": d.notice.text,
                    "state": d.state,
                    "attempts": d.attempts,
                    "problem": d.problem,
                    "at": d.notice.created_ms,
                }
                for d in queries.deliveries()[:NOTICES_SHOWN]
            ]
        )
