"""Nodes that are elsewhere than they were, or have forgotten whose they are."""

from __future__ import annotations

import asyncio
from pathlib import Path

import pytest

from hombi.links.base import Wanted
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import zcl
from tests.links.told import on_link, until
from tests.links.zigbee.rig import (
    SWITCH,
    TEMPERATURE,
    Rig,
    came,
    rig_at,
)


async def test_a_node_that_was_readdressed_while_the_hub_was_down_is_found_when_it_speaks(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-climate")
        arrived = rig.told.arrived[node.thing_id]
        await rig.driver.stop()
        node.move(0x4242)
        rig.driver = rig.fresh_driver(rig.told.kept)
        rig.driver.follow(on_link("loft-climate", arrived))
        await rig.driver.start()
        await rig.up()
        rig.told.values.clear()
        node.report(1, 0x0402, [zcl.Attribute(0, dt.S16, 1234)])
        await until(lambda: rig.told.latest(f"loft-climate/{TEMPERATURE}") == pytest.approx(12.34))


async def test_a_node_that_does_not_answer_where_it_was_is_looked_for(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        plug = await rig.let_in("terrace-plug")
        plug.move(0x4243)
        await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert plug.on


async def test_two_that_look_for_a_node_at_once_both_find_it(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        plug = await rig.let_in("terrace-plug")
        plug.move(0x4243)
        wanted = [Wanted(SWITCH, 1.0, "", True)]
        await asyncio.gather(*(rig.driver.send("terrace-plug", wanted) for _ in range(2)))
        assert plug.on


async def test_who_speaks_on_a_known_address_is_checked(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        loft = await rig.let_in("loft-climate")
        air = await rig.let_in("workshop-air")
        arrived = {
            one: rig.told.arrived[rig.node(one).thing_id]
            for one in ("loft-climate", "workshop-air")
        }
        await rig.driver.stop()
        loft.short, air.short = air.short, loft.short
        rig.driver = rig.fresh_driver(rig.told.kept)
        for name, result in arrived.items():
            rig.driver.follow(on_link(name, result))
        rig.told.values.clear()
        await rig.driver.start()
        await rig.up()
        loft.report(1, 0x0402, [zcl.Attribute(0, dt.S16, 555)])
        await until(lambda: came(rig, f"loft-climate/{TEMPERATURE}", 5.55))
        assert not came(rig, f"workshop-air/{TEMPERATURE}", 5.55)


async def test_a_node_that_was_reset_out_of_earshot_is_bound_and_configured_anew(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-climate")
        node.reset_unheard()
        assert not node.agreed
        await until(lambda: (1, 0x0402, 0) in node.agreed and (1, 0x0402) in node.bound)


async def test_on_a_new_stick_all_nodes_are_bound_and_configured_anew(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        nodes = [await rig.let_in(one) for one in ("terrace-plug", "loft-climate")]
        arrived = {node.plan.address: rig.told.arrived[node.thing_id] for node in nodes}
        await rig.driver.stop()
        rig.stick.store.clear()
        rig.stick.ieee = 0x00F1_5EED_0000_00FF
        for node in nodes:
            node.bound.clear()
            node.agreed.clear()
        rig.driver = rig.fresh_driver(rig.told.kept)
        for name, result in arrived.items():
            rig.driver.follow(on_link(name, result))
        await rig.driver.start()
        await rig.up()
        await until(lambda: all(node.bound and node.agreed for node in nodes))


async def restarted(rig: Rig) -> None:
    await rig.driver.stop()
    rig.driver = rig.fresh_driver(rig.told.kept)
    await rig.driver.start()
    await rig.up()


@pytest.mark.parametrize("restart", [False, True])
async def test_a_node_that_slept_when_it_was_removed_leaves_when_it_is_next_heard(
    tmp_path: Path, restart: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hombi.links.zigbee.driver.GONE_S", 0.2)
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-climate")
        node.away = True
        await rig.driver.remove("loft-climate")
        assert node.joined
        assert not rig.driver.devices
        if restart:
            await restarted(rig)
        rig.told.arrived.clear()
        rig.told.asked.clear()
        node.away = False
        # Also while the window is open, for another: it is not an arrival by itself.
        rig.driver.pairing(True)
        while node.joined:
            node.report(1, 0x0402, [zcl.Attribute(0, dt.S16, 1234)])
            await asyncio.sleep(0.1)
        assert not rig.told.arrived
        assert not rig.told.asked
        # Whoever presses its button lets it in again.
        await rig.let_in("loft-climate")
        await until(lambda: rig.told.latest(f"loft-climate/{TEMPERATURE}"))
        assert not [one for one in rig.told.kept if one.startswith("removed")]


async def test_a_node_that_is_removed_while_the_stick_is_out_or_full_leaves_later(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hombi.links.zigbee.driver.GONE_S", 0.2)
    monkeypatch.setattr("hombi.links.zigbee.radio.SEND_S", 0.2)
    async with rig_at(tmp_path) as rig:
        plug, lamp = await rig.let_in("terrace-plug"), await rig.let_in("loft-lamp")
        rig.stick.buffers = 0
        await rig.driver.remove("terrace-plug")
        rig.stick.buffers = 16
        assert plug.joined
        plug.report(1, 0x0006, [zcl.Attribute(0, dt.BOOL, True)])
        await until(lambda: not plug.joined)
        rig.stick.unplug()
        await until(lambda: "unplugged" in rig.told.wrong)
        await rig.driver.remove("loft-lamp")
        assert lamp.joined
        rig.stick.plug()
        await until(lambda: not lamp.joined)  # it listens always, and need not speak first
        await until(lambda: not [one for one in rig.told.kept if one.startswith("removed")])


async def test_a_removed_node_that_joins_anew_is_welcome(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It was reset where nobody heard it leave: that is a person's hand."""
    monkeypatch.setattr("hombi.links.zigbee.driver.GONE_S", 0.2)
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-climate")
        node.away = True
        await rig.driver.remove("loft-climate")
        node.away = False
        rig.told.arrived.clear()
        rig.driver.pairing(True)
        await until(lambda: rig.stick.permits)
        node.reset_unheard()
        await until(lambda: rig.told.arrived.get(node.thing_id))
        assert node.joined
        assert not [one for one in rig.told.kept if one.startswith("removed")]
