"""A node's stream of events (text/event-stream), within bounds: so many bytes until an
event ends, and so many events a second; others have their turn after each."""

from __future__ import annotations

import asyncio
import re
import time
from collections.abc import AsyncIterator

import httpx
import httpx_sse

from hombi.links.base import LinkError
from hombi.links.pace import Pace, cost_of

MAX_EVENT = 256 * 1024
# Two ends of a line, whichever of \r, \n and \r\n they are.
_ENDS = re.compile(rb"\n\n|\n\r|\r\r")


class TooMuch(LinkError):
    """An event is too long, or has no end."""


async def bounded(answer: httpx.Response, pace: Pace) -> AsyncIterator[str]:
    """What each event says, as fast as its sender's pace allows: beyond it, it is read
    more slowly. Raises TooMuch, httpx.HTTPError and httpx_sse.SSEError."""
    # Without what it says of packing: it was asked for what is not packed.
    plain = {"content-type": answer.headers.get("content-type", "")}
    measured = httpx.Response(answer.status_code, headers=plain, stream=_Measured(answer))
    async for event in httpx_sse.EventSource(measured).aiter_sse():
        yield event.data
        cost = cost_of(len(event.data))
        await asyncio.sleep(0)
        pace.fill(time.monotonic())
        while not pace.take(cost):
            await asyncio.sleep(pace.wait_s(cost))
            pace.fill(time.monotonic())


class _Measured(httpx.AsyncByteStream):
    """The bytes of an answer, until an event in it is too long."""

    def __init__(self, answer: httpx.Response) -> None:
        self._answer = answer

    async def __aiter__(self) -> AsyncIterator[bytes]:
        length, last = 0, b""
        async for part in self._answer.aiter_raw():
            # A line and the blank line after it may come apart.
            ends = [one.end() for one in _ENDS.finditer(last + part)]
            length = len(last + part) - ends[-1] if ends else length + len(part)
            last = part[-1:]
            if length > MAX_EVENT:
                raise TooMuch(f"it sent an event of more than {MAX_EVENT // 1024} kB")
            yield part
