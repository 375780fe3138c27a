"""What a node answers over HTTP, with bytes made by hand: within bounds of time and
size."""

from __future__ import annotations

import asyncio
import gzip
import json
from typing import Any

import pytest

from hombi.links.base import LinkError
from hombi.links.wifi import web
from hombi.links.wifi.origins import Guard
from hombi.links.wifi.web import Web
from hombi.links.work import Work
from tests.house import CLIMATE, description
from tests.raw_server import Answer, drips, head_of, pours, says, service

HEAD = b"HTTP/1.1 200 OK\r\nContent-Type: application/td+json\r\nConnection: close\r\n"


async def looked_at(answer: Answer) -> Any:
    nothing: Any = None
    async with service(answer) as place:
        ours = Web(nothing, nothing, Work(nothing), 10.0, Guard())
        await ours.start()
        try:
            return await ours.look(f"http://{place}/thing")
        finally:
            await ours.stop()


async def test_a_description_is_read() -> None:
    thing = json.dumps(description("Vane", **CLIMATE)).encode()
    result = await looked_at(says(HEAD + b"\r\n" + thing))
    assert result.offer.title == "Vane"


async def test_it_asks_for_what_is_not_packed_and_unpacks_nothing() -> None:
    asked: dict[str, str] = {}
    bomb = gzip.compress(b" " * 200_000_000)

    async def answer(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        asked.update(await head_of(reader))
        writer.write(HEAD + b"Content-Encoding: gzip\r\n\r\n" + bomb)
        await writer.drain()

    with pytest.raises(LinkError, match=r"over \d+ kB|is not JSON"):
        await looked_at(answer)
    assert asked["accept-encoding"] == "identity"


async def test_an_answer_without_end_is_not_gathered() -> None:
    with pytest.raises(LinkError, match=r"over \d+ kB"):
        await looked_at(pours(HEAD + b"\r\n"))


async def test_a_node_that_says_a_little_again_and_again_has_a_time_for_all_of_it(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(web, "WHOLE_S", 0.4)

    with pytest.raises(LinkError, match="did not finish its answer within"):
        await looked_at(drips(HEAD + b"\r\n"))
