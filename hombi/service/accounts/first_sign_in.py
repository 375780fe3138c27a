"""The first sign-in, which makes the owner's account: the first person who has the code
that the hub printed becomes the owner."""

from __future__ import annotations

import secrets

from django.contrib.auth.models import User

_LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"


class FirstSignIn:
    """The one-time code. Nothing is stored: a hub without an owner prints a new one
    each time it starts, and each time that its own machine asks for one. Guessing is
    slowed down for each address by itself (`throttles.py`), so nobody voids
    another's."""

    code = ""

    @classmethod
    def prepare(cls) -> str:
        """A new code to print, or "" when the hub has an owner; the one before is
        void."""
        drawn = "".join(secrets.choice(_LETTERS) for _ in range(8))
        cls.code = "" if owned() else f"{drawn[:4]}-{drawn[4:]}"
        return cls.code


def owned() -> bool:
    """Whether the hub has an owner."""
    return User.objects.exists()
