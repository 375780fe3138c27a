"""More nodes than the adapter can be connected to at a time: they take turns, and
whoever a person waits for comes first."""

from __future__ import annotations

import asyncio
from pathlib import Path

import pytest

from hombi.lab.bluetooth_nodes import BluetoothNode, BluetoothPlan
from hombi.links.base import Wanted
from hombi.links.bluetooth.driver import CONNECTIONS
from hombi.links.bluetooth.places import Places
from tests.links.bluetooth.rig import Rig, rig_at
from tests.links.told import until

MORE = CONNECTIONS + 2


def lamps(rig: Rig, count: int) -> list[BluetoothNode]:
    mill, bluez = rig.node("hen-lamp").mill, rig.house.bluez
    for n in range(count):
        mac = f"00:00:5E:00:53:4{n}"
        plan = BluetoothPlan(
            f"lamp-{n}", f"Lamp {n}", "Loft", mac, "Weirside", "Switch B1", connects=True
        )
        rig.house.nodes[plan.address] = BluetoothNode(plan, mill, bluez)
    return [rig.node(f"lamp-{n}") for n in range(count)]


def connected(rig: Rig) -> int:
    return sum(node.device.connected for node in rig.house.nodes.values())


async def test_more_nodes_than_connections_take_turns(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hombi.links.bluetooth.peer.HOLD_S", 0.1)
    async with rig_at(tmp_path, monkeypatch) as rig:
        for lamp in lamps(rig, MORE):
            await rig.let_in(lamp.plan.address)
        most = 0

        def all_were_connected() -> bool:
            nonlocal most
            most = max(most, connected(rig))
            return all(rig.told.latest(f"lamp-{n}/180f/2a19") for n in range(MORE))

        # A bus that drops in the middle of a try costs that try its whole time.
        await until(all_were_connected, 120)
        assert most <= CONNECTIONS


async def test_one_more_than_there_are_connections_is_let_in_and_commanded_at_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """However long the turns are, a person waits for none of them."""
    monkeypatch.setattr("hombi.links.bluetooth.peer.HOLD_S", 600.0)
    # A connection that the bus loses in its middle costs that try its whole time.
    monkeypatch.setattr("hombi.links.bluetooth.peer.ANSWER_S", 60.0)
    async with rig_at(tmp_path, monkeypatch) as rig:
        nodes = lamps(rig, MORE)
        for lamp in nodes:
            await rig.let_in(lamp.plan.address)
        await until(lambda: connected(rig) == CONNECTIONS)
        for _ in range(2):
            for n, lamp in enumerate(nodes):
                await rig.driver.send(
                    f"lamp-{n}", [Wanted("1815/2a56", float(not lamp.on), "", True)]
                )
        assert not any("cannot be connected" in refusal for refusal in rig.told.refusals)


async def test_one_that_is_commanded_again_and_again_takes_one_place() -> None:
    places, over = Places(3), []

    async def hold(who: object) -> None:
        async with places.place(who) as place:
            await place.over.wait()
            over.append(who)
            await asyncio.Event().wait()

    class Visitor:
        pass

    visitors = [Visitor() for _ in range(4)]
    held = [asyncio.create_task(hold(visitor)) for visitor in visitors]
    await asyncio.sleep(0.01)
    for _ in range(5):
        places.hurry(visitors[3])
    await asyncio.sleep(0.01)
    assert over == visitors[:1]
    for one in held:
        one.cancel()
    await asyncio.gather(*held, return_exceptions=True)


async def test_a_place_is_passed_on_whatever_becomes_of_who_waits() -> None:
    places = Places(1)
    order = []

    class Visitor:
        pass

    visitors = {name: Visitor() for name in ("first", "second", "third", "person", "late")}

    async def visit(name: str, *, person: bool = False) -> None:
        if person:
            places.hurry(visitors[name])
        async with places.place(visitors[name], gives_way=not person) as place:
            order.append(name)
            await place.over.wait()

    first = asyncio.create_task(visit("first"))
    await asyncio.sleep(0)
    second, third = (asyncio.create_task(visit(one)) for one in ("second", "third"))
    await asyncio.sleep(0)
    assert places.waited_for
    places.hurry(visitors["third"])
    second.cancel()
    await asyncio.gather(first, second, return_exceptions=True)
    await asyncio.sleep(0)
    assert order == ["first", "third"]
    person = asyncio.create_task(visit("person", person=True))
    await third
    await asyncio.sleep(0)
    # Nobody is given the place of somebody whom a person waits for; and one that is
    # cancelled in the moment of its turn passes it on.
    late = asyncio.create_task(visit("late", person=True))
    await asyncio.sleep(0.01)
    assert order[-1] == "person"
    person.cancel()
    await asyncio.sleep(0)
    late.cancel()
    await asyncio.gather(person, late, return_exceptions=True)
    assert not places.waited_for
    async with asyncio.timeout(1), places.place(Visitor()):
        pass
