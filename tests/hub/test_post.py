"""Posts over the wire, to receivers that answer with bytes made by hand."""

from __future__ import annotations

import pytest

from hombi.hub.notices import post
from hombi.hub.notices.port import DeliveryRecord, PhoneRecord
from hombi.hub.notices.post import Post
from hombi.hub.notices.sending import Fate
from tests.raw_server import Answer, drips, pours, says, service

DELIVERY = DeliveryRecord(1, 1, "post", "n-1", "Door left open", "The boathouse", "/", 7)


PACKED = b"HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\n\r\n"


@pytest.mark.parametrize(
    ("answer", "fate"),
    [
        (says(b"HTTP/1.1 204 X\r\n\r\n"), Fate.DELIVERED),
        (pours(PACKED), Fate.DELIVERED),
        (says(b"HTTP/1.1 302 X\r\nLocation: http://127.0.0.1:1/\r\n\r\n"), Fate.IMPOSSIBLE),
        (says(b"HTTP/1.1 503 X\r\nRetry-After: 99999999999\r\n\r\n"), Fate.LATER),
        (says(b"\x00\xff\r\n\r\n"), Fate.LATER),
        (says(b""), Fate.LATER),
        (drips(b"", b"H"), Fate.LATER),
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
    assert "()" not in sent.problem, "it says what is wrong"
