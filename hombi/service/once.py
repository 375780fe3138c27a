"""A change that is sent twice is made once: a second press, or a request that a browser
repeats, gets the first one's answer.

The sender names its wish in the header `Idempotency-Key` (IETF draft of that name). A
name counts for one session or token, one method, one address and one body, for ten
minutes.
"""

from __future__ import annotations

import asyncio
import hashlib
import time
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

from asgiref.sync import iscoroutinefunction, sync_to_async
from django.core.exceptions import RequestDataTooBig
from django.http import HttpRequest, HttpResponse
from django.utils.decorators import sync_and_async_middleware

HEADER = "Idempotency-Key"
KEPT_S = 600.0
MOST_KEPT = 500
MOST_BYTES = 64 * 1024
MOST_KEY = 100

_Answer = asyncio.Future[HttpResponse | None]
_answers: OrderedDict[str, tuple[float, _Answer]] = OrderedDict()


@sync_and_async_middleware
def once(get_response: Callable[[HttpRequest], Any]) -> Callable[[HttpRequest], Any]:
    """Give the same wish the same answer. Only the hub's own server is asynchronous; a
    test's plain client has no second press."""
    if not iscoroutinefunction(get_response):
        return get_response

    async def asynchronous(request: HttpRequest) -> HttpResponse:
        name = _name(request)
        if not name:
            answer: HttpResponse = await get_response(request)
            return answer
        _forget_old()
        # When the first one fails, one of those that wait tries; the rest wait on.
        while (known := _answers.get(name)) is not None:
            first = await asyncio.shield(known[1])
            if first is not None:
                if not await sync_to_async(_is_known)(request):
                    # Their token was revoked since, or they were signed out.
                    refused: HttpResponse = await get_response(request)
                    return refused
                return _copy(first)
        made: _Answer = asyncio.get_running_loop().create_future()
        _answers[name] = (time.monotonic(), made)
        kept: HttpResponse | None = None
        try:
            answer = await get_response(request)
            # What failed may be tried again under the same name.
            if answer.status_code < 400 and len(answer.content) <= MOST_BYTES:
                kept = answer
            return answer
        finally:
            if kept is None:
                _answers.pop(name, None)
            made.set_result(kept)

    return asynchronous


def _is_known(request: HttpRequest) -> bool:
    from hombi.service.api.live import who_asks  # noqa: PLC0415 - the apps must be ready first

    return who_asks(request) is not None


def _name(request: HttpRequest) -> str:
    key = request.headers.get(HEADER, "")
    if request.method in ("GET", "HEAD", "OPTIONS") or not 0 < len(key) <= MOST_KEY:
        return ""
    who = request.headers.get("Authorization", "") + "\0" + request.headers.get("Cookie", "")
    if who == "\0":
        # A stranger who hits upon a name must not get the answer to somebody's sign-in.
        return ""
    try:
        what = hashlib.sha256(request.body)
    except RequestDataTooBig:
        return ""  # it is refused, and need not be remembered
    what.update(who.encode())
    return "\0".join((key, request.method or "", request.path, what.hexdigest()))


def _forget_old() -> None:
    """Oldest first. One that hangs stays, and keeps none of the others."""
    now, spare = time.monotonic(), len(_answers) - MOST_KEPT
    for name, (at_s, made) in list(_answers.items()):
        if now - at_s < KEPT_S and spare < 0:
            return
        if made.done():
            del _answers[name]
            spare -= 1


def _copy(first: HttpResponse) -> HttpResponse:
    answer = HttpResponse(first.content, status=first.status_code)
    for name, value in first.items():
        answer[name] = value
    return answer
