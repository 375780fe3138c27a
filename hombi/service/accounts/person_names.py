"""What a person can be called."""

from __future__ import annotations

from anyascii import anyascii
from django.contrib.auth.models import User

from hombi.hub.errors import Invalid

# Words of texts and addresses, which nobody is called.
RESERVED = frozenset({"everyone", "anyone", "nobody", "somebody", "house", "hub", "me", "mail"})


def usable_name(name: str) -> None:
    """Raises Invalid for a name that cannot be a person's, or is one here already;
    ValidationError for signs that none has."""
    User.username_validator(name)
    # Letters of another script that look alike are the same to who reads a notice.
    plain = anyascii(name).lower()
    if plain in RESERVED or not any(sign.isalnum() for sign in name) or name[0] == ".":
        raise Invalid(f"nobody can be called {name}; choose another name")
    for other in User.objects.values_list("username", flat=True):
        if anyascii(other).lower() == plain:
            raise Invalid(f"somebody here is called {other} already")
