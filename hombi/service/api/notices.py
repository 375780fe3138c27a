"""Notices, and the contacts in which they reach people."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.hub.errors import Invalid, NotFound
from hombi.hub.hub import Hub
from hombi.hub.kernel import STRANGER
from hombi.hub.notices.buttons import PICTURE, SOUND
from hombi.hub.notices.contacts import AddContact, PressButton, TryPhone
from hombi.hub.notices.outbox import RemovePhone
from hombi.hub.notices.port import PhoneRecord
from hombi.service.accounts.household import owners
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, done, given, picture
from hombi.service.bridge import change, hub, read
from hombi.service.throttles import AddressThrottle
from hombi.wire.people import (
    Contact,
    ContactRequest,
    Loudspeaker,
    NewContact,
    Notice,
    PhoneRequest,
    Pressed,
    PressRequest,
    PushKey,
)

NOTICES_SHOWN = 100


class ContactsView(View):
    """All contacts of reaching people."""

    @operation(name="contacts_list", gives=list[Contact])
    def get(self, request: Request) -> Response:
        """List them."""
        return Response(read(lambda h: [answers.contact(p) for p in h.outbox.phones.values()]))

    @operation(takes=ContactRequest, gives=NewContact, status=201)
    def post(self, request: Request) -> Response:
        """Add a mail address, an address to post to, or a loudspeaker."""
        payload = body(request, ContactRequest)
        person = _person(request, given(payload.person))
        contact = PhoneRecord(
            0, payload.name, person, payload.address, "", "", 0, payload.sort, payload.form
        )
        answer = change(
            actor(request), AddContact(contact), lambda _, made: answers.new_contact(made)
        )
        return Response(answer, status=201)


class LoudspeakersView(View):
    """What can say a text."""

    @operation(name="loudspeakers_list", gives=list[Loudspeaker])
    def get(self, request: Request) -> Response:
        """The actions of nodes that take one."""
        return Response(read(_loudspeakers))


class PhonesView(View):
    """Phones, which add themselves."""

    @operation(takes=PhoneRequest, gives=Contact, status=201)
    def post(self, request: Request) -> Response:
        """Add one; the same subscription again replaces it."""
        payload = body(request, PhoneRequest)
        person, keys = _person(request, given(payload.person)), payload.keys
        phone = PhoneRecord(0, payload.name, person, payload.endpoint, keys.p256dh, keys.auth, 0)
        answer = change(actor(request), AddContact(phone), lambda _, made: answers.contact(made))
        return Response(answer, status=201)


def _loudspeakers(h: Hub) -> list[Loudspeaker]:
    return [
        Loudspeaker(
            address=f"{node}/{action}/{given}",
            title=f"{h.house.nodes[node].title}: {h.house.nodes[node].actions[action].title}",
        )
        for node, action, given in h.contacts.speaking()
    ]


def _person(request: Request, named: str | None) -> str:
    """Whom a contact is for. Raises Invalid."""
    person = named or _owner(request)
    people = read(lambda h: sorted(h.house.people))
    if person not in people:
        raise Invalid(f"nobody here is called {person}; people are {', '.join(people)}")
    return person


def _owner(request: Request) -> str:
    """The signed-in person; for the command line on the hub's machine, the owner."""
    if request.user.pk:
        return str(request.user.username)
    owner = owners().values_list("username", flat=True).first()
    if owner is None:
        raise Invalid("this hub has no owner yet; sign in at the console first")
    return str(owner)


class ContactView(View):
    """One contact."""

    @operation(name="contact_remove")
    def delete(self, request: Request, contact: int) -> Response:
        """Remove it."""
        return done(request, RemovePhone(contact))


class ContactTestView(View):
    """Trying a contact."""

    @operation(status=202)
    def post(self, request: Request, contact: int) -> Response:
        """Send a notice over a contact."""
        return done(request, TryPhone(contact), 202)


class PushKeyView(View):
    """What a browser subscribes with."""

    @operation(gives=PushKey)
    def get(self, request: Request) -> Response:
        """The hub's application server key."""
        return Response(PushKey(key=hub().public_key))


class NoticesView(View):
    """What the household was told."""

    @operation(gives=list[Notice])
    def get(self, request: Request) -> Response:
        """The latest hundred notices, newest first."""
        deliveries = hub().context.records.notices.latest(NOTICES_SHOWN)
        return Response([answers.notice(hub(), delivery) for delivery in deliveries])


class _ByRight(View):
    """What comes with a notice, for whoever has the right that came with it."""

    authentication_classes = ()
    permission_classes = (AllowAny,)

    def identity(self, right: str, what: str) -> str:
        """The notice that this is a right to the `what` of. Raises NotFound,
        Refused."""
        number, named = read(lambda h: h.contacts.buttons.named(right))
        delivery = hub().context.records.notices.delivery(number) if named == what else None
        if delivery is None:
            raise NotFound(f"there is no such {what}")
        return delivery.identity


class PictureView(_ByRight):
    """Pictures of notices."""

    @operation(name="notices_picture", open_to_all=True)
    def get(self, request: Request, right: str) -> HttpResponse:
        """The picture that a notice came with. It is kept for a week."""
        taken = hub().outbox.pictures.get(self.identity(right, PICTURE))
        if taken is None:
            raise NotFound("there is no such picture, or it is no longer kept")
        return picture(*taken, "private, max-age=604800, immutable")


class SoundView(_ByRight):
    """Spoken notices."""

    @operation(name="notices_sound", open_to_all=True)
    def get(self, request: Request, right: str) -> HttpResponse:
        """A notice as a WAV file, for the loudspeaker that was given its address."""
        spoken = hub().contacts.sounds.get(self.identity(right, SOUND))
        if spoken is None:
            raise NotFound("there is no such sound, or it is no longer kept")
        return HttpResponse(spoken, content_type="audio/wav")


class PressView(View):
    """Buttons of notices."""

    authentication_classes = ()
    permission_classes = (AllowAny,)
    throttle_scope = "press"

    def get_throttles(self) -> list[Any]:
        return [AddressThrottle()]

    @operation(takes=PressRequest, gives=Pressed, open_to_all=True)
    def post(self, request: Request) -> Response:
        """Press one, with the right that came with it. It counts once, for a day, and
        for that button alone; nobody needs to be signed in."""
        payload = body(request, PressRequest)
        done = change(STRANGER, PressButton(payload.right), lambda _, said: said)
        return Response(Pressed(done=done))
