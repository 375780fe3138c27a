from __future__ import annotations

import asyncio
import json
import threading
from typing import Any

import pytest

from hombi.hub.errors import Invalid, NotFound, PairingClosed, Refused
from hombi.hub.machine.events import ClockSet
from hombi.hub.nodes.admission import MAX_WRONG_CODES, AdmitArrival, TurnAway
from hombi.hub.nodes.feature import RemoveNode
from hombi.hub.nodes.pairing import MAX_OF_AN_ADDRESS, proof_of
from tests.house import CLIMATE, description
from tests.hub.parts import ManualClock, Rig, rig, settle
from tests.memory import MemoryRecords

RACK = description("Cellar rack", **CLIMATE)


async def ask(
    r: Rig, thing: dict[str, object] = RACK, code: str = "1234-5678", sender: str = "10.0.0.1"
) -> tuple[str, str]:
    arrival, ticket = await r.hub.pairing.ask(thing, proof_of(code, str(thing["id"])), sender)
    return arrival.record.id, ticket


async def test_the_window_counts_down_and_closes_by_itself() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(120_000)
        await r.clock.forward(50_000)
        assert r.hub.pairing.left_ms == 70_000
        await r.clock.forward(70_000)
        assert r.hub.pairing.left_ms == 0
        assert r.events()[-1] == "PairingClosed"


async def test_opening_again_sets_the_end_anew() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        await r.clock.forward(50_000)
        r.hub.pairing.open_window(60_000)
        await r.clock.forward(50_000)
        assert r.hub.pairing.left_ms == 10_000
        with pytest.raises(Invalid, match="1 s to 15 min"):
            r.hub.pairing.open_window(16 * 60_000)


async def test_nobody_arrives_while_it_is_closed() -> None:
    async with rig() as r:
        with pytest.raises(PairingClosed, match="hombi pair"):
            await ask(r)


async def test_a_node_is_let_in_with_its_code_and_gets_its_own_key() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        arrival, ticket = await ask(r)
        assert await r.hub.pairing.outcome(arrival, ticket) == ("waiting", None)
        node = await r.do(AdmitArrival(arrival, "12345678", "", "Cheese cellar"))
        assert (node.address, node.room and node.room.name) == ("cellar-rack", "Cheese cellar")
        assert list(node.entities) == ["temperature", "humidity"]
        state, joined = await r.hub.pairing.outcome(arrival, ticket)
        assert state == "admitted"
        assert joined is not None
        assert r.hub.house.fits("cellar-rack", joined.key)
        assert joined.key not in str(vars(node)), "only its hash is kept"
        _, again = await r.hub.pairing.outcome(arrival, ticket)
        assert again is not None
        assert not r.hub.house.fits("cellar-rack", joined.key), "the key before is void"


async def test_a_node_that_asks_while_it_is_being_let_in_is_told_to_wait() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        arrival, ticket = await ask(r)
        store, slow = r.records.house.admit, threading.Event()

        def admit(*given: Any) -> Any:
            slow.wait(30)
            return store(*given)

        r.records.house.admit = admit  # type: ignore[method-assign]
        letting_in = asyncio.ensure_future(r.do(AdmitArrival(arrival, "12345678", "", "")))
        await asyncio.sleep(0.05)
        assert await r.hub.pairing.outcome(arrival, ticket) == ("admitting", None)
        slow.set()
        await letting_in
        state, joined = await r.hub.pairing.outcome(arrival, ticket)
        assert state == "admitted"
        assert joined is not None


async def test_the_ticket_is_of_no_use_once_the_node_has_used_its_key() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        arrival, ticket = await ask(r)
        await r.do(AdmitArrival(arrival, "12345678", "", ""))
        await r.hub.pairing.outcome(arrival, ticket)
        r.hub.nodes.presence("cellar-rack", here=True)
        await settle()
        with pytest.raises(NotFound):
            await r.hub.pairing.outcome(arrival, ticket)


async def test_a_wrong_ticket_learns_nothing() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        arrival, _ = await ask(r)
        with pytest.raises(NotFound):
            await r.hub.pairing.outcome(arrival, "guessed")


async def test_wrong_codes_are_limited() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        arrival, ticket = await ask(r)
        for left in range(MAX_WRONG_CODES - 1, 0, -1):
            with pytest.raises(Refused, match=f"{left} more"):
                await r.do(AdmitArrival(arrival, "0000", "", ""))
        with pytest.raises(Refused, match="locked now"):
            await r.do(AdmitArrival(arrival, "0000", "", ""))
        with pytest.raises(Refused, match="is locked"):
            await r.do(AdmitArrival(arrival, "12345678", "", ""))
        assert (await r.hub.pairing.outcome(arrival, ticket))[0] == "locked"
        with pytest.raises(Refused, match="turn it away first"):
            await ask(r)
        await r.do(TurnAway(arrival))
        arrival, _ = await ask(r)
        await r.do(AdmitArrival(arrival, "12345678", "", ""))


async def test_turned_away_is_told_and_gone() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        arrival, ticket = await ask(r)
        await r.do(TurnAway(arrival))
        assert (await r.hub.pairing.outcome(arrival, ticket))[0] == "turned-away"
        assert r.hub.pairing.waiting() == []
        assert r.hub.house.nodes == {}


async def test_a_name_that_is_taken_is_refused_and_the_arrival_waits_on() -> None:
    async with rig() as r:
        await r.let_in("Cellar rack", **CLIMATE)
        other, _ = await ask(r, description("Another", "urn:test:another", **CLIMATE))
        with pytest.raises(Invalid, match="there is a node cellar-rack already"):
            await r.do(AdmitArrival(other, "12345678", "Cellar rack", ""))
        with pytest.raises(Invalid, match="needs a letter or a digit"):
            await r.do(AdmitArrival(other, "12345678", "!!", ""))
        assert (await r.do(AdmitArrival(other, "12345678", "Loft rack", ""))).address == "loft-rack"


async def test_two_are_let_in_at_once_into_the_same_new_room_but_not_under_the_same_name() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        arrivals = [(await ask(r, description(f"Node {n}", **CLIMATE)))[0] for n in range(3)]
        names = ["one", "two", "two"]
        done = await asyncio.gather(
            *(
                r.do(AdmitArrival(a, "12345678", name, "Gallery"))
                for a, name in zip(arrivals, names, strict=True)
            ),
            return_exceptions=True,
        )
        assert sorted(r.hub.house.nodes) == ["one", "two"]
        assert list(r.hub.house.rooms) == ["gallery"]
        (refused,) = [d for d in done if isinstance(d, Exception)]
        assert isinstance(refused, Invalid)


async def test_a_node_that_joins_again_is_the_same_node() -> None:
    async with rig() as r:
        await r.let_in("Cellar rack", **CLIMATE)
        before = r.hub.house.node("cellar-rack")
        r.say("cellar-rack", "humidity", 71.0)
        arrival, _ = await ask(r)
        assert r.hub.pairing.find(arrival).known is before
        node = await r.do(AdmitArrival(arrival, "12345678", "", ""))
        assert node.id == before.id
        assert node.room is before.room
        latest = node.entities["humidity"].latest
        assert latest is not None
        assert latest.value == 71.0
        await settle()
        assert r.link.removed == ["cellar-rack"], "its old key is cut off"


@pytest.mark.parametrize("proof", ["", "12345678", "Z" * 64])
async def test_a_proof_that_cannot_be_one_is_refused(proof: str) -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        with pytest.raises(Invalid, match="64 hex digits"):
            await r.hub.pairing.ask(RACK, proof)


async def test_a_flood_from_one_address_counts_as_one() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        for number in range(60):
            await ask(r, description(f"Fake {number}", **CLIMATE), sender="10.0.0.66")
        arrival, ticket = await ask(r, sender="10.0.0.7")
        assert (await r.hub.pairing.outcome(arrival, ticket))[0] == "waiting"
        assert len(r.hub.pairing.waiting()) == MAX_OF_AN_ADDRESS + 1


async def test_who_asks_again_and_again_what_became_of_it_is_not_let_go() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        arrival, ticket = await ask(r, sender="10.0.0.66")
        for number in range(30):
            await r.clock.forward(10)
            await ask(r, description(f"Fake {number}", **CLIMATE), sender="10.0.0.66")
            assert (await r.hub.pairing.outcome(arrival, ticket))[0] == "waiting"


async def test_a_stranger_with_a_waiting_nodes_id_and_the_code_that_tells_them_apart() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        real, ticket = await ask(r, sender="10.0.0.7")
        fake, fake_ticket = await ask(r, code="6666-6666", sender="10.0.0.66")
        assert [a.record.id for a in r.hub.pairing.waiting()] == [real, fake]
        node = await r.do(AdmitArrival(fake, "1234-5678", "", ""))
        assert node.address == "cellar-rack"
        state, joined = await r.hub.pairing.outcome(real, ticket)
        assert state == "admitted"
        assert joined is not None
        with pytest.raises(NotFound):
            await r.hub.pairing.outcome(fake, fake_ticket)


async def test_a_node_that_asks_again_takes_its_own_place() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        await ask(r, sender="10.0.0.7")
        again, _ = await ask(r, sender="10.0.0.7")
        assert [a.record.id for a in r.hub.pairing.waiting()] == [again]


@pytest.mark.parametrize(
    ("spoiled", "said"),
    [
        ({"about": "x" * 70_000}, "at most 64 kB"),
        ({"title": "x" * 121}, "at most 120"),
        ({"id": "urn:" + "x" * 300}, "at most 200"),
        ({"deep": json.loads('{"a":' * 40 + "1" + "}" * 40)}, "deeper than 32"),
        ({"properties": {"x" * 121: {"type": "number"}}}, "at most 120"),
    ],
)
async def test_descriptions_have_a_size(spoiled: dict[str, Any], said: str) -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        with pytest.raises(Invalid, match=said):
            await ask(r, {**RACK, **spoiled})


async def test_arrivals_outlive_a_restart() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        r.hub.pairing.open_window(60_000)
        arrival, ticket = await ask(r)
    async with rig(records, clock) as r:
        assert [a.record.id for a in r.hub.pairing.waiting()] == [arrival]
        assert (await r.hub.pairing.outcome(arrival, ticket))[0] == "waiting"
        await r.do(AdmitArrival(arrival, "12345678", "", ""))


async def test_limits_are_kept_in_the_kinds_unit_and_never_wider_than_its_own() -> None:
    async with rig() as r:
        await r.let_in(
            "Bench",
            temperature={
                "type": "number",
                "unit": "[degF]",
                "minimum": 32,
                "maximum": 9999,
                "readOnly": True,
            },
        )
        entity = r.hub.house.entity("bench/temperature")
        assert (entity.low, entity.high) == (0.0, 200)


async def test_removing_a_node_makes_its_key_void() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        arrival, ticket = await ask(r)
        await r.do(AdmitArrival(arrival, "12345678", "", ""))
        _, joined = await r.hub.pairing.outcome(arrival, ticket)
        await r.do(RemoveNode("cellar-rack", keep_history=True))
        assert joined is not None
        assert not r.hub.house.fits("cellar-rack", joined.key)
        with pytest.raises(NotFound, match="no node cellar-rack"):
            r.hub.house.node("cellar-rack")


async def test_a_clock_that_is_set_neither_closes_the_window_nor_keeps_it_open() -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        for by_ms in (-3_600_000, 86_400_000):
            r.clock.now += by_ms
            r.hub.context.announce(ClockSet(by_ms=by_ms))
            assert r.hub.pairing.left_ms == 60_000
        await r.clock.forward(59_000)
        assert r.hub.pairing.left_ms
        await r.clock.forward(2_000)
        assert not r.hub.pairing.left_ms
