"""The ASGI application: Django, behind a bound on what it is sent."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

import msgspec
from django.core.asgi import get_asgi_application

from hombi.service.api.problems import problem

# A node's whole buffer in one pack is a few hundred kilobytes.
MAX_BODY = 8 * 1024 * 1024
Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[Any, Any, Any], Awaitable[None]]


class TooLarge(Exception):
    """A body went over the bound while it was read."""


def bounded(app: App, limit: int = MAX_BODY) -> App:
    """Refuse larger bodies: Django would first gather all of one, whoever sends it."""

    async def refuse(send: Send) -> None:
        body = msgspec.json.encode(problem(413, f"a body is at most {limit // 1024 // 1024} MB; send several packs"))
        headers = [(b"content-type", b"application/problem+json"), (b"connection", b"close")]
        await send({"type": "http.response.start", "status": 413, "headers": headers})
        await send({"type": "http.response.body", "body": body})

    async def wrapped(scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        length = dict(scope.get("headers", ())).get(b"content-length", b"0")
        if length.isdigit() and int(length) > limit:
            await refuse(send)
            return
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
            await refuse(send)

    return wrapped


application = bounded(get_asgi_application())
