"""A node's stream of events, with bytes made by hand."""

from __future__ import annotations

import asyncio
import contextlib
import gzip
import time

import httpx
import httpx_sse
import pytest

from hombi.links.pace import Pace
from hombi.links.wifi.event_stream import MAX_EVENT, TooMuch, bounded
from tests.raw_server import Answer, head_of, service

HEAD = b"HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\n"


def streams(*parts: bytes, head: bytes = HEAD, endless: bool = False) -> Answer:
    async def answer(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await head_of(reader)
        writer.write(head + b"Connection: close\r\n\r\n")
        while True:
            for part in parts:
                writer.write(part)
                await writer.drain()
            if not endless:
                return

    return answer


async def heard(answer: Answer, pace: Pace | None = None, most: int = 10**9) -> list[str]:
    said: list[str] = []
    async with (
        service(answer) as place,
        httpx.AsyncClient() as http,
        http.stream("GET", f"http://{place}/") as response,
        contextlib.aclosing(bounded(response, pace or Pace())) as events,
    ):
        async for event in events:
            said.append(event)
            if len(said) == most:
                break
    return said


async def test_events_come_whole_however_they_are_cut_and_ended() -> None:
    stream = b"data: 1\n\n: still here\n\ndata: 2\r\n\r\nevent: x\rdata: 3\rdata: 4\r\r"
    for size in (1, 2, 3, 7, 1000):
        parts = [stream[at : at + size] for at in range(0, len(stream), size)]
        assert await heard(streams(*parts)) == ["1", "2", "3\n4"]


@pytest.mark.parametrize("part", [b"x" * 65_536, b"data: " + b"x" * 1000 + b"\n", b":\n" * 1000])
async def test_an_event_without_end_is_not_gathered(part: bytes) -> None:
    with pytest.raises(TooMuch, match="an event of more than 256 kB"):
        await heard(streams(part, endless=True))


async def test_a_long_stream_of_small_events_is_no_long_event() -> None:
    count = 3 * MAX_EVENT // 1000
    many = [b"data: " + b"x" * 1000 + b"\n\n"] * count
    assert len(await heard(streams(*many))) == count


@pytest.mark.parametrize("end", [b"\n", b"\r", b"\r\n"])
async def test_a_line_and_its_blank_line_may_come_apart(end: bytes) -> None:
    count = 3 * MAX_EVENT // 1000

    async def answer(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await head_of(reader)
        writer.write(HEAD + b"Connection: close\r\n\r\n")
        for _ in range(count):
            for part in (b"data: " + b"x" * 1000 + end, end):
                writer.write(part)
                await writer.drain()
                await asyncio.sleep(0)

    assert len(await heard(answer)) == count


async def test_a_flood_is_read_more_slowly_and_others_have_their_turn() -> None:
    turns = 0

    async def others() -> None:
        nonlocal turns
        while True:
            turns += 1
            await asyncio.sleep(0)

    other, began = asyncio.create_task(others()), time.monotonic()
    pace = Pace(rate=200.0, burst=100.0)
    said = await heard(streams(b"data: 1\n\n" * 1000, endless=True), pace, most=200)
    other.cancel()
    assert len(said) == 200
    assert time.monotonic() - began > 0.4, "a hundred at once, then two hundred a second"
    assert turns >= 200


async def test_what_is_packed_although_nobody_asked_for_it_is_not_unpacked() -> None:
    bomb = gzip.compress(b"data: " + b"x" * 50_000_000 + b"\n\n")
    packed = HEAD + b"Content-Encoding: gzip\r\n"
    assert all("xxxx" not in one for one in await heard(streams(bomb, head=packed)))


async def test_what_is_no_stream_of_events_is_refused() -> None:
    with pytest.raises(httpx_sse.SSEError):
        await heard(streams(b"{}", head=b"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n"))
