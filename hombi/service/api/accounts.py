"""Claiming the hub, signing in and out, and tokens for programs."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.models import User
from django.middleware.csrf import get_token
from drf_spectacular.utils import extend_schema
from rest_framework import serializers as s
from rest_framework.exceptions import AuthenticationFailed, PermissionDenied
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.hub.errors import NotFound, Refused
from hombi.service.accounts.authentication import LocalUser
from hombi.service.accounts.claim import Claim, claim, claimed
from hombi.service.accounts.models import AccessToken, fresh_token, hash_token
from hombi.service.api.shapes import Shape, checked
from hombi.service.bridge import call_plain, hub
from hombi.service.throttles import AddressThrottle


class ClaimedShape(Shape):
    """Whether the hub has an owner."""

    claimed = s.BooleanField()


class ClaimCodeShape(Shape):
    """The code with which a person makes the hub theirs."""

    code = s.CharField()


class ClaimRequest(Shape):
    """The code that the hub printed, and the account to make."""

    code = s.CharField()
    username = s.CharField(max_length=150)
    password = s.CharField(max_length=200)


class SignInRequest(Shape):
    """A name and a password."""

    username = s.CharField()
    password = s.CharField()


class TokenRequest(SignInRequest):
    """And a name for the program that the token is for."""

    name = s.CharField(max_length=80, default="command line")


class PersonShape(Shape):
    """Who is signed in."""

    username = s.CharField()


class TokenShape(Shape):
    """A token, shown this once."""

    token = s.CharField()
    username = s.CharField()


def _person(request: Request) -> dict[str, str]:
    return {"username": request.user.username}


def _sign_in(request: Request, given: dict[str, Any]) -> User:
    user = authenticate(request._request, username=given["username"], password=given["password"])
    if user is None:
        raise AuthenticationFailed("this name and password do not go together")
    assert isinstance(user, User)
    return user


class ClaimView(APIView):
    """The owner's account, before there is one."""

    permission_classes = (AllowAny,)
    throttle_classes = (AddressThrottle,)

    def get_throttles(self) -> list[Any]:
        self.throttle_scope = "sign-in"
        return super().get_throttles() if self.request.method == "POST" else []

    @extend_schema(responses=ClaimedShape, auth=[])
    def get(self, request: Request) -> Response:
        """Whether the hub has an owner."""
        get_token(request._request)
        return Response({"claimed": claimed()})

    @extend_schema(request=ClaimRequest, responses={201: PersonShape}, auth=[])
    def post(self, request: Request) -> Response:
        """Make the owner's account, and sign in."""
        user = claim(**checked(request, ClaimRequest))
        call_plain(hub().house.people.add, user.username)
        login(request._request, user)
        return Response({"username": user.username}, status=201)


class ClaimCodeView(APIView):
    """The code for claiming the hub."""

    @extend_schema(operation_id="claim_code", request=None, responses={201: ClaimCodeShape})
    def post(self, request: Request) -> Response:
        """For the command line on the hub's own machine: a new code; the one before is
        void."""
        if not isinstance(request.user, LocalUser):
            raise PermissionDenied("only the hub's own machine makes a new code")
        code = Claim.prepare()
        if not code:
            raise Refused("this hub has an owner already; sign in")
        return Response({"code": code}, status=201)


class SessionView(APIView):
    """The console's session."""

    throttle_scope = "sign-in"

    def get_permissions(self) -> Any:
        return [AllowAny()] if self.request.method == "POST" else super().get_permissions()

    def get_throttles(self) -> list[Any]:
        return [AddressThrottle()] if self.request.method == "POST" else []

    @extend_schema(responses=PersonShape)
    def get(self, request: Request) -> Response:
        """Who is signed in."""
        get_token(request._request)
        return Response(_person(request))

    @extend_schema(request=SignInRequest, responses=PersonShape, auth=[])
    def post(self, request: Request) -> Response:
        """Sign in."""
        user = _sign_in(request, checked(request, SignInRequest))
        login(request._request, user)
        return Response({"username": user.username})

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        """Sign out."""
        logout(request._request)
        return Response(status=204)


class KnownTokenShape(Shape):
    """A token that was given to a program; the token itself is not kept."""

    id = s.IntegerField()
    name = s.CharField()
    username = s.CharField()
    made_at = s.IntegerField()
    this_one = s.BooleanField(help_text="whether this request came with it")


class TokensView(APIView):
    """Tokens for programs."""

    throttle_scope = "sign-in"

    def get_permissions(self) -> Any:
        return [AllowAny()] if self.request.method == "POST" else super().get_permissions()

    def get_throttles(self) -> list[Any]:
        return [AddressThrottle()] if self.request.method == "POST" else []

    @extend_schema(responses=KnownTokenShape(many=True))
    def get(self, request: Request) -> Response:
        """The programs that are signed in, newest first."""
        found = AccessToken.objects.select_related("user").order_by("-created_at")
        return Response(
            [
                {
                    "id": token.pk,
                    "name": token.name,
                    "username": token.user.username,
                    "made_at": round(token.created_at.timestamp() * 1000),
                    "this_one": request.auth == token,
                }
                for token in found
            ]
        )

    @extend_schema(request=TokenRequest, responses={201: TokenShape}, auth=[])
    def post(self, request: Request) -> Response:
        """Sign a program in."""
        given = checked(request, TokenRequest)
        user = _sign_in(request, given)
        token = fresh_token()
        AccessToken.objects.create(user=user, name=given["name"], hash=hash_token(token))
        return Response({"token": token, "username": user.username}, status=201)

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        """Make the token that this request was sent with void."""
        if isinstance(request.auth, AccessToken):
            request.auth.delete()
        return Response(status=204)


class KnownTokenView(APIView):
    """One token."""

    @extend_schema(operation_id="token_revoke", responses={204: None})
    def delete(self, request: Request, token: int) -> Response:
        """Make it void: the program that has it must sign in again."""
        if not AccessToken.objects.filter(pk=token).delete()[0]:
            raise NotFound(f"no token {token}")
        return Response(status=204)
