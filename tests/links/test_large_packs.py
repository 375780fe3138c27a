"""Large packs: taken in parts and in order, acknowledged when all of it is safe, and
others have their turn meanwhile."""

from __future__ import annotations

import asyncio
import json
from itertools import chain
from typing import Any

import pytest

from hombi.core.senml import Resolved
from hombi.links.wifi.large_packs import AT_ONCE, LARGE, LargePacks
from hombi.links.wifi.mqtt.contract import Acknowledge
from hombi.links.work import Work
from tests.hub.parts import rig


class Hub:
    """Takes parts, and acknowledges them when it is told to."""

    def __init__(self) -> None:
        self.parts: list[list[float]] = []
        self.refused: list[str] = []
        self.waiting: list[Acknowledge] = []
        self.turns: list[int] = []
        self.turn = 0

    def take(
        self, node: str, values: list[Resolved], refused: list[str], acknowledge: Acknowledge
    ) -> None:
        self.parts.append([float(one.value or 0) for one in values])
        self.refused += refused
        self.turns.append(self.turn)
        if values:
            self.waiting.append(acknowledge)
        else:
            acknowledge(9)

    async def others(self) -> None:
        while True:
            self.turn += 1
            await asyncio.sleep(0)


class Plain:
    """Runs tasks without watching them."""

    def start(self, work: Any, name: str) -> asyncio.Task[Any]:
        return asyncio.create_task(work, name=name)


def pack(*values: float) -> bytes:
    return json.dumps([{"n": "t", "v": one} for one in values]).encode()


async def until_taken(large: LargePacks) -> None:
    while large.wants("rack", b""):
        await asyncio.sleep(0.001)


async def test_a_large_pack_comes_in_parts_and_what_follows_it_after_it() -> None:
    hub, said = Hub(), list[tuple[str, int]]()
    large = LargePacks(hub.take, Work(Plain()))  # type: ignore[arg-type]
    others = asyncio.create_task(hub.others())
    values = [float(one) for one in range(AT_ONCE * 4 + 3)]
    assert large.wants("rack", pack(*values))
    assert not large.wants("rack", pack(1))
    large.add("rack", pack(*values), 7, lambda reason=0: said.append(("large", reason)))
    assert large.wants("rack", pack(1)), "nothing of the same node overtakes it"
    assert not large.wants("plug", pack(1)), "another node does"
    large.add("rack", pack(-1.0), 8, lambda reason=0: said.append(("small", reason)))
    await until_taken(large)
    others.cancel()
    assert list(chain.from_iterable(hub.parts)) == [*values, -1.0]
    assert [len(one) for one in hub.parts] == [AT_ONCE] * 4 + [3, 1]
    assert len(set(hub.turns)) == len(hub.turns), "others have their turn between two parts"
    for one in hub.waiting[:4]:
        one(0)
    assert said == [], "it is not safe yet"
    for one in hub.waiting[4:]:
        one(0)
    assert said == [("large", 0), ("small", 0)]


@pytest.mark.parametrize(
    "payload",
    [b"[" * (LARGE + 1), b"\xff" * (LARGE + 1), b'{"n":"t","v":1}' + b" " * LARGE],
)
async def test_a_large_one_that_is_no_pack_is_refused_once(payload: bytes) -> None:
    hub, said = Hub(), list[int]()
    large = LargePacks(hub.take, Work(Plain()))  # type: ignore[arg-type]
    large.add("rack", payload, 7, lambda reason=0: said.append(reason))
    await until_taken(large)
    assert (len(hub.refused), said) == (1, [9])


async def test_what_a_large_pack_holds_beside_values_is_told_once() -> None:
    hub = Hub()
    large = LargePacks(hub.take, Work(Plain()))  # type: ignore[arg-type]
    many = [{"n": "t", "v": 1}] * (AT_ONCE * 3) + [{"n": "t"}, {"n": "not a name", "v": 1}]
    large.add("rack", json.dumps(many).encode(), 7, lambda reason=0: None)
    await until_taken(large)
    assert len(hub.refused) == 2


async def test_a_large_pack_over_http_is_stored_whole_while_others_have_their_turn() -> None:
    async with rig() as r:
        thing = {"humidity": {"type": "number", "unit": "%RH", "readOnly": True}}
        await r.let_in("Rack", **thing)
        rack, now = r.hub.house.node("rack"), r.clock.now
        many = [
            {"n": "humidity", "v": n % 90, "t": now / 1000 - 9_000 + n} for n in range(4_000)
        ] + [{"n": "nothing", "v": 1}]
        turns = Hub()
        others = asyncio.create_task(turns.others())
        taken = await r.hub.posts.pack(rack, json.dumps(many).encode())
        others.cancel()
        assert (taken.stored, len(taken.refused)) == (4_000, 1)
        assert turns.turn > 8
        assert r.hub.house.entity("rack/humidity").latest is not None
