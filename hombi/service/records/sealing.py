"""Secrets at rest: sealed with a key that is made from the data folder's `secret.key`
(decision 17).

Sealed are the secrets of described nodes, the key of the Zigbee network, the hub's push
key and the phones' keys. What was stored before it was sealed is read as it is, and
sealed when it is stored the next time.
"""

from __future__ import annotations

import base64
from functools import cache
from typing import Any

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings
from django.db import models

SEALED = "sealed:"


class WrongKey(Exception):
    """What is stored was sealed with another key than the one in `secret.key`."""


@cache
def _box() -> Fernet:
    key = HKDF(SHA256(), 32, salt=None, info=b"hombi secrets at rest").derive(
        settings.SECRET_KEY.encode()
    )
    return Fernet(base64.urlsafe_b64encode(key))


def seal(text: str) -> str:
    """The text as it is stored."""
    return SEALED + _box().encrypt(text.encode()).decode()


def unseal(stored: str) -> str:
    """The text that was sealed. Raises WrongKey."""
    if not stored.startswith(SEALED):
        return stored
    try:
        return _box().decrypt(stored.removeprefix(SEALED)).decode()
    except InvalidToken as error:
        raise WrongKey("a secret in the database was sealed with another secret.key") from error


class SealedTextField(models.TextField):  # type: ignore[type-arg]
    """A text that is sealed on the disk."""

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        result = super().get_db_prep_value(value, connection, prepared)
        # Whatever it says: a text from outside may look like one that is sealed
        # already.
        return seal(result) if result else result

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> Any:
        return unseal(value) if isinstance(value, str) else value


class SealedJSONField(models.JSONField):
    """An object whose members of certain names are sealed on the disk."""

    def __init__(self, *args: Any, members: tuple[str, ...] = (), **options: Any) -> None:
        self.members = members
        super().__init__(*args, **options)

    def deconstruct(self) -> Any:
        name, path, args, options = super().deconstruct()
        return name, path, args, {**options, "members": self.members}

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        if isinstance(value, dict):
            value = {
                name: seal(one) if name in self.members and isinstance(one, str) and one else one
                for name, one in value.items()
            }
        return super().get_db_prep_value(value, connection, prepared)

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> Any:
        result = super().from_db_value(value, expression, connection)
        if not isinstance(result, dict):
            return result
        return {
            name: unseal(one) if name in self.members and isinstance(one, str) else one
            for name, one in result.items()
        }


def forget_all(connection: Any) -> None:
    """Remove every sealed secret from the database, for a house whose `secret.key` is
    lost: the push key with the phones that took notices by it, what nodes want to hear,
    and the kept Zigbee network. Nothing is opened, so no key is needed."""
    with connection.cursor() as cursor:
        cursor.execute("UPDATE records_delivery SET phone_id = NULL")
        cursor.execute("DELETE FROM records_phone")
        cursor.execute("DELETE FROM records_hubkey")
        cursor.execute("DELETE FROM accounts_secondfactor")
        cursor.execute(
            "DELETE FROM records_linkstate WHERE json_extract(state, '$.key') LIKE %s",
            [SEALED + "%"],
        )
        cursor.execute(
            "UPDATE records_node SET reach = json_remove(reach, '$.secret') WHERE "
            "json_extract(reach, '$.secret') LIKE %s",
            [SEALED + "%"],
        )
