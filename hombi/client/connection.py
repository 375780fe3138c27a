"""What both clients do alike with a connection."""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable
from http.cookiejar import CookieJar, DefaultCookiePolicy
from typing import Any, TypeVar

import msgspec

from hombi.client.calls.base import Call

F = TypeVar("F", bound=Callable[..., Any])
TIMEOUT_S = 15.0
# The hub sends a sign of life every 15 s.
QUIET_S = 40.0
RETRY_S = 1.0


def request_of(call: Call[Any]) -> dict[str, Any]:
    """A call as the HTTP library takes it."""
    request: dict[str, Any] = {
        "method": call.method,
        "url": call.path,
        "params": dict(call.params),
    }
    if call.body is not None:
        request["content"] = msgspec.json.encode(call.body)
        request["headers"] = {"Content-Type": "application/json"}
    return request


def needs_tls(url: str) -> bool:
    """Whether certificates are checked. Reading all authorities takes longer than a
    whole call without TLS, which has no use for them."""
    return not url.startswith("http://")


def no_cookies() -> CookieJar:
    """Tokens say who is asking; a session's cookie beside them would only contradict
    them."""
    return CookieJar(DefaultCookiePolicy(allowed_domains=[]))


def signed(token: str | None) -> dict[str, str]:
    """The headers that say who is asking."""
    return {"Authorization": f"Bearer {token}"} if token else {}


def like(make: Callable[..., Any]) -> Callable[[F], F]:
    """Give a client's method the name, the text and the signature of the call that it
    makes."""

    def dress(method: F) -> F:
        functools.update_wrapper(method, make)
        signature = inspect.signature(make)
        client = inspect.Parameter("self", inspect.Parameter.POSITIONAL_ONLY)
        signature = signature.replace(parameters=[client, *signature.parameters.values()])
        method.__signature__ = signature  # type: ignore[attr-defined]
        return method

    return dress
