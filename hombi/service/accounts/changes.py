"""Changes of accounts: claiming the hub, and the tokens of programs."""

from __future__ import annotations

import hmac
from dataclasses import dataclass, field

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from hombi.hub.errors import Invalid, NotFound, Refused
from hombi.hub.events import OwnerClaimed, TokenMade, TokenRevoked
from hombi.hub.house import House
from hombi.hub.kernel import Actor, Change, Context, Done, Part, Right
from hombi.service.accounts.claim import Claim, claimed
from hombi.service.accounts.models import AccessToken, fresh_token, hash_token


class Accounts(Part):
    """People's accounts."""

    name = "accounts"

    def __init__(self, context: Context, house: House) -> None:
        super().__init__(context)
        self.house = house


@dataclass(frozen=True, slots=True)
class ClaimHub(Change[Accounts, User]):
    """Make the owner's account, with the code that the hub printed. Raises Refused for
    a wrong code or a hub that has an owner, Invalid for the rest."""

    code: str
    username: str
    password: str = field(repr=False)

    part = Accounts
    right = Right.CLAIM

    async def do(self, part: Accounts, by: Actor) -> Done[User]:
        user = await part.context.thread.run(self._store)
        part.house.people.add(user.username)
        return Done(user, OwnerClaimed(person=user.username))

    def _store(self) -> User:
        if claimed():
            raise Refused("this hub has an owner already; sign in")
        given = self.code.upper().replace("-", "").replace(" ", "")
        if not hmac.compare_digest(Claim.code.replace("-", "").encode(), given.encode()):
            raise Refused(
                "this is not the hub's code; on the hub's own machine `hombi token claim-code` "
                "makes a new one"
            )
        user = User(username=self.username.strip(), is_superuser=True)
        try:
            User.username_validator(user.username)
            validate_password(self.password, user)
        except ValidationError as error:
            raise Invalid(" ".join(error.messages)) from error
        user.set_password(self.password)
        with transaction.atomic():
            user.save()
        Claim.code = ""
        return user


@dataclass(frozen=True, slots=True)
class MakeToken(Change[Accounts, str]):
    """Sign a program in for a person: its token, told this once."""

    user: User
    program: str

    part = Accounts
    right = Right.KEEP

    async def do(self, part: Accounts, by: Actor) -> Done[str]:
        token = fresh_token()
        await part.context.thread.run(self._store, token)
        return Done(token, TokenMade(program=self.program, person=self.user.username))

    def _store(self, token: str) -> None:
        AccessToken.objects.create(user=self.user, name=self.program, hash=hash_token(token))


@dataclass(frozen=True, slots=True)
class RevokeToken(Change[Accounts, None]):
    """Make a program's token void. Raises NotFound."""

    token: int

    part = Accounts
    right = Right.KEEP

    async def do(self, part: Accounts, by: Actor) -> Done[None]:
        program, person = await part.context.thread.run(self._store)
        return Done(None, TokenRevoked(program=program, person=person))

    def _store(self) -> tuple[str, str]:
        found = AccessToken.objects.select_related("user").filter(pk=self.token).first()
        if found is None:
            raise NotFound(f"no token {self.token}")
        found.delete()
        return found.name, found.user.username
