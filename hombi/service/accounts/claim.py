"""Claiming the owner's account: the first person who has the code that the hub printed
becomes the owner."""

from __future__ import annotations

import hmac
import secrets

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from hombi.hub.errors import Invalid, Refused

_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"


class Claim:
    """The one-time code. Nothing is stored: an unclaimed hub prints a new one each time
    it starts, and each time that its own machine asks for one. Guessing is slowed down
    for each address by itself (`throttles.py`), so nobody voids another's."""

    code = ""

    @classmethod
    def prepare(cls) -> str:
        """A new code to print, or "" when the hub has an owner; the one before is
        void."""
        drawn = "".join(secrets.choice(_LETTERS) for _ in range(8))
        cls.code = "" if claimed() else f"{drawn[:4]}-{drawn[4:]}"
        return cls.code


def claimed() -> bool:
    """Whether the hub has an owner."""
    return User.objects.exists()


def claim(code: str, username: str, password: str) -> User:
    """Make the owner's account. Raises Refused for a wrong code or a hub that has an
    owner, Invalid for the rest."""
    if claimed():
        raise Refused("this hub has an owner already; sign in")
    if not hmac.compare_digest(
        Claim.code.replace("-", "").encode(),
        code.upper().replace("-", "").replace(" ", "").encode(),
    ):
        raise Refused(
            "this is not the hub's code; on the hub's own machine `hombi claim-code` "
            "makes a new one"
        )
    user = User(username=username.strip(), is_superuser=True)
    try:
        User.username_validator(user.username)
        validate_password(password, user)
    except ValidationError as error:
        raise Invalid(" ".join(error.messages)) from error
    user.set_password(password)
    with transaction.atomic():
        if claimed():
            raise Refused("this hub has an owner already; sign in")
        user.save()
    Claim.code = ""
    return user
