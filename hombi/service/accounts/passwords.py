"""Which passwords will do."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.contrib.auth.password_validation import CommonPasswordValidator


class NotACommonOne(CommonPasswordValidator):
    """Django's own rule. Its list of twenty thousand passwords is read when one is
    chosen, and let go of then."""

    def __init__(self) -> None:
        """Nothing is read yet."""

    def validate(self, password: str, user: User | None = None) -> None:
        """Raises ValidationError for a password that many people have."""
        CommonPasswordValidator().validate(password, user)
