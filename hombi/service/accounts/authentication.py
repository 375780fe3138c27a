"""Who is asking: a person's token, the hub's own command line, or a node with its
key."""

from __future__ import annotations

import base64
import binascii
import hmac
import time
from typing import Any

from django.db.models import Q
from rest_framework.authentication import BaseAuthentication, SessionAuthentication
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.permissions import AllowAny
from rest_framework.request import Request

from hombi.hub.hub import Hub
from hombi.service.accounts.models import AccessToken, hash_token
from hombi.service.bridge import read
from hombi.service.connections import recognised

COMMAND_LINE = "command line"


def recognise(request: Request, user: Any) -> None:
    """The connection that this request came over is this user's."""
    if isinstance(user, NodeUser):
        account, kept = f"node {user.username}", False
    else:
        account = f"person {user.username}"
        kept = isinstance(user, LocalUser) or user.is_superuser
    recognised(getattr(request._request, "scope", None), account, kept=kept)


class PersonAuthentication(SessionAuthentication):
    """A person's session in the console."""

    def authenticate(self, request: Request) -> tuple[Any, Any] | None:
        result = super().authenticate(request)
        if result is not None:
            recognise(request, result[0])
        return result


class LocalUser:
    """The command line on the hub's own machine: whoever can read the token file in the
    data folder."""

    is_authenticated = True
    is_active = True
    username = COMMAND_LINE
    pk = 0


class NodeUser:
    """A node that showed its key: its address, and its number."""

    is_authenticated = True
    is_active = True

    def __init__(self, address: str, number: int) -> None:
        self.username, self.pk = address, number


class LocalToken:
    """The token of the command line on this machine, made afresh at each start."""

    value = ""

    @classmethod
    def fits(cls, token: str) -> bool:
        """Whether this is it."""
        return bool(cls.value) and hmac.compare_digest(cls.value.encode(), token.encode())


class TokenAuthentication(BaseAuthentication):
    """`Authorization: Bearer <token>`."""

    def authenticate(self, request: Request) -> tuple[Any, Any] | None:
        scheme, _, token = request.META.get("HTTP_AUTHORIZATION", "").partition(" ")
        if scheme.lower() != "bearer":
            return None
        if LocalToken.fits(token):
            local = LocalUser()
            recognise(request, local)
            return local, "local"
        now_ms = time.time_ns() // 1_000_000
        result = (
            AccessToken.objects.select_related("user")
            .filter(hash=hash_token(token), user__is_active=True)
            .filter(Q(ends_ms=0) | Q(ends_ms__gt=now_ms))
            .first()
        )
        if result is None and _open_to_all(request):
            return None
        if result is None:
            raise AuthenticationFailed("this token is not valid any more; sign in again")
        recognise(request, result.user)
        return result.user, result

    def authenticate_header(self, request: Request) -> str:
        return 'Bearer realm="hombi"'


def _open_to_all(request: Request) -> bool:
    """Whether a call asks nobody who they are. A client that signs in again still shows
    its old token."""
    view = request.parser_context.get("view")
    asked = view.get_permissions() if view is not None else ()
    return any(isinstance(one, AllowAny) for one in asked)


def _node(address: str, key: str) -> NodeUser | None:
    """The node that has this key."""

    def look(h: Hub) -> NodeUser | None:
        fits = h.house.fits(address, key)
        return NodeUser(address, h.house.nodes[address].id) if fits else None

    return read(look)


class NodeAuthentication(BaseAuthentication):
    """A node's address and key by HTTP Basic (RFC 7617), which every small board's HTTP
    library speaks."""

    def authenticate(self, request: Request) -> tuple[Any, Any] | None:
        scheme, _, encoded = request.META.get("HTTP_AUTHORIZATION", "").partition(" ")
        if scheme.lower() != "basic":
            return None
        try:
            address, _, key = base64.b64decode(encoded, validate=True).decode().partition(":")
        except (binascii.Error, UnicodeDecodeError) as error:
            raise AuthenticationFailed("the Basic credentials are not valid") from error
        user = _node(address, key)
        if user is None:
            raise AuthenticationFailed("no node of this name has this key")
        recognise(request, user)
        return user, "node"

    def authenticate_header(self, request: Request) -> str:
        return 'Basic realm="hombi node list"'


class NodeKeyAuthentication(BaseAuthentication):
    """A node's key alone, for an address that names the node: as a bearer token, or in
    the address of a GET."""

    def authenticate(self, request: Request) -> tuple[Any, Any] | None:
        scheme, _, key = request.META.get("HTTP_AUTHORIZATION", "").partition(" ")
        if scheme.lower() != "bearer":
            key = request.query_params.get("key", "") if request.method == "GET" else ""
        if not key:
            return None
        address = request.parser_context["kwargs"]["node"]
        user = _node(address, key)
        if user is None:
            raise AuthenticationFailed(f"this is not the key of {address}")
        recognise(request, user)
        return user, "node"

    def authenticate_header(self, request: Request) -> str:
        return 'Bearer realm="hombi node list"'
