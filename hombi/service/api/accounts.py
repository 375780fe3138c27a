"""The first sign-in, signing in and out, and tokens for programs."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import authenticate, logout
from django.contrib.auth.models import User
from django.middleware.csrf import get_token
from rest_framework.exceptions import AuthenticationFailed, PermissionDenied
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.hub.errors import Refused
from hombi.hub.kernel import STRANGER, Limit, Right, Role
from hombi.service.accounts import browsers, second
from hombi.service.accounts.authentication import LocalUser
from hombi.service.accounts.changes import MakeToken, RevokeToken, SignInFirst
from hombi.service.accounts.first_sign_in import FirstSignIn, owned
from hombi.service.accounts.models import AccessToken
from hombi.service.accounts.who import actor_of
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, done
from hombi.service.bridge import change, written
from hombi.service.throttles import AddressThrottle
from hombi.wire.people import (
    FirstCode,
    FirstSignInRequest,
    KnownBrowser,
    KnownToken,
    Owned,
    SignedIn,
    SignInRequest,
    Token,
    TokenRequest,
)

# The console and the command line ask for the code when they are told this.
CODE_WANTED = "give the code of your second factor, too"


def _sign_in(request: Request, payload: SignInRequest) -> User:
    user = authenticate(request._request, username=payload.username, password=payload.password)
    if user is None:
        raise AuthenticationFailed("wrong name or password")
    assert isinstance(user, User)
    if second.wanted(user):
        if not payload.code:
            raise AuthenticationFailed(CODE_WANTED)
        if not second.fits(user, payload.code):
            raise AuthenticationFailed("this code does not fit, or was used")
    return user


class _SignInView(View):
    """A view whose POST anybody may use, but not often."""

    throttle_scope = "sign-in"

    def get_permissions(self) -> Any:
        return [AllowAny()] if self.request.method == "POST" else super().get_permissions()

    def get_throttles(self) -> list[Any]:
        return [AddressThrottle()] if self.request.method == "POST" else []


class FirstSignInView(_SignInView):
    """The owner's account, before there is one."""

    permission_classes = (AllowAny,)

    @operation(gives=Owned, open_to_all=True)
    def get(self, request: Request) -> Response:
        """Whether the hub has an owner."""
        get_token(request._request)
        return Response(Owned(owned=owned()))

    @operation(takes=FirstSignInRequest, gives=SignedIn, status=201, open_to_all=True)
    def post(self, request: Request) -> Response:
        """Make the owner's account, and sign in."""
        payload = body(request, FirstSignInRequest)
        wanted = SignInFirst(payload.code, payload.username, payload.password)
        user = change(STRANGER, wanted, lambda _, made: made)
        browsers.sign_in(request._request, user)
        return Response(signed_in(user), status=201)


class FirstCodeView(View):
    """The code for the first sign-in."""

    @operation(name="first_code", gives=FirstCode, status=201)
    def post(self, request: Request) -> Response:
        """For the command line on the hub's own machine: a new code; the one before is
        void."""
        if not isinstance(request.user, LocalUser):
            raise PermissionDenied("only the hub's own machine makes a new code")
        code = FirstSignIn.prepare()
        if not code:
            raise Refused("this hub has an owner already; sign in")
        return Response(FirstCode(code=code), status=201)


def signed_in(user: Any, auth: Any = None) -> SignedIn:
    """Who somebody is, for themselves."""
    who = actor_of(user, auth)
    return SignedIn(
        username=who.name,
        role=who.role.value,
        rooms=sorted(who.rooms),
        dashboard=who.dashboard,
        second=isinstance(user, User) and second.wanted(user),
    )


class SessionView(_SignInView):
    """The console's session."""

    reads = does = Right.LOOK

    @operation(gives=SignedIn)
    def get(self, request: Request) -> Response:
        """Who is signed in."""
        get_token(request._request)
        return Response(signed_in(request.user, request.auth))

    @operation(takes=SignInRequest, gives=SignedIn, open_to_all=True)
    def post(self, request: Request) -> Response:
        """Sign in."""
        payload = body(request, SignInRequest)
        user = _sign_in(request, payload)
        browsers.sign_in(request._request, user)
        return Response(signed_in(user))

    @operation()
    def delete(self, request: Request) -> Response:
        """Sign out."""
        written(logout, request._request)
        return Response(status=204)


class TokensView(_SignInView):
    """Tokens for programs."""

    reads = does = Right.SIGN

    @operation(gives=list[KnownToken])
    def get(self, request: Request) -> Response:
        """The programs that are signed in, newest first: an owner sees all, others
        their own."""
        result = AccessToken.objects.select_related("user").order_by("-created_at")
        who = actor(request)
        if who.role is not Role.OWNER:
            result = result.filter(user__username=who.name)
        return Response(
            [
                KnownToken(
                    id=token.pk,
                    name=token.name,
                    username=token.user.username,
                    made_at=round(token.created_at.timestamp() * 1000),
                    limit=token.limit,  # type: ignore[arg-type]
                    ends_at=token.ends_ms or None,
                    this_one=request.auth == token,
                )
                for token in result
            ]
        )

    @operation(takes=TokenRequest, gives=Token, status=201, open_to_all=True)
    def post(self, request: Request) -> Response:
        """Sign a program in."""
        payload = body(request, TokenRequest)
        user = _sign_in(request, payload)
        wanted = MakeToken(user, payload.name, Limit(payload.limit), payload.days)
        token = change(actor_of(user), wanted, lambda _, made: made)
        return Response(Token(token=token, username=user.username), status=201)

    @operation()
    def delete(self, request: Request) -> Response:
        """Make the token that this request was sent with void."""
        if isinstance(request.auth, AccessToken):
            return done(request, RevokeToken(request.auth.pk))
        return Response(status=204)


class KnownTokenView(View):
    """One token."""

    does = Right.SIGN

    @operation(name="token_revoke")
    def delete(self, request: Request, token: int) -> Response:
        """Make it void: the program that has it must sign in again."""
        return done(request, RevokeToken(token))


class BrowsersView(View):
    """Browsers."""

    reads = Right.SIGN

    @operation(name="browsers_list", gives=list[KnownBrowser])
    def get(self, request: Request) -> Response:
        """The browsers that are signed in, newest first: an owner sees all, others
        their own."""
        here = browsers.browser_of(request._request)
        return Response(
            [
                KnownBrowser(
                    id=browser.id,
                    name=browser.name,
                    username=browser.person,
                    since=browser.since_ms or None,
                    this_one=browser.id == here,
                )
                for browser in browsers.browsers(actor(request))
            ]
        )


class KnownBrowserView(View):
    """One browser."""

    does = Right.SIGN

    @operation(name="browsers_end")
    def delete(self, request: Request, browser: str) -> Response:
        """Sign it out: what it shows ends, and it must sign in again."""
        return done(request, browsers.SignBrowserOut(browser))
