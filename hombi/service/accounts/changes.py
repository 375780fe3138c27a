"""Changes of accounts: the first sign-in, and the tokens of programs."""

from __future__ import annotations

import hmac

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from hombi.hub.errors import Invalid, NotFound, Refused
from hombi.hub.house import House
from hombi.hub.household.events import FirstSignedIn, TokenMade, TokenRevoked
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Limit, Right, Role
from hombi.hub.notices.outbox import Outbox
from hombi.service.accounts.first_sign_in import FirstSignIn, owned
from hombi.service.accounts.models import AccessToken, fresh_token, hash_token
from hombi.service.accounts.person_names import usable_name
from hombi.service.accounts.standing import Standing

DAY_MS = 86_400_000


class Accounts(Feature):
    """People's accounts."""

    name = "accounts"

    def __init__(self, context: Context, house: House, outbox: Outbox) -> None:
        super().__init__(context)
        self.house, self.outbox = house, outbox


class SignInFirst(Change[Accounts, User], frozen=True):
    """Make the owner's account, with the code that the hub printed. Raises Refused for
    a wrong code or a hub that has an owner, Invalid for the rest."""

    code: str
    username: str
    password: str

    feature = Accounts
    right = Right.CLAIM

    async def do(self, feature: Accounts, by: Actor) -> Done[User]:
        user = await feature.context.thread.run(self._store)
        feature.house.people.add(user.username)
        return Done(user, FirstSignedIn(person=user.username))

    def _store(self) -> User:
        if owned():
            raise Refused("this hub has an owner already; sign in")
        given = self.code.upper().replace("-", "").replace(" ", "")
        if not hmac.compare_digest(FirstSignIn.code.replace("-", "").encode(), given.encode()):
            raise Refused(
                "this is not the hub's code; on the hub's own machine `hombi token first-code` "
                "makes a new one"
            )
        user = User(username=self.username.strip(), is_superuser=True)
        try:
            usable_name(user.username)
            validate_password(self.password, user)
        except ValidationError as error:
            raise Invalid(" ".join(error.messages)) from error
        user.set_password(self.password)
        with transaction.atomic():
            user.save()
        FirstSignIn.code = ""
        return user


class MakeToken(Change[Accounts, str], frozen=True):
    """Sign a program in for a person: its token, told this once. It can do what `limit`
    says at most, for so many days if that is not 0."""

    user: User
    program: str
    limit: Limit = Limit.CHANGE
    days: int = 0

    feature = Accounts
    right = Right.SIGN

    async def do(self, feature: Accounts, by: Actor) -> Done[str]:
        token = fresh_token()
        ends_ms = feature.context.clock.now_ms() + self.days * DAY_MS if self.days else 0
        await feature.context.thread.run(self._store, token, ends_ms)
        return Done(token, TokenMade(program=self.program, person=self.user.username))

    def _store(self, token: str, ends_ms: int) -> None:
        AccessToken.objects.create(
            user=self.user, name=self.program, hash=hash_token(token), limit=self.limit.value,
            ends_ms=ends_ms,
        )  # fmt: skip


class RevokeToken(Change[Accounts, None], frozen=True):
    """Make a program's token void: one's own, or any for an owner. Raises NotFound."""

    token: int

    feature = Accounts
    right = Right.SIGN

    async def do(self, feature: Accounts, by: Actor) -> Done[None]:
        program, person = await feature.context.thread.run(self._store, by)
        Standing.changed(person)
        return Done(None, TokenRevoked(program=program, person=person))

    def _store(self, by: Actor) -> tuple[str, str]:
        token = AccessToken.objects.select_related("user").filter(pk=self.token).first()
        if token is None or (by.role is not Role.OWNER and token.user.username != by.name):
            raise NotFound(f"no token {self.token}")
        token.delete()
        return token.name, token.user.username
