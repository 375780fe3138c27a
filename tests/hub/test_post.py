"""Posts over the wire, to receivers that answer with bytes made by hand."""

from __future__ import annotations

import asyncio

import pytest

from hombi.hub.notices import post
from hombi.hub.notices.post import Post
from hombi.hub.notices.sending import Fate
from hombi.hub.ports import DeliveryRecord, PhoneRecord
from tests.raw_server import Answer, head_of, says, service

DELIVERY = DeliveryRecord(1, 1, "post", "n-1", "Door left open", "The boathouse", "/", 7)


async def drip(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    await head_of(reader)
    while True:
        writer.write(b"H")
        await asyncio.sleep(0.05)


async def pour(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    await head_of(reader)
    writer.write(b"HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\n\r\n")
    while True:
        writer.write(b"x" * 65_536)
        await writer.drain()


@pytest.mark.parametrize(
    ("answer", "fate"),
    [
        (says(b"HTTP/1.1 204 X\r\n\r\n"), Fate.DELIVERED),
        (pour, Fate.DELIVERED),
        (says(b"HTTP/1.1 302 X\r\nLocation: http://127.0.0.1:1/\r\n\r\n"), Fate.IMPOSSIBLE),
        (says(b"HTTP/1.1 503 X\r\nRetry-After: 99999999999\r\n\r\n"), Fate.LATER),
        (says(b"\x00\xff\r\n\r\n"), Fate.LATER),
        (says(b""), Fate.LATER),
        (drip, Fate.LATER),
    ],
)
async def test_whatever_a_receiver_answers_is_a_fate(
    answer: Answer, fate: Fate, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(post, "WHOLE_S", 0.5)
    async with service(answer) as place:
        way = PhoneRecord(1, "post", "ada", f"http://{place}/", "", "secret", 0, sort="post")
        sent = await Post().send(way, DELIVERY)
    assert sent.fate is fate, sent
    assert sent.wait_s <= 3600
