"""Tokens."""

from __future__ import annotations

import hashlib
import secrets

from django.conf import settings
from django.db import models

from hombi.service.records.sealing import SealedTextField


class Account(models.Model):
    """What a person is in the house. Whoever has none is an owner, if they signed in
    first. A guest has `rooms`, a wall a `dashboard`."""

    user = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="account"
    )
    role = models.CharField(max_length=8)
    rooms = models.JSONField(default=list)
    dashboard = models.CharField(max_length=80, blank=True)
    switches = models.BooleanField(default=True)


class SecondFactor(models.Model):
    """The secret that a person's app makes codes from, and the hashes of the recovery
    codes that are left. `last_step` is the time of the last code: none counts twice."""

    user = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="second"
    )
    secret = SealedTextField()
    confirmed = models.BooleanField(default=False)
    codes = models.JSONField(default=list)
    last_step = models.BigIntegerField(default=0)


class Invitation(models.Model):
    """A code with which somebody joins the house, or who has forgotten their password
    comes in again (`user`). Only its hash is kept; it is used once. It ends with the
    right of whoever made it (`by`; None is the command line on the hub's machine)."""

    hash = models.CharField(max_length=64, unique=True)
    role = models.CharField(max_length=8)
    rooms = models.JSONField(default=list)
    dashboard = models.CharField(max_length=80, blank=True)
    switches = models.BooleanField(default=True)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE)
    by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="invited"
    )
    made_ms = models.BigIntegerField()
    ends_ms = models.BigIntegerField()


class AccessToken(models.Model):
    """A token that lets a program act for a person. Only its hash is kept. `limit` is
    what it may do at most; it is void from `ends_ms` on, if that is not 0."""

    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tokens"
    )
    name = models.CharField(max_length=80)
    hash = models.CharField(max_length=64, unique=True)
    created_at = models.DateTimeField(auto_now_add=True)
    limit = models.CharField(max_length=8, default="change")
    ends_ms = models.BigIntegerField(default=0)


def hash_token(token: str) -> str:
    """How a token is stored; it has 256 random bits, so one round of SHA-256 is
    enough."""
    return hashlib.sha256(token.encode()).hexdigest()


def fresh_token() -> str:
    """A new token."""
    return secrets.token_urlsafe(32)
