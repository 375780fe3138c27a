"""Phones and notices."""

from __future__ import annotations

from django.contrib.auth import get_user_model
from rest_framework.request import Request
from rest_framework.response import Response

from hombi import wire
from hombi.hub.errors import Invalid
from hombi.hub.notices import AddPhone, RemovePhone, TryPhone
from hombi.hub.ports import PhoneRecord
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, done, given
from hombi.service.bridge import change, hub, read

NOTICES_SHOWN = 100


class PhonesView(View):
    """All phones."""

    @operation(gives=list[wire.Phone])
    def get(self, request: Request) -> Response:
        """List the phones that get notices."""
        return Response(read(lambda h: [answers.phone(p) for p in h.outbox.phones.values()]))

    @operation(takes=wire.PhoneRequest, gives=wire.Phone, status=201)
    def post(self, request: Request) -> Response:
        """Add one; the same subscription again replaces it."""
        asked = body(request, wire.PhoneRequest)
        person = given(asked.person) or _owner(request)
        people = read(lambda h: sorted(h.house.people))
        if person not in people:
            raise Invalid(f"nobody here is called {person}; people are {', '.join(people)}")
        keys = asked.keys
        phone = PhoneRecord(0, asked.name, person, asked.endpoint, keys.p256dh, keys.auth, 0)
        answer = change(actor(request), AddPhone(phone), lambda _, made: answers.phone(made))
        return Response(answer, status=201)


def _owner(request: Request) -> str:
    """The signed-in person; for the command line on the hub's machine, the owner."""
    if request.user.pk:
        return str(request.user.username)
    people = get_user_model().objects.order_by("pk")
    owner = people.values_list("username", flat=True).first()
    if owner is None:
        raise Invalid("this hub has no owner yet; claim it in the console first")
    return str(owner)


class PhoneView(View):
    """One phone."""

    @operation()
    def delete(self, request: Request, phone: int) -> Response:
        """Remove it."""
        return done(request, RemovePhone(phone))


class PhoneTestView(View):
    """Trying a phone."""

    @operation(status=202)
    def post(self, request: Request, phone: int) -> Response:
        """Send it a notice."""
        return done(request, TryPhone(phone), 202)


class PushKeyView(View):
    """What a browser subscribes with."""

    @operation(gives=wire.PushKey)
    def get(self, request: Request) -> Response:
        """The hub's application server key."""
        return Response(wire.PushKey(key=hub().public_key))


class NoticesView(View):
    """What the household was told."""

    @operation(gives=list[wire.Notice])
    def get(self, request: Request) -> Response:
        """The latest hundred notices, newest first."""
        found = hub().context.records.notices.latest(NOTICES_SHOWN)
        return Response([answers.notice(one) for one in found])
