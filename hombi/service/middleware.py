"""What every answer carries: a strict content policy for the console."""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from typing import Any

from asgiref.sync import iscoroutinefunction
from django.http import HttpRequest, HttpResponse
from django.utils.decorators import sync_and_async_middleware

_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; "
    "frame-ancestors 'none'; base-uri 'none'"
)
_A_YEAR_S = 31_536_000


def _mark(request: HttpRequest, response: HttpResponse) -> HttpResponse:
    response["Content-Security-Policy"] = _POLICY
    response["X-Content-Type-Options"] = "nosniff"
    response["Referrer-Policy"] = "same-origin"
    if request.is_secure():
        # Who was reached over HTTPS once is not spoken to in the clear again, nor are
        # its cookies sent so.
        response["Strict-Transport-Security"] = f"max-age={_A_YEAR_S}"
        for cookie in response.cookies.values():
            cookie["secure"] = True
    return response


@sync_and_async_middleware
def policy(get_response: Callable[[HttpRequest], Any]) -> Callable[[HttpRequest], Any]:
    """Put the policy on every answer."""
    if iscoroutinefunction(get_response):

        async def asynchronous(request: HttpRequest) -> HttpResponse:
            answer: Coroutine[Any, Any, HttpResponse] = get_response(request)
            return _mark(request, await answer)

        return asynchronous

    def plain(request: HttpRequest) -> HttpResponse:
        return _mark(request, get_response(request))

    return plain
