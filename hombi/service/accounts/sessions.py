"""Sessions in the database under the hash of their key: who reads the file cannot go on
with anybody's session."""

from __future__ import annotations

import hashlib
from typing import Any

from django.contrib.auth import SESSION_KEY
from django.contrib.auth.models import User
from django.contrib.sessions.backends import db
from django.contrib.sessions.models import Session
from django.utils import timezone

from hombi.service.bridge import written


def hashed(session_key: str | None) -> str | None:
    """How a session's key is stored. It has 165 random bits, so one round of SHA-256 is
    enough."""
    return None if session_key is None else hashlib.sha256(session_key.encode()).hexdigest()[:40]


class SessionStore(db.SessionStore):
    """Django's sessions in the database; only the names of the rows are others."""

    def _get_session_from_db(self) -> Any:
        rows = self.model.objects.filter(
            session_key=hashed(self.session_key), expire_date__gt=timezone.now()
        )
        session = rows.first()
        if session is None:
            self._session_key = None
        return session

    def save(self, must_create: bool = False) -> None:
        written(super().save, must_create)

    def exists(self, session_key: str) -> bool:
        return super().exists(hashed(session_key) or "")

    def create_model_instance(self, data: Any) -> Any:
        made = super().create_model_instance(data)
        made.session_key = hashed(made.session_key) or ""
        return made

    def delete(self, session_key: str | None = None) -> None:
        result = session_key if session_key is not None else self.session_key
        if result is not None:
            written(super().delete, hashed(result))


def end_sessions(user: User) -> None:
    """Sign somebody out everywhere. The sessions of a house are few."""
    for row in Session.objects.all():
        if str(row.get_decoded().get(SESSION_KEY, "")) == str(user.pk):
            row.delete()
