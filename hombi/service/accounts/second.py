"""A second factor: a code of six digits that an app makes anew every 30 s (TOTP, RFC
6238), or one of ten recovery codes, each good once."""

from __future__ import annotations

import hmac
import secrets
import time

import pyotp
from django.contrib.auth.models import User

from hombi.hub.errors import Invalid, NotFound, Refused
from hombi.hub.household.events import SecondFactorChanged
from hombi.hub.kernel import Actor, Change, Done, Right
from hombi.service.accounts.changes import Accounts
from hombi.service.accounts.models import SecondFactor, hash_token
from hombi.service.bridge import written

CODES, LETTERS = 10, "abcdefghjkmnpqrstuvwxyz23456789"
STEP_S = 30
# A clock that is a little off still makes a code that counts.
STEPS_OFF = 1


def wanted(user: User) -> bool:
    """Whether somebody signs in with a second factor."""
    return SecondFactor.objects.filter(user=user, confirmed=True).exists()


def fits(user: User, code: str) -> bool:
    """Whether this is a code of theirs that was not used yet; it is used now."""
    return bool(written(_use, user, code.replace(" ", "").replace("-", "").lower()))


def _use(user: User, code: str) -> bool:
    factor = SecondFactor.objects.filter(user=user).first()
    if factor is None:
        return False
    step = _step(factor, code)
    if step is not None:
        factor.last_step = step
        factor.save()
        return True
    hashed = hash_token(code)
    if any(hmac.compare_digest(one, hashed) for one in factor.codes):
        factor.codes = [one for one in factor.codes if one != hashed]
        factor.save()
        return True
    return False


def _step(factor: SecondFactor, code: str) -> int | None:
    """The step of time whose code this is, later than the last one that was used."""
    now, totp = int(time.time()) // STEP_S, pyotp.TOTP(factor.secret)
    for step in range(now - STEPS_OFF, now + STEPS_OFF + 1):
        if step > factor.last_step and hmac.compare_digest(totp.at(step * STEP_S), code):
            return step
    return None


class BeginSecond(Change[Accounts, str], frozen=True):
    """Make a secret for an app; it counts once a code of it was given. Raises Refused
    for a wrong password."""

    password: str

    feature = Accounts
    right = Right.SIGN

    async def do(self, feature: Accounts, by: Actor) -> Done[str]:
        secret = await feature.context.thread.run(self._store, by.name)
        return Done(secret, SecondFactorChanged(person=by.name, how="began to set up"))

    def _store(self, name: str) -> str:
        user, secret = _sure(name, self.password), pyotp.random_base32()
        if wanted(user):
            raise Refused("there is a second factor already; remove it first")
        made = {"secret": secret, "confirmed": False, "codes": [], "last_step": 0}
        SecondFactor.objects.update_or_create(user=user, defaults=made)
        return secret


class ConfirmSecond(Change[Accounts, list[str]], frozen=True):
    """From now on one signs in with a code too; the recovery codes, told this once.
    Raises Refused for a wrong code, NotFound."""

    code: str

    feature = Accounts
    right = Right.SIGN

    async def do(self, feature: Accounts, by: Actor) -> Done[list[str]]:
        codes = await feature.context.thread.run(self._store, by.name)
        return Done(codes, SecondFactorChanged(person=by.name, how="set up"))

    def _store(self, name: str) -> list[str]:
        factor = SecondFactor.objects.filter(user__username=name, confirmed=False).first()
        if factor is None:
            raise NotFound("no second factor was begun; begin with the password")
        step = _step(factor, self.code.replace(" ", ""))
        if step is None:
            raise Refused("this code does not fit; see whether the clocks are right")
        codes = ["".join(secrets.choice(LETTERS) for _ in range(10)) for _ in range(CODES)]
        factor.confirmed, factor.last_step = True, step
        factor.codes = [hash_token(code) for code in codes]
        factor.save()
        return [f"{code[:5]}-{code[5:]}" for code in codes]


class RemoveSecond(Change[Accounts, None], frozen=True):
    """Sign in with the password alone again. Raises Refused for a wrong password."""

    password: str

    feature = Accounts
    right = Right.SIGN

    async def do(self, feature: Accounts, by: Actor) -> Done[None]:
        await feature.context.thread.run(self._store, by.name)
        return Done(None, SecondFactorChanged(person=by.name, how="removed"))

    def _store(self, name: str) -> None:
        SecondFactor.objects.filter(user=_sure(name, self.password)).delete()


def _sure(name: str, password: str) -> User:
    """Somebody who knows their password. Raises Refused, Invalid."""
    user = User.objects.filter(username=name).first()
    if user is None:
        raise Invalid("the command line on the hub's own machine has no second factor")
    if not user.check_password(password):
        raise Refused("the password is another")
    return user
