"""The people of the household, and who is home."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.values import show_span
from hombi.hub.errors import Invalid
from hombi.hub.household.presence import FollowPerson, Person, SayHome
from hombi.hub.hub import Hub
from hombi.hub.notices.contacts import SetQuietHours
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, given
from hombi.service.bridge import change, read
from hombi.wire.presence import Presence, PresenceChange


class PresencesView(View):
    """Everybody of the household."""

    @operation(name="presence_list", gives=list[Presence])
    def get(self, request: Request) -> Response:
        """All of them by name, and whether they are home."""
        return Response(read(lambda h: [_person(h, person) for person in h.presence.people]))


class PresenceView(View):
    """One of them."""

    @operation(takes=PresenceChange, gives=Presence)
    def patch(self, request: Request, person: str) -> Response:
        """Say that they are home or away, name the values that tell it, or say when
        they are told only what is urgent: one of the three at a time."""
        payload = body(request, PresenceChange)
        home, follows, quiet = given(payload.home), given(payload.follows), given(payload.quiet)
        if follows is None and payload.linger:
            follows = read(lambda h: list(h.presence.person(person).follows))
        if sum(value is not None for value in (home, follows, quiet)) != 1:
            raise Invalid("say one of home, follows and quiet")
        by = actor(request)

        def answer(h: Hub, _: object) -> Presence:
            return _person(h, h.presence.person(person))

        if quiet is not None:
            made = change(by, SetQuietHours(person, quiet), answer)
        elif follows is not None:
            made = change(by, FollowPerson(person, follows, payload.linger), answer)
        else:
            made = change(by, SayHome(person, bool(home)), answer)
        return Response(made)


def _person(h: Hub, person: Person) -> Presence:
    latest = person.entity.latest if person.entity is not None else None
    known = latest is not None and latest.value is not None
    return Presence(
        person=person.name,
        home=bool(latest.value) if latest is not None and known else None,
        since=latest.at_ms if latest is not None else None,
        entity=person.entity.address if person.entity is not None else None,
        follows=list(person.follows),
        linger=show_span(person.linger_ms),
        quiet=str(h.outbox.quiet.get(person.name, "")),
    )
