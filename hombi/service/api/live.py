"""The live stream as Server-Sent Events: a plain asynchronous view, since DRF has
none."""

from __future__ import annotations

import time
from collections.abc import AsyncIterator, Callable

import msgspec
from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from hombi.hub.errors import Invalid
from hombi.service.accounts.authentication import TokenAuthentication, recognise
from hombi.service.api.news import rendered
from hombi.service.api.problems import problem
from hombi.service.bridge import hub
from hombi.wire.live import BeatNews

# A little under what the ring waits when nothing happens.
BEAT_S = 14.0


async def live(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """`GET /api/live`. With `Last-Event-ID` it goes on where it stopped; with `after`
    it begins at the position that an answer had in its header Hombi-Live."""
    # Its place is taken before the answer begins: who asks for the present state when
    # the stream is open misses nothing.
    last = request.headers.get("Last-Event-ID") or request.GET.get("after", "")
    return await streamed(request, lambda: _events(last or hub().context.live.here))


async def streamed(
    request: HttpRequest, events: Callable[[], AsyncIterator[bytes]]
) -> HttpResponse | StreamingHttpResponse:
    """These events for who is signed in, as Server-Sent Events."""
    if request.method != "GET":
        return refused(405, "the live stream is read with GET")
    if not await sync_to_async(signed_in)(request):
        return refused(401, "sign in, or send a token")
    try:
        response = StreamingHttpResponse(events(), content_type="text/event-stream")
    except Invalid as error:
        return refused(422, str(error))
    response["Cache-Control"] = "no-store"
    response["Content-Encoding"] = (
        "identity"  # the compressing middleware would hold the stream back
    )
    response["X-Accel-Buffering"] = "no"
    return response


def refused(status: int, detail: str) -> JsonResponse:
    """No, and why."""
    return JsonResponse(
        problem(status, detail), status=status, content_type="application/problem+json"
    )


def signed_in(request: HttpRequest) -> bool:
    """Whether this is asked by somebody who has signed in."""
    asked = Request(request)
    try:
        if TokenAuthentication().authenticate(asked) is not None:
            return True
    except AuthenticationFailed:
        return False
    if request.user.is_authenticated:
        recognise(asked)
        return True
    return False


async def _events(last_id: str) -> AsyncIterator[bytes]:
    stream = hub().context.live
    yield b"retry: 1000\n\n" + _beat()
    beat_s = time.monotonic()
    async for batch in stream.follow(last_id):
        told = b""
        if batch is not None and not batch:
            told = b"event: reset\ndata: {}\n\n"
        elif batch:
            told = b"".join(rendered(stream, event) for event in batch)
        if time.monotonic() - beat_s >= BEAT_S:
            beat_s, told = time.monotonic(), told + _beat()
        if told:
            yield told


def _beat() -> bytes:
    """A sign of life. It has no place in the stream: nobody resumes there."""
    news = BeatNews(now=hub().context.clock.now_ms())
    return b"event: beat\ndata: " + msgspec.json.encode(news) + b"\n\n"
