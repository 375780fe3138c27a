"""Tokens."""

from __future__ import annotations

import hashlib
import secrets

from django.conf import settings
from django.db import models


class AccessToken(models.Model):
    """A token that lets a program act for a person. Only its hash is kept."""

    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tokens"
    )
    name = models.CharField(max_length=80)
    hash = models.CharField(max_length=64, unique=True)
    created_at = models.DateTimeField(auto_now_add=True)


def hash_token(token: str) -> str:
    """How a token is stored; it has 256 random bits, so one round of SHA-256 is
    enough."""
    return hashlib.sha256(token.encode()).hexdigest()


def fresh_token() -> str:
    """A new token."""
    return secrets.token_urlsafe(32)
