"""The live stream over HTTP."""

from __future__ import annotations

import asyncio
import contextlib
import threading
import time
from collections.abc import Iterator

import httpx

from hombi.client import AsyncHub, HubUnreachable, LiveEvent
from hombi.wire.live import PairingNews, ReadingNews
from tests.house import Joined, Service, until


class Ear(threading.Thread):
    """Listens to the stream through the client, in the background."""

    def __init__(self, service: Service) -> None:
        super().__init__(daemon=True)
        self.service, self.heard = service, list[LiveEvent]()
        self.hub = service.hub()
        self.start()
        time.sleep(1.0)

    def run(self) -> None:
        with contextlib.suppress(HubUnreachable):  # the hub of the test is gone for good
            for event in self.hub.live():
                self.heard.append(event)

    def of(self, kind: str) -> list[LiveEvent]:
        return [event for event in self.heard if event.kind == kind]


def test_a_reading_is_on_the_stream_at_once(service: Service, rack: Joined) -> None:
    ear = Ear(service)
    rack.post([{"n": "humidity", "v": 64.25}])
    until(lambda: ear.of("reading"))
    (event,) = ear.of("reading")
    assert isinstance(event.news, ReadingNews)
    assert event.news.entity == "cellar-rack/humidity"
    assert (event.news.value, event.news.quality) == (64.25, "good")


def test_pairing_arrivals_and_the_journal_are_on_the_stream(service: Service) -> None:
    ear = Ear(service)
    with service.hub() as hub:
        hub.pairing.open("20 s")
        hub.pairing.close()
    until(lambda: len(ear.of("pairing")) == 2 and len(ear.of("journal")) >= 2)
    news = [e.news for e in ear.of("pairing") if isinstance(e.news, PairingNews)]
    assert [one.until > 0 for one in news] == [True, False]


def test_it_resumes_with_last_event_id(service: Service, rack: Joined) -> None:
    ear = Ear(service)
    rack.post([{"n": "humidity", "v": 50}])
    first = until(lambda: ear.of("reading"))[0]
    for value in (51, 52, 53):
        rack.post([{"n": "humidity", "v": value}])
    headers = {"Authorization": f"Bearer {service.token}", "Last-Event-ID": first.id}
    with httpx.stream("GET", f"{service.url}/api/live", headers=headers) as response:
        assert response.headers["content-type"] == "text/event-stream"
        text = ""
        for chunk in response.iter_text():
            text += chunk
            if text.count("event: reading") >= 3:
                break
    assert [f'"value":{v}.0' in text for v in (50, 51, 52, 53)] == [False, True, True, True]


def test_an_id_of_another_run_gets_a_reset(service: Service) -> None:
    headers = {"Authorization": f"Bearer {service.token}", "Last-Event-ID": "deadbeef-17"}
    with httpx.stream("GET", f"{service.url}/api/live", headers=headers) as response:
        text = ""
        for chunk in response.iter_text():
            text += chunk
            if "event: reset" in text or text.count("event: ") > 2:
                break
    assert "event: reset" in text


async def test_the_asynchronous_client_iterates_too(service: Service, rack: Joined) -> None:
    async with AsyncHub(service.url, service.token) as hub:
        assert [e.entity async for e in _named(hub)] == [
            "cellar-rack/humidity",
            "cellar-rack/temperature",
        ]
        assert len([entry async for entry in hub.journal(page_size=3)]) > 3
        stream = hub.live()
        first = asyncio.ensure_future(anext(stream))
        await asyncio.sleep(0.3)
        await hub.pairing.open("20 s")
        event = await first
        while event.kind != "pairing":
            event = await anext(stream)
        assert isinstance(event.news, PairingNews)
        assert event.news.until > time.time() * 1000
        await stream.aclose()


async def _named(hub: AsyncHub):  # type: ignore[no-untyped-def]
    for entity in await hub.entities.list(node="cellar-rack"):
        yield entity


def test_the_client_takes_the_stream_up_again_after_a_restart(own_service: Service) -> None:
    own_service.start()
    own_service.sign_in_first()
    with own_service.hub() as hub:
        token = hub.sign_in("ada", "three-geese-on-the-weir").token
    ear = Ear(own_service)
    ear.hub._line.headers["Authorization"] = f"Bearer {token}"
    with own_service.hub() as hub:
        hub.pairing.open("20 s")
    until(lambda: ear.of("pairing"))
    own_service.stop()
    own_service.start()
    time.sleep(3)
    with own_service.hub() as hub:
        hub.pairing.open("20 s")
    until(lambda: len(ear.of("pairing")) >= 2)
    assert ear.of("message") == []


def values_of(stream: Iterator[LiveEvent], count: int) -> list[float | None]:
    result: list[float | None] = []
    while len(result) < count:
        news = next(stream).news
        if isinstance(news, ReadingNews):
            result.append(news.value)
    return result


def test_the_stream_begins_when_it_is_called_not_when_it_is_read(
    service: Service, rack: Joined
) -> None:
    with service.hub() as hub:
        stream = hub.live()
        for value in (33.25, 34.25):
            rack.post([{"n": "humidity", "v": value}])
        assert values_of(stream, 2) == [33.25, 34.25]


async def test_so_does_that_of_the_asynchronous_client(service: Service, rack: Joined) -> None:
    async with AsyncHub(service.url, service.token) as hub:
        stream = hub.live()
        await asyncio.sleep(0.5)
        await asyncio.to_thread(rack.post, [{"n": "humidity", "v": 35.25}])
        await asyncio.sleep(0.2)
        async for event in stream:
            if isinstance(event.news, ReadingNews):
                assert event.news.value == 35.25
                break
        await stream.aclose()  # type: ignore[attr-defined]


def test_a_wrong_id_to_resume_from_is_no_exception(service: Service) -> None:
    auth = f"Bearer {service.token}"
    answer = httpx.get(f"{service.url}/api/house", headers={"Authorization": auth})
    run = answer.headers["Hombi-Live"].partition("-")[0]
    for last in (f"{run}-\u00b2", f"{run}-", f"{run}--1", f"{run}-{'9' * 5_000}", "\u00b2"):
        headers = {"Authorization": auth.encode(), "Last-Event-ID": last.encode("latin1")}
        with httpx.stream("GET", f"{service.url}/api/live", headers=headers) as response:
            assert response.status_code == 200
            text = ""
            for chunk in response.iter_text():
                text += chunk
                if "event: reset" in text or text.count("event: ") > 2:
                    break
        assert "event: reset" in text, last
