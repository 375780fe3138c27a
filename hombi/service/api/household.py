"""Who belongs to the house: invitations, joining, roles, passwords."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from pyotp import TOTP
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.hub.errors import NotFound
from hombi.hub.hub import Hub
from hombi.hub.kernel import STRANGER, Right, Role
from hombi.service.accounts import browsers
from hombi.service.accounts.household import (
    GOOD_DAYS,
    ChangeAccount,
    ChangePassword,
    Invite,
    Join,
    Place,
    RemoveAccount,
    ResetPerson,
    RevokeInvitation,
    invitation,
    open_invitations,
)
from hombi.service.accounts.models import AccessToken
from hombi.service.accounts.second import BeginSecond, ConfirmSecond, RemoveSecond
from hombi.service.accounts.who import actor_of
from hombi.service.addresses import page_address
from hombi.service.api.accounts import signed_in
from hombi.service.api.parsing import body
from hombi.service.api.schema import Query, operation
from hombi.service.api.trust import drawn
from hombi.service.api.views import View, actor, done
from hombi.service.bridge import change, hub, read, written
from hombi.service.throttles import AddressThrottle
from hombi.wire.people import (
    Invitation,
    Invited,
    JoinRequest,
    OpenInvitation,
    OwnPassword,
    PasswordRequest,
    Person,
    PlaceRequest,
    RecoveryCodes,
    SecondBegun,
    SecondCode,
    SignedIn,
)

DAY_MS = 86_400_000


def _pages(h: Hub) -> set[str]:
    """The pages that a wall can show."""
    rooms = {f"room-{slug}" for slug in h.house.rooms}
    return rooms | {dashboard.slug for dashboard in h.dashboards.all}


def _place(payload: PlaceRequest) -> Place:
    if payload.role == "wall" and payload.dashboard and payload.dashboard not in read(_pages):
        raise NotFound(f"there is no page {payload.dashboard}; `hombi dashboard list` names them")
    return Place(Role(payload.role), payload.rooms, payload.dashboard, payload.switches)


def _invitation(request: Request, code: str) -> Invitation:
    address = f"{page_address(request)}/join?code={code}"
    ends = hub().context.clock.now_ms() + GOOD_DAYS * DAY_MS
    return Invitation(code=code, address=address, svg=drawn(address), ends_at=ends)


class PeopleView(View):
    """Everybody who can sign in."""

    reads = Right.KEEP

    @operation(name="people_list", gives=list[Person])
    def get(self, request: Request) -> Response:
        """All of them by name, with what they are in the house."""
        return Response([_person(user) for user in User.objects.order_by("username")])


class PersonView(View):
    """One of them."""

    does = Right.KEEP

    @operation(name="person_change", takes=PlaceRequest, gives=Person)
    def put(self, request: Request, person: str) -> Response:
        """Change a person's role."""
        payload = body(request, PlaceRequest)
        change(actor(request), ChangeAccount(person, _place(payload)), lambda *_: None)
        return Response(_person(User.objects.get(username=person)))

    @operation(name="person_remove")
    def delete(self, request: Request, person: str) -> Response:
        """Take them out of the household."""
        return done(request, RemoveAccount(person))


class ResetView(View):
    """A new password for who has forgotten theirs."""

    does = Right.KEEP

    @operation(name="person_reset", gives=Invitation, status=201)
    def post(self, request: Request, person: str) -> Response:
        """A code with which they set a new one."""
        code = change(actor(request), ResetPerson(person), lambda _, made: made)
        return Response(_invitation(request, code), status=201)


class InvitationsView(View):
    """Invitations."""

    reads = does = Right.KEEP

    @operation(name="invitations_list", gives=list[OpenInvitation])
    def get(self, request: Request) -> Response:
        """Those that nobody has used yet, the latest first."""
        invitations = open_invitations(hub().context.clock.now_ms())
        return Response(
            [
                OpenInvitation(
                    number=one.pk,
                    role=one.role,  # type: ignore[arg-type]
                    rooms=one.rooms,
                    dashboard=one.dashboard,
                    person=one.user.username if one.user else "",
                    by=one.by.username if one.by else "",
                    made_at=one.made_ms,
                    ends_at=one.ends_ms,
                )
                for one in invitations
            ]
        )

    @operation(name="invitations_make", takes=PlaceRequest, gives=Invitation, status=201)
    def post(self, request: Request) -> Response:
        """Make one; it is good for three days, and used once."""
        payload = body(request, PlaceRequest)
        code = change(actor(request), Invite(_place(payload)), lambda _, made: made)
        return Response(_invitation(request, code), status=201)


class InvitationView(View):
    """One invitation."""

    does = Right.KEEP

    @operation(name="invitation_revoke")
    def delete(self, request: Request, number: int) -> Response:
        """Make it void, whether it joins or sets a new password."""
        return done(request, RevokeInvitation(number))


class JoinView(View):
    """Joining the house."""

    permission_classes = (AllowAny,)
    throttle_scope = "sign-in"

    def get_throttles(self) -> list[Any]:
        return [AddressThrottle()]

    @operation(
        name="join_look",
        gives=Invited,
        open_to_all=True,
        parameters=[Query("code", str, required=True)],
    )
    def get(self, request: Request) -> Response:
        """What an invitation is for, by its `code`."""
        result = invitation(request.query_params.get("code", ""), hub().context.clock.now_ms())
        return Response(
            Invited(
                house=hub().config.house_name,
                role=result.role,  # type: ignore[arg-type]
                person=result.user.username if result.user else "",
            )
        )

    @operation(name="join", takes=JoinRequest, gives=SignedIn, status=201, open_to_all=True)
    def post(self, request: Request) -> Response:
        """Join with an invitation, or set a new password with one, and sign in."""
        payload = body(request, JoinRequest)
        wanted = Join(payload.code, payload.username, payload.password)
        user = change(STRANGER, wanted, lambda _, made: made)
        browsers.sign_in(request._request, user)
        if actor_of(user).role is Role.WALL:
            # It hangs where nobody types: it stays signed in until it is taken out.
            request._request.session.set_expiry(10 * 366 * 86_400)
            written(request._request.session.save)
        return Response(signed_in(user), status=201)


class PasswordView(View):
    """One's own password."""

    does = Right.SIGN
    throttle_scope = "sign-in"

    def get_throttles(self) -> list[Any]:
        return [AddressThrottle()]

    @operation(name="password_change", takes=PasswordRequest)
    def put(self, request: Request) -> Response:
        """Another one. Everywhere else one is signed out."""
        payload = body(request, PasswordRequest)
        keep = request.auth.pk if isinstance(request.auth, AccessToken) else 0
        wanted = ChangePassword(payload.old, payload.new, keep)
        user = change(actor(request), wanted, lambda _, made: made)
        if request.auth is None:
            browsers.sign_in(request._request, user)
        return Response(status=204)


class SecondView(View):
    """One's own second factor."""

    does = Right.SIGN
    throttle_scope = "sign-in"

    def get_throttles(self) -> list[Any]:
        return [AddressThrottle()]

    @operation(name="second_begin", takes=OwnPassword, gives=SecondBegun, status=201)
    def post(self, request: Request) -> Response:
        """Make a secret for an app."""
        payload = body(request, OwnPassword)
        secret = change(actor(request), BeginSecond(payload.password), lambda _, made: made)
        house = hub().config.house_name
        address = TOTP(secret).provisioning_uri(
            name=actor(request).name, issuer_name=f"Hombi, {house}"
        )
        return Response(SecondBegun(secret=secret, svg=drawn(address)), status=201)

    @operation(name="second_confirm", takes=SecondCode, gives=RecoveryCodes)
    def put(self, request: Request) -> Response:
        """Show that the app has it; from now on one signs in with a code too."""
        payload = body(request, SecondCode)
        codes = change(actor(request), ConfirmSecond(payload.code), lambda _, made: made)
        return Response(RecoveryCodes(codes=codes))


class SecondRemovalView(View):
    """Doing without it again."""

    does = Right.SIGN
    throttle_scope = "sign-in"

    def get_throttles(self) -> list[Any]:
        return [AddressThrottle()]

    @operation(name="second_remove", takes=OwnPassword)
    def post(self, request: Request) -> Response:
        """Sign in with the password alone again."""
        payload = body(request, OwnPassword)
        return done(request, RemoveSecond(payload.password))


def _person(user: User) -> Person:
    who = actor_of(user)
    return Person(
        username=user.username,
        role=who.role.value,
        rooms=sorted(who.rooms),
        dashboard=who.dashboard,
        switches=who.switches,
        last=round(user.last_login.timestamp() * 1000) if user.last_login else None,
    )
