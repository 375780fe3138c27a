"""The live stream as Server-Sent Events: a plain asynchronous view, since DRF has
none."""

from __future__ import annotations

import contextlib
import time
import weakref
from collections.abc import AsyncGenerator, Callable

import msgspec
from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from hombi.hub.acting.events import CommandChanged, HandChanged, WishChanged
from hombi.hub.errors import Invalid
from hombi.hub.kernel import Actor, Right, allows
from hombi.hub.readings.events import ReadingTaken
from hombi.service.accounts.authentication import TokenAuthentication, recognise
from hombi.service.accounts.models import AccessToken
from hombi.service.accounts.standing import Standing
from hombi.service.accounts.who import actor_of, sees
from hombi.service.api.news import rendered
from hombi.service.api.problems import problem
from hombi.service.bridge import hub
from hombi.service.streams import RETRY_AFTER_S, streams
from hombi.wire.live import BeatNews

# A little under what the ring waits when nothing happens.
BEAT_S = 14.0


async def live(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """`GET /api/live`. With `Last-Event-ID` it goes on where it stopped; with `after`
    it begins at the position that an answer had in its header Hombi-Live."""
    # Its place is taken before the answer begins: who asks for the present state when
    # the stream is open misses nothing.
    last = request.headers.get("Last-Event-ID") or request.GET.get("after", "")
    return await streamed(
        request, lambda who: _events(last or hub().context.live.here, who), Right.LOOK
    )


async def streamed(
    request: HttpRequest,
    events: Callable[[Actor], AsyncGenerator[bytes]],
    right: Right = Right.SEE,
) -> HttpResponse | StreamingHttpResponse:
    """These events for who is signed in and may, as Server-Sent Events."""
    if request.method != "GET":
        return refused(405, "the live stream is read with GET")
    here = Standing.here
    result = await sync_to_async(_asks)(request)
    if result is None:
        return refused(401, "sign in, or send a token")
    who, token = result
    if not allows(who, right):
        return refused(403, f"{who} may not {right}")
    key = str(token.pk) if token is not None else request.session.session_key or "local"
    place = streams.take(who.name, key)
    if place is None:
        answer = refused(429, f"{who} has as many streams open as the hub allows; close one")
        answer["Retry-After"] = str(RETRY_AFTER_S)
        return answer
    try:
        told = _while_theirs(who, token, here, events(who))
    except Invalid as error:
        place.leave()
        return refused(422, str(error))
    response = StreamingHttpResponse(told, content_type="text/event-stream")
    # Django closes a response that was sent. When the client is gone before that, the
    # response is dropped without being closed.
    response._resource_closers.append(place.leave)  # type: ignore[attr-defined]
    weakref.finalize(response, place.leave)
    response["Cache-Control"] = "no-store"
    response["Content-Encoding"] = (
        "identity"  # the compressing middleware would hold the stream back
    )
    response["X-Accel-Buffering"] = "no"
    return response


async def _while_theirs(
    who: Actor, token: AccessToken | None, here: int, events: AsyncGenerator[bytes]
) -> AsyncGenerator[bytes]:
    """These events, until what they may do changes or their token ends: they ask anew
    then. A stream that tells nothing ends with its next sign of life."""
    ends_ms = token.ends_ms if token is not None else 0
    async with contextlib.aclosing(events) as pieces:
        async for piece in pieces:
            late = ends_ms and hub().context.clock.now_ms() >= ends_ms
            if late or not Standing.is_as(who.name, here):
                return
            yield piece


def refused(status: int, detail: str) -> JsonResponse:
    """No, and why."""
    return JsonResponse(
        problem(status, detail), status=status, content_type="application/problem+json"
    )


def signed_in(request: HttpRequest) -> bool:
    """Whether this is asked by somebody who has signed in."""
    return who_asks(request) is not None


def who_asks(request: HttpRequest) -> Actor | None:
    """Who asks this, outside of the framework's own views; None for a stranger."""
    result = _asks(request)
    return result[0] if result is not None else None


def _asks(request: HttpRequest) -> tuple[Actor, AccessToken | None] | None:
    """Who asks, and with which token."""
    asked = Request(request)
    try:
        result = TokenAuthentication().authenticate(asked)
    except AuthenticationFailed:
        return None
    if result is not None:
        token = result[1] if isinstance(result[1], AccessToken) else None
        return actor_of(*result), token
    if request.user.is_authenticated:
        recognise(asked, request.user)
        return actor_of(request.user), None
    return None


# What guests and walls hear of what is theirs; of all else, nothing.
_HEARD_BY_ALL = (ReadingTaken, WishChanged, HandChanged, CommandChanged)


def _heard(who: Actor, event: object) -> bool:
    """Whether an event is theirs to hear."""
    if not who.scoped:
        return True
    if not isinstance(event, _HEARD_BY_ALL):
        return False
    entity = hub().house.entities.get(event.entity)
    return entity is not None and sees(hub(), who, entity)


async def _events(last_id: str, who: Actor) -> AsyncGenerator[bytes]:
    stream = hub().context.live
    yield b"retry: 1000\n\n" + _beat()
    beat_s = time.monotonic()
    async for batch in stream.follow(last_id):
        content = b""
        if batch is not None and not batch:
            content = b"event: reset\ndata: {}\n\n"
        elif batch:
            content = b"".join(rendered(stream, e) for e in batch if _heard(who, e.event))
        if time.monotonic() - beat_s >= BEAT_S:
            beat_s, content = time.monotonic(), content + _beat()
        if content:
            yield content


def _beat() -> bytes:
    """A sign of life. It has no place in the stream: nobody resumes there."""
    news = BeatNews(now=hub().context.clock.now_ms())
    return b"event: beat\ndata: " + msgspec.json.encode(news) + b"\n\n"
