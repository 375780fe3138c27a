"""The packs that nodes publish: large ones are read beside the loop, and nothing of the
same node overtakes them."""

from __future__ import annotations

import asyncio
import json
from typing import Any

import pytest

from hombi.core.senml import LARGE_PACK
from hombi.links.wifi.mqtt.packets import BAD_PAYLOAD
from hombi.links.wifi.packs import AT_ONCE, Packs
from hombi.links.work import Work
from tests.links.told import Told, until


class Plain:
    """Runs tasks without watching them."""

    def start(self, work: Any, name: str) -> asyncio.Task[Any]:
        return asyncio.create_task(work, name=name)


class House:
    """Packs that come, and what became of them."""

    def __init__(self) -> None:
        self.told, self.said = Told(), list[tuple[str, int]]()
        self.packs = Packs(self.told, Work(Plain()))  # type: ignore[arg-type]

    def came(self, name: str, payload: bytes, node: str = "rack") -> None:
        self.packs.came(node, payload, 7, lambda reason=0: self.said.append((name, reason)))

    def values(self, node: str = "rack") -> list[Any]:
        return [value.value for value in self.told.values.get(f"{node}/t", [])]


def pack(*values: float) -> bytes:
    return json.dumps([{"n": "t", "v": value} for value in values]).encode()


async def test_a_small_pack_is_taken_at_once() -> None:
    house = House()
    house.came("small", pack(1.0))
    assert (house.values(), house.said) == ([1.0], [("small", 0)])


async def test_what_a_node_sends_after_a_large_pack_comes_after_it() -> None:
    house = House()
    many = [float(one) for one in range(2_000)]
    house.came("large", pack(*many))
    house.came("small", pack(-1.0))
    house.came("another's", pack(-2.0), node="plug")
    assert (house.values(), house.values("plug")) == ([], [-2.0]), "another node is not held up"
    await until(lambda: len(house.said) == 3)
    assert house.values() == [*many, -1.0]
    assert house.said == [("another's", 0), ("large", 0), ("small", 0)]
    await asyncio.sleep(0)
    house.came("later", pack(-3.0))
    assert house.values()[-1] == -3.0, "nothing waits any more"


async def test_many_small_packs_that_waited_are_taken_in_few_turns() -> None:
    house, turns = House(), 0
    house.came("large", pack(*[1.0] * 2_000))
    for number in range(20 * AT_ONCE):
        house.came("small", pack(float(number)))
    while not house.said:
        await asyncio.sleep(0)
    while len(house.said) < 20 * AT_ONCE + 1:
        turns += 1
        await asyncio.sleep(0)
    assert 10 < turns < 40


@pytest.mark.parametrize(
    "payload",
    [b"[" * (LARGE_PACK + 1), b"\xff" * (LARGE_PACK + 1), b'{"n":"t","v":1}' + b" " * LARGE_PACK],
)
async def test_a_large_one_that_is_no_pack_is_refused_once(payload: bytes) -> None:
    house = House()
    house.came("large", payload)
    await until(lambda: house.said)
    assert (len(house.told.refusals), house.said) == (1, [("large", BAD_PAYLOAD)])


async def test_what_a_large_pack_holds_beside_values_is_told_and_the_rest_is_taken() -> None:
    house = House()
    many = [{"n": "t", "v": 1}] * 1_500 + [{"n": "t"}, {"n": "not a name", "v": 1}]
    house.came("large", json.dumps(many).encode())
    await until(lambda: house.said)
    assert (len(house.values()), len(house.told.refusals)) == (1_500, 2)
