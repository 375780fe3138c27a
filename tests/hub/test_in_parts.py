"""Large packs in the intake: a part at a time, and yet as one."""

from __future__ import annotations

import asyncio
import json
from types import SimpleNamespace

import pytest

from hombi.core.senml import Resolved
from hombi.hub.nodes.feature import RemoveNode
from hombi.hub.readings import intake
from hombi.hub.readings.intake import AT_ONCE
from tests.hub.parts import Rig, rig, settle

HUMID = {"humidity": {"type": "number", "unit": "%RH", "readOnly": True}}
HOUR_MS = 3_600_000


def values(r: Rig, count: int, *, late_ms: int = 0) -> list[Resolved]:
    """One a second, the newest of now by a clock that is so late."""
    first = r.clock.now - late_ms - (count - 1) * 1_000
    return [Resolved("humidity", "", first + n * 1_000, float(n % 90)) for n in range(count)]


async def test_others_have_their_turn_and_the_sender_is_told_once_when_all_is_safe() -> None:
    async with rig() as r:
        await r.let_in("Rack", **HUMID)
        said, turns = list[int](), 0

        async def other() -> None:
            nonlocal turns
            while True:
                turns += 1
                await asyncio.sleep(0)

        others = asyncio.create_task(other())
        many = [*values(r, 5 * AT_ONCE + 3), Resolved("nothing", "", r.clock.now, 1.0)]
        taken = await r.hub.intake.observed_in_parts("rack", many, lambda _: said.append(1))
        assert turns >= 5
        others.cancel()
        assert (taken.stored, len(taken.refused), said) == (5 * AT_ONCE + 3, 1, [])
        await settle()
        assert said == [1]
        assert r.hub.house.node("rack").refused == 1


async def test_a_pack_of_a_node_with_a_wrong_clock_is_dated_as_a_whole() -> None:
    async with rig() as r:
        await r.let_in("Rack", **HUMID)
        for _ in range(4):  # by these it is known that the node is an hour late
            r.hub.intake.observed("rack", values(r, 1, late_ms=HOUR_MS), None)
            await r.clock.forward(3_000)
        assert r.hub.house.node("rack").clock.wrong
        count = 4 * AT_ONCE
        await r.hub.intake.observed_in_parts("rack", values(r, count, late_ms=HOUR_MS), None)
        await settle()
        entity = r.hub.house.entity("rack/humidity").id
        stored = [at for one, at in r.records.history.readings if one == entity]
        fresh = [at for at in stored if at > r.clock.now - HOUR_MS // 2]
        # What is within ten minutes of the newest is of now by its node's clock, in
        # whichever part it stands; what is older keeps its stamps.
        assert len(fresh) >= 600
        assert max(fresh) - min(fresh) >= 600_000


async def test_what_a_node_says_of_its_own_clock_is_told_once_a_pack() -> None:
    async with rig() as r:
        await r.let_in("Rack", **HUMID)
        from_boot = [
            Resolved("humidity", "", value.at_ms, value.value, from_boot=True)
            for value in values(r, 2 * AT_ONCE)
        ]
        plain = [Resolved("humidity", "", r.clock.now, 5.0, stamped=True)] * AT_ONCE
        await r.hub.intake.observed_in_parts("rack", [*plain, *from_boot, *plain], None)
        await settle()
        assert r.events().count("ClockWrong") == 1
        assert r.hub.house.node("rack").clock.from_boot


@pytest.mark.parametrize("over_http", [False, True])
async def test_a_node_that_is_taken_out_in_the_middle_of_its_pack_holds_nobody(
    over_http: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    gone = asyncio.Event()
    # After its first part, where others have their turn.
    monkeypatch.setattr(intake, "asyncio", SimpleNamespace(sleep=lambda _: gone.wait()))
    async with rig() as r:
        await r.let_in("Rack", **HUMID)
        node, said, count = r.hub.house.node("rack"), list[int](), 3 * AT_ONCE
        many = [{"n": "humidity", "v": n % 90, "t": r.clock.now / 1000 - n} for n in range(count)]
        taking = asyncio.create_task(
            r.hub.posts.pack(node.address, json.dumps(many).encode())
            if over_http
            else r.hub.intake.observed_in_parts("rack", values(r, count), lambda _: said.append(1))
        )
        while r.hub.house.entity("rack/humidity").latest is None:
            await asyncio.sleep(0)
        await r.do(RemoveNode("rack"))
        gone.set()
        async with asyncio.timeout(10):
            taken = await taking
        assert taken.stored == AT_ONCE
        await settle()
        assert said == ([] if over_http else [1])


async def test_a_large_pack_over_http_is_answered_once_it_is_committed() -> None:
    async with rig() as r:
        await r.let_in("Rack", **HUMID)
        many = [{"n": "humidity", "v": n % 90, "t": r.clock.now / 1000 - n} for n in range(4_000)]
        node = r.hub.house.node("rack")
        packs = [
            json.dumps([*many, {"n": "nothing", "v": 1}]).encode(),
            b'[{"n":"humidity","v":3}]',
        ]
        first, second = await asyncio.gather(
            *(r.hub.posts.pack(node.address, pack) for pack in packs)
        )
        assert (first.stored, len(first.refused), second.stored) == (4_000, 1, 1)
        assert len(r.records.history.readings) >= 4_000
