"""Claiming the owner's account: the first person who has the code that the hub printed becomes the owner."""

from __future__ import annotations

import hmac
import secrets

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from hombi.hub.errors import Invalid, Refused

MAX_WRONG = 20
_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"


class Claim:
    """The one-time code of this start. Nothing is stored: an unclaimed hub prints a new one each time it starts."""

    code = ""
    wrong = 0

    @classmethod
    def prepare(cls) -> str:
        """The code to print, or "" when the hub has an owner."""
        cls.wrong = 0
        drawn = "".join(secrets.choice(_LETTERS) for _ in range(8))
        cls.code = "" if claimed() else f"{drawn[:4]}-{drawn[4:]}"
        return cls.code


def claimed() -> bool:
    """Whether the hub has an owner."""
    return User.objects.exists()


def claim(code: str, username: str, password: str) -> User:
    """Make the owner's account. Raises Refused for a wrong code or a hub that has an owner, Invalid for the rest."""
    if claimed():
        raise Refused("this hub has an owner already; sign in")
    if Claim.wrong >= MAX_WRONG:
        raise Refused("too many wrong codes; start the hub again for a new one")
    if not hmac.compare_digest(Claim.code.replace("-", "").encode(), code.upper().replace("-", "").replace(" ", "").encode()):
        Claim.wrong += 1
        raise Refused("this is not the code that the hub printed when it started")
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
