"""Changes of who belongs to the house: invitations, joining, roles, passwords."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import Q, QuerySet

from hombi.hub.errors import Invalid, NotFound, Refused
from hombi.hub.household.events import (
    InvitationRevoked,
    PasswordChanged,
    PasswordForgotten,
    PersonChanged,
    PersonInvited,
    PersonJoined,
    PersonRemoved,
)
from hombi.hub.kernel import Actor, Change, Done, Right, Role
from hombi.hub.notices.outbox import RemovePhone
from hombi.service.accounts.changes import DAY_MS, Accounts
from hombi.service.accounts.models import (
    AccessToken,
    Account,
    Invitation,
    SecondFactor,
    fresh_token,
    hash_token,
)
from hombi.service.accounts.person_names import usable_name
from hombi.service.accounts.sessions import end_sessions
from hombi.service.accounts.standing import Standing

GOOD_DAYS, MOST_OPEN = 3, 50
HOUSEHOLD = (Role.OWNER, Role.ADULT)


@dataclass(frozen=True, slots=True)
class Place:
    """What somebody is in the house: a guest has rooms, a wall has a dashboard."""

    role: Role
    rooms: Sequence[str] = ()
    dashboard: str = ""
    switches: bool = True

    def checked(self, feature: Accounts) -> Place:
        """With the addresses of its rooms. Raises Invalid, NotFound."""
        if self.role is Role.GUEST and not self.rooms:
            raise Invalid("a guest sees rooms: name one at least")
        if self.role is Role.WALL and not self.dashboard:
            raise Invalid("a wall shows a page of tiles: name its dashboard")
        rooms = [feature.house.room(room).slug for room in self.rooms]
        return Place(self.role, rooms, self.dashboard, self.switches)

    def as_row(self) -> dict[str, object]:
        """As a row keeps it."""
        return {
            "role": self.role.value,
            "rooms": list(self.rooms) if self.role is Role.GUEST else [],
            "dashboard": self.dashboard if self.role is Role.WALL else "",
            "switches": self.switches,
        }


class Invite(Change[Accounts, str], frozen=True):
    """Make an invitation; its code, told this once. Raises Invalid, NotFound,
    Refused."""

    place: Place

    feature = Accounts
    right = Right.KEEP

    async def do(self, feature: Accounts, by: Actor) -> Done[str]:
        place, code = self.place.checked(feature), fresh_token()
        now = feature.context.clock.now_ms()
        await feature.context.thread.run(_keep, code, place, None, now, str(by))
        return Done(code, PersonInvited(role=place.role.value))


class ResetPerson(Change[Accounts, str], frozen=True):
    """Make a code with which somebody sets a new password. Raises NotFound."""

    person: str

    feature = Accounts
    right = Right.KEEP

    async def do(self, feature: Accounts, by: Actor) -> Done[str]:
        code, now = fresh_token(), feature.context.clock.now_ms()
        user = await feature.context.thread.run(_user, self.person)
        await feature.context.thread.run(_keep, code, Place(Role.ADULT), user, now, str(by))
        return Done(code, PasswordForgotten(person=user.username))


def _keep(code: str, place: Place, user: User | None, now: int, by: str) -> None:
    Invitation.objects.filter(ends_ms__lte=now).delete()
    if Invitation.objects.count() >= MOST_OPEN:
        raise Refused(
            f"{MOST_OPEN} invitations are open; revoke some, or wait: they end after "
            f"{GOOD_DAYS} days"
        )
    maker = User.objects.filter(username=by).first()
    Invitation.objects.create(
        hash=hash_token(code), user=user, by=maker, made_ms=now, ends_ms=now + GOOD_DAYS * DAY_MS,
        **place.as_row(),
    )  # fmt: skip


def _user(name: str) -> User:
    user = User.objects.filter(username=name).first()
    if user is None:
        raise NotFound(f"nobody here is called {name}")
    return user


class RevokeInvitation(Change[Accounts, None], frozen=True):
    """Make an invitation, or a link for a new password, void. Raises NotFound."""

    number: int

    feature = Accounts
    right = Right.KEEP

    async def do(self, feature: Accounts, by: Actor) -> Done[None]:
        role, person = await feature.context.thread.run(self._store)
        return Done(None, InvitationRevoked(role=role, person=person))

    def _store(self) -> tuple[str, str]:
        result = Invitation.objects.select_related("user").filter(pk=self.number).first()
        if result is None:
            raise NotFound(f"there is no open invitation {self.number}")
        result.delete()
        return result.role, result.user.username if result.user else ""


def open_invitations(now: int) -> list[Invitation]:
    """Those that can be used still, the latest first."""
    result = Invitation.objects.select_related("user", "by").filter(ends_ms__gt=now)
    return list(result.order_by("-made_ms"))


class Join(Change[Accounts, User], frozen=True):
    """Join the house with an invitation's code, or set a new password with one. A wall
    has no password. Raises Refused for a code that is not good, Invalid for the
    rest."""

    code: str
    username: str = ""
    password: str = ""

    feature = Accounts
    right = Right.CLAIM

    async def do(self, feature: Accounts, by: Actor) -> Done[User]:
        now = feature.context.clock.now_ms()
        user, role, fresh = await feature.context.thread.run(self._store, now)
        if not fresh:
            Standing.changed(user.username)
            return Done(user, PasswordChanged(person=user.username))
        if Role(role) in HOUSEHOLD:
            feature.house.people.add(user.username)
        return Done(user, PersonJoined(person=user.username, role=role))

    def _store(self, now: int) -> tuple[User, str, bool]:
        with transaction.atomic():
            result = invitation(self.code, now)
            user = result.user or User(username=self.username.strip())
            try:
                if result.user is None:
                    usable_name(user.username)
                if result.role != Role.WALL.value:
                    validate_password(self.password, user)
            except ValidationError as error:
                raise Invalid(" ".join(error.messages)) from error
            if result.role == Role.WALL.value:
                user.set_unusable_password()
            else:
                user.set_password(self.password)
            user.save()
            if result.user is None:
                Account.objects.create(
                    user=user, role=result.role, rooms=result.rooms, dashboard=result.dashboard,
                    switches=result.switches,
                )  # fmt: skip
            else:
                _sign_out(user)
                SecondFactor.objects.filter(user=user).delete()
                # Other links for a new password were for this one's need.
                Invitation.objects.filter(user=user).delete()
            Invitation.objects.filter(pk=result.pk).delete()
            return user, result.role, result.user is None


def _sign_out(user: User, keep: int = 0) -> None:
    """Everywhere, also their programs; but for the token `keep`."""
    end_sessions(user)
    AccessToken.objects.filter(user=user).exclude(pk=keep).delete()


def invitation(code: str, now: int) -> Invitation:
    """The invitation of a code. Raises Refused."""
    result = Invitation.objects.select_related("user").filter(hash=hash_token(code)).first()
    if result is None or result.ends_ms <= now:
        raise Refused("this invitation was used, or is too old; ask for a new one")
    return result


class ChangeAccount(Change[Accounts, None], frozen=True):
    """Change a person's role. Guests and walls get no notices: their
    ways are removed. Raises NotFound, Invalid, Refused for
    the last owner."""

    person: str
    place: Place

    feature = Accounts
    right = Right.KEEP

    async def do(self, feature: Accounts, by: Actor) -> Done[None]:
        place = self.place.checked(feature)
        await feature.context.thread.run(self._store, place)
        Standing.changed(self.person)
        if place.role in HOUSEHOLD:
            feature.house.people.add(self.person)
        else:
            await _leave_the_household(feature, self.person, by)
        return Done(None, PersonChanged(person=self.person, role=place.role.value))

    def _store(self, place: Place) -> None:
        user = _user(self.person)
        if place.role is not Role.OWNER:
            _not_the_last_owner(user)
        with transaction.atomic():
            user.is_superuser = place.role is Role.OWNER
            user.save()
            if place.role is not Role.OWNER:
                # Whom they invited comes in by a right that they have no more.
                Invitation.objects.filter(by=user).delete()
            Account.objects.update_or_create(user=user, defaults=place.as_row())


class RemoveAccount(Change[Accounts, None], frozen=True):
    """Take somebody out of the household, with their sign-ins, tokens and ways. Raises
    NotFound, Refused for the last owner."""

    person: str

    feature = Accounts
    right = Right.KEEP

    async def do(self, feature: Accounts, by: Actor) -> Done[None]:
        await feature.context.thread.run(self._store)
        Standing.changed(self.person)
        await _leave_the_household(feature, self.person, by)
        return Done(None, PersonRemoved(person=self.person))

    def _store(self) -> None:
        user = _user(self.person)
        _not_the_last_owner(user)
        end_sessions(user)
        user.delete()


async def _leave_the_household(feature: Accounts, person: str, by: Actor) -> None:
    """Nobody else is told what happens in the house, nor may press what a notice
    offers."""
    feature.house.people.discard(person)
    for way in list(feature.outbox.phones.values()):
        if way.person == person:
            await feature.context.changes.do(RemovePhone(way.id), by)


def owners() -> QuerySet[User]:
    """The house's owners, the first one first."""
    who = Q(account__role=Role.OWNER.value) | Q(account=None, is_superuser=True)
    return User.objects.filter(who).order_by("pk")


def _not_the_last_owner(user: User) -> None:
    if not owners().exclude(pk=user.pk).exists():
        raise Refused(f"{user.username} is the only owner; make somebody else an owner first")


class ChangePassword(Change[Accounts, User], frozen=True):
    """Another password for oneself; all other sign-ins end, also those of programs. The
    program that has the token `keep` asks for it. Raises Refused for a wrong
    old one, Invalid."""

    old: str
    new: str
    keep: int = 0

    feature = Accounts
    right = Right.SIGN

    async def do(self, feature: Accounts, by: Actor) -> Done[User]:
        user = await feature.context.thread.run(self._store, by.name)
        Standing.changed(user.username)
        return Done(user, PasswordChanged(person=user.username))

    def _store(self, name: str) -> User:
        user = _user(name)
        if not user.check_password(self.old):
            raise Refused("the old password is another")
        try:
            validate_password(self.new, user)
        except ValidationError as error:
            raise Invalid(" ".join(error.messages)) from error
        with transaction.atomic():
            user.set_password(self.new)
            user.save()
            _sign_out(user, self.keep)
            Invitation.objects.filter(user=user).delete()
        return user
