"""The ASGI application: Django, behind a look at what it is sent and to whom."""

from __future__ import annotations

import io
import re
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

import django
import msgspec
from asgiref.sync import sync_to_async
from django.core.handlers.asgi import ASGIHandler, ASGIRequest
from django.http import HttpRequest, HttpResponse

from hombi.hub.kernel import Right, allows
from hombi.service import cookies
from hombi.service.api.problems import problem
from hombi.service.names import why_not

# A node's whole buffer in one pack is a few hundred kilobytes; what people and arrivals
# send is small.
MAX_PACK = 1024 * 1024
MAX_BODY = 256 * 1024
# A sensor's past in a file, from who has signed in.
MAX_FILE = 64 * 1024 * 1024
INTAKE = "/api/intake"
# The one call that takes a file.
FILES = re.compile(r"/api/entities/[^/]+/[^/]+/imports")
# So many of them may come at once: each is kept on the disk while it comes.
FILES_AT_ONCE = 3
STREAMS = frozenset({"/api/live", "/api/messages/live"})
Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[Any, Any, Any], Awaitable[None]]


class TooLarge(Exception):
    """A body went over the bound while it was read."""


async def refuse(send: Send, status: int, detail: str) -> None:
    """Answer with a problem, and end the connection."""
    headers = [(b"content-type", b"application/problem+json"), (b"connection", b"close")]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": msgspec.json.encode(problem(status, detail))})


async def limit_of(scope: MutableMapping[str, Any]) -> int:
    """How large a body may be. Only who may import a past may send a large file: it is
    kept on the disk while it comes."""
    path = scope["path"]
    if path == INTAKE:
        return MAX_PACK
    file = scope["method"] == "POST" and FILES.fullmatch(path) is not None
    if file and await sync_to_async(_may_import)(ASGIRequest(scope, io.BytesIO())):
        return MAX_FILE
    return MAX_BODY


def _may_import(request: ASGIRequest) -> bool:
    """Whether somebody who may import a past sends this, by session or token."""
    cookies.received(request)
    SessionMiddleware(_nothing).process_request(request)
    AuthenticationMiddleware(_nothing).process_request(request)
    who = who_asks(request)
    return who is not None and allows(who, Right.TUNE)


def _nothing(_: HttpRequest) -> HttpResponse:
    return HttpResponse()


class _Files:
    """How many large files are on their way in."""

    coming = 0


def guarded(app: App) -> App:
    """Refuse foreign names and large bodies: Django would first gather all of one,
    whoever sends it."""

    async def wrapped(scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        if why := why_not(scope):
            await refuse(send, 421 if "not called" in why else 400, why)
            return
        limit = await limit_of(scope)
        too_large = f"a body is at most {limit // 1024} kB here; send several packs"
        length = dict(scope.get("headers", ())).get(b"content-length", b"0")
        if length.isdigit() and int(length) > limit:
            await refuse(send, 413, too_large)
            return
        large = limit == MAX_FILE
        if large and _Files.coming >= FILES_AT_ONCE:
            await refuse(send, 503, "other files are being imported; try again in a moment")
            return
        _Files.coming += large
        try:
            await bounded(scope, receive, send, limit, too_large)
        finally:
            _Files.coming -= large

    async def bounded(
        scope: MutableMapping[str, Any], receive: Receive, send: Send, limit: int, too_large: str
    ) -> None:
        seen = 0

        async def counted() -> Message:
            nonlocal seen
            message = await receive()
            seen += len(message.get("body", b""))
            if seen > limit:
                raise TooLarge
            return message

        try:
            await app(scope, counted, send)
        except TooLarge:
            await refuse(send, 413, too_large)

    return wrapped


class _Handler(ASGIHandler):
    """Django's handler, without a thread of its own for each stream. Django gives every
    request a thread for what is not asynchronous, for as long as the request lasts: 280
    kB a stream. Streams share a single thread, which they need only to sign in."""

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["path"] in STREAMS:
            await self.handle(scope, receive, send)
        else:
            await super().__call__(scope, receive, send)


django.setup(set_prefix=False)
_django = _Handler()

# Django must be set up first.
from django.contrib.auth.middleware import AuthenticationMiddleware  # noqa: E402
from django.contrib.sessions.middleware import SessionMiddleware  # noqa: E402

from hombi.service.api.live import who_asks  # noqa: E402

application = guarded(_django)
