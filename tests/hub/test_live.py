from __future__ import annotations

import asyncio

from hombi.hub.kernel import Live, LiveEvent


async def take(live: Live, count: int, last_id: str = "") -> list[list[LiveEvent] | None]:
    result = []
    async for batch in live.follow(last_id, beat_s=0.05):
        result.append(batch)
        if len(result) == count:
            break
    return result


async def test_a_listener_hears_what_comes_after_it_began() -> None:
    live = Live()
    live.publish(("a", 0))
    listening = asyncio.create_task(take(live, 1))
    await asyncio.sleep(0)
    live.publish(("a", 1))
    live.publish(("b", 2))
    (batch,) = await listening
    assert batch is not None
    assert [e.event for e in batch] == [("a", 1), ("b", 2)]


async def test_it_resumes_after_the_last_event_it_had() -> None:
    live = Live()
    for number in range(5):
        live.publish(("a", number))
    first = LiveEvent(2, "a")
    (batch,) = await take(live, 1, live.event_id(first))
    assert batch is not None
    assert [e.number for e in batch] == [3, 4, 5]


async def test_a_place_taken_before_listening_misses_nothing_in_between() -> None:
    live = Live()
    for kind in ("a", "b"):
        place = live.here
        live.publish(kind)
        (batch,) = await take(live, 1, place)
        assert batch is not None
        assert [e.event for e in batch] == [kind]


async def test_it_is_told_when_it_missed_some() -> None:
    live = Live(ring=8)
    for number in range(20):
        live.publish(("a", number))
    assert (await take(live, 1, f"{live.run}-3"))[0] == []
    assert (await take(live, 1, f"{live.run}-999"))[0] == []
    assert (await take(live, 1, "another-run-3"))[0] == []
    assert (await take(live, 1, "nonsense"))[0] == []


async def test_a_slow_listener_is_told_and_goes_on() -> None:
    live = Live(ring=8)
    follow = live.follow(beat_s=0.05)
    waiting = asyncio.ensure_future(anext(follow))
    await asyncio.sleep(0)
    live.publish(("a", 0))
    assert await waiting
    for number in range(20):
        live.publish(("a", number))
    assert await anext(follow) == []
    live.publish(("a", 99))
    batch = await anext(follow)
    assert batch
    assert batch[-1].event == ("a", 99)


async def test_there_is_a_heartbeat_without_news_and_an_end() -> None:
    live = Live()
    assert await take(live, 2) == [None, None]
    listening = asyncio.create_task(take(live, 10))
    await asyncio.sleep(0)
    live.close()
    assert await listening == []
