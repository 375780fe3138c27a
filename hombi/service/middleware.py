"""What every answer carries: a strict content policy for the console."""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from typing import Any

from asgiref.sync import iscoroutinefunction
from django.http import HttpRequest, HttpResponse
from django.utils.decorators import sync_and_async_middleware

from hombi.service import cookies
from hombi.service.addresses import directly, secure_origin

_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'; connect-src 'self'"
)
_A_YEAR_S = 31_536_000


def _mark(request: HttpRequest, response: HttpResponse) -> HttpResponse:
    # A page in the clear may see whether this device takes the hub's certificate.
    also = "" if request.is_secure() else f" {secure_origin(request, here=True)}"
    response["Content-Security-Policy"] = _POLICY + also
    response["X-Content-Type-Options"] = "nosniff"
    response["Referrer-Policy"] = "same-origin"
    if request.is_secure() and not directly(request):
        # Behind a proxy, who was reached over HTTPS once is not spoken to in the clear
        # again. The rule holds for all ports of a name (RFC 6797, 8.3): on the hub's
        # own, it would shut HTTP, which nodes use.
        response["Strict-Transport-Security"] = f"max-age={_A_YEAR_S}"
    cookies.sent(request, response)
    return response


@sync_and_async_middleware
def policy(get_response: Callable[[HttpRequest], Any]) -> Callable[[HttpRequest], Any]:
    """Put the policy on every answer."""
    if iscoroutinefunction(get_response):

        async def asynchronous(request: HttpRequest) -> HttpResponse:
            cookies.received(request)
            answer: Coroutine[Any, Any, HttpResponse] = get_response(request)
            return _mark(request, await answer)

        return asynchronous

    def plain(request: HttpRequest) -> HttpResponse:
        cookies.received(request)
        return _mark(request, get_response(request))

    return plain
