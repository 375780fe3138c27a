"""The Zigbee driver over a real pty, against the lab's stick and nodes."""

from __future__ import annotations

import asyncio
import struct
from pathlib import Path

import pytest

from hombi.links.base import Found, Unreachable, Wanted
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import zcl
from hombi.links.zigbee.commands import Id
from tests.links.told import on_link, until
from tests.links.zigbee.rig import LEVEL, MIDSUMMER_NOON_S, SWITCH, TEMPERATURE, Rig, report, rig_at


async def test_a_node_is_asked_what_it_has_step_by_step(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        result = await rig.arrive("loft-climate")
        # A machine that is busy may have a question asked again: the order is what
        # counts.
        steps = list(dict.fromkeys(one.progress for one in rig.told.asked))
        assert steps == [f"asking what it has, {n} of 5" for n in range(1, 6)]
        offer = result.offer
        assert (offer.title, offer.about) == (
            "Alder & Finch Climate C3",
            "sleeps, software 1.4.2, on a battery",
        )
        assert {p.name: (p.kind.name, p.unit) for p in offer.values} == {
            "battery": ("battery", "%"),
            "temperature": ("temperature", "°C"),
            "humidity": ("humidity", "%"),
            "pressure": ("pressure", "hPa"),
            "link-quality": ("reception", "%"),
        }
        assert result.offer.left_out == ()


async def test_it_has_its_values_at_once_and_reports_when_they_change(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-climate")
        first = await until(lambda: rig.told.latest(f"loft-climate/{TEMPERATURE}"))
        assert first == pytest.approx(rig.mill.rooms["loft"].temperature, abs=0.5)
        assert (1, 0x0402) in node.bound
        rig.mill.rooms["loft"].temperature = 31.0
        node.agreed[1, 0x0402, 0].at_s = -1e9
        await until(lambda: rig.told.latest(f"loft-climate/{TEMPERATURE}") > 30)


async def test_what_is_no_value_is_none_and_the_same_frame_counts_once(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-climate")
        await until(lambda: rig.told.latest(f"loft-climate/{TEMPERATURE}"))

        def sent(sequence: int, value: int | None) -> None:
            body = zcl.write([zcl.Attribute(0, dt.S16, value)])
            node.send(1, 0x0402, zcl.Zcl(sequence, zcl.Command.REPORT, body, from_server=True))

        def values() -> list[float | None]:
            return [value.value for value in rig.told.values[f"loft-climate/{TEMPERATURE}"]]

        for _ in range(3):
            sent(77, None)
        sent(78, 7777)
        await until(lambda: pytest.approx(77.77) in values())
        assert values().count(None) == 1


async def test_a_plug_is_switched_and_read_back(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("terrace-plug")
        await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        await until(lambda: rig.told.latest(f"terrace-plug/{SWITCH}") is True)
        assert node.on
        assert rig.mill.devices.lights
        names = {p.name: p.kind.name for p in rig.told.arrived[node.thing_id].offer.values}
        assert names["power"] == "power"
        assert names["energy"] == "energy"
        assert "demand" not in names, "the same power, measured better"
        node.agreed[1, 0x0B04, 0x050B].at_s = -1e9
        await until(lambda: rig.told.latest("terrace-plug/1/0B04/050B") == pytest.approx(46.0))
        assert rig.told.latest("terrace-plug/1/0702/0000") == pytest.approx(31.0, abs=0.01)


async def test_a_lamp_takes_a_level_and_says_which(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-lamp")
        await rig.driver.send("loft-lamp", [Wanted(LEVEL, 40.0, "%", False)])
        await until(lambda: rig.told.latest(f"loft-lamp/{LEVEL}") == 40.0)
        assert node.level == 102
        await until(lambda: rig.told.latest(f"loft-lamp/{SWITCH}") is True)


async def test_a_lamp_goes_to_a_level_slowly_and_is_read_once_it_is_there(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-lamp")
        assert rig.driver.glides("loft-lamp", LEVEL)
        assert not rig.driver.glides("loft-lamp", SWITCH)
        assert not rig.driver.glides("loft-lamp", "1/0008/0099")
        node.agreed[1, 0x0008, 0x0000].longest_s = 0xFFFF  # it reports no level
        await rig.driver.send("loft-lamp", [Wanted(LEVEL, 40.0, "%", False, taking_ms=800)])
        await until(lambda: node.on)
        assert (node.way.to, node.way.takes_s) == (102, 0.8)
        await until(lambda: 1 < node.level < 102)
        await until(lambda: rig.told.latest(f"loft-lamp/{LEVEL}") == 40.0)
        assert node.level == 102
        # An hour in tenths of a second, and more than fits.
        for taking_ms, takes_s in ((3_600_000, 3_600.0), (10_000_000, 6_553.4)):
            wanted = Wanted(LEVEL, 0.0, "%", False, taking_ms)
            await rig.driver.send("loft-lamp", [wanted])
            await until(lambda: node.way.to == 0)
            assert node.way.takes_s == takes_s
            assert node.on, "it goes out when it is there"
            await rig.driver.send("loft-lamp", [Wanted(LEVEL, 100.0, "%", False)])
            await until(lambda: node.level == 254)


async def test_a_door_is_enrolled_and_tells_when_it_opens(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("workshop-door")
        assert node.owner == rig.stick.ieee
        assert await until(lambda: rig.told.latest("workshop-door/1/0500/0002/0003") is False)
        node.mill.seed = next(seed for seed in range(100) if _open(rig, seed))
        await until(lambda: rig.told.latest("workshop-door/1/0500/0002/0003") is True)
        node.drained = 4.0
        await until(lambda: rig.told.latest("workshop-door/1/0500/0002/0008") is True)
        node.send(
            1,
            0x0500,
            zcl.Zcl(9, 0x01, struct.pack("<HH", 0x0015, 0), cluster_command=True, from_server=True),
        )
        await until(lambda: node.owner)


def _open(rig: Rig, seed: int) -> bool:
    rig.mill.seed = seed
    return rig.mill.workshop_door_open


async def test_tunnelled_values_go_both_ways(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("herb-probe")
        await until(lambda: rig.told.latest("herb-probe/1/dp11") is not None)
        assert rig.told.latest("herb-probe/1/dp11") == pytest.approx(
            rig.mill.soil_moisture, abs=1.5
        )
        assert rig.told.latest("herb-probe/1/dp12") == pytest.approx(
            rig.mill.soil_temperature, abs=0.1
        )
        assert (await rig.driver.settings("herb-probe"))["1/dp60"] == 30
        await rig.driver.set_setting("herb-probe", "1/dp60", 45)
        await until(lambda: rig.told.latest("herb-probe/1/dp60") == 45)
        assert node.tunnelled[60] == 45


async def test_a_nodes_own_setting_and_a_renamed_value_come_from_its_profile(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("boathouse-watch")
        offer = rig.told.arrived[node.thing_id].offer
        assert {"light", "occupancy"} <= {p.name for p in offer.values}
        assert [(s.name, s.unit, s.high) for s in offer.settings] == [("off-delay", "s", 3600)]
        assert (await rig.driver.settings("boathouse-watch"))["1/0406/0010"] == 60
        await rig.driver.set_setting("boathouse-watch", "1/0406/0010", 90.0)
        assert node.written[1, 0x0406, 0x0010] == 90
        assert (await rig.driver.settings("boathouse-watch"))["1/0406/0010"] == 90


def names(found: Found) -> set[str]:
    return {value.name for value in found.offer.values}


async def test_a_profile_is_taken_up_while_the_hub_runs_and_after_a_restart(tmp_path: Path) -> None:
    own = tmp_path / "profiles" / "soil.toml"
    own.parent.mkdir()
    head = '[profile]\nmake = "Kelp Row"\nmodel = "Soil S7"\n'
    moisture = (
        '[[tunnelled]]\ncluster = 0xFC52\nid = 11\ntype = "s32"\n'
        'name = "moisture"\nkind = "moisture"\n'
    )
    own.write_text(head + moisture)
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("herb-probe")
        first = rig.told.arrived[node.thing_id]
        assert names(first) == {"moisture", "link-quality"}
        await until(lambda: rig.told.latest("herb-probe/1/dp11") is not None)
        own.write_text(
            head
            + moisture
            + '[[tunnelled]]\ncluster = 0xFC52\nid = 12\ntype = "s32"\nname = "warmth"\nkind = '
            '"temperature"\nscale = 0.1\n'
        )
        await until(
            lambda: names(rig.told.arrived[node.thing_id]) == {"moisture", "warmth", "link-quality"}
        )
        await until(lambda: rig.told.latest("herb-probe/1/dp12") is not None)
        assert rig.told.latest("herb-probe/1/dp12") == pytest.approx(
            rig.mill.soil_temperature, abs=0.1
        )
        own.write_text(head + "[[tunnelled]]\nid = 11\n")
        await until(
            lambda: [c.part for c in rig.driver.checks()] == ["Zigbee stick", "node profiles"]
        )
        assert "line 4" in rig.driver.checks()[1].text
        rig.told.arrived.clear()
        rig.fresh_driver(rig.told.kept).follow(on_link("herb-probe", first))
        assert names(rig.told.arrived[node.thing_id]) == {
            "soil-moisture",
            "soil-temperature",
            "battery",
            "link-quality",
        }, "ours"


async def test_it_keeps_its_place_with_a_new_short_address(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("terrace-plug")
        node.join(short=0x4242)
        await until(lambda: rig.told.kept["00f15eed00000104"]["short"] == 0x4242)
        await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert node.on


async def test_a_node_that_is_reset_has_left_and_comes_back_as_it_was(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("workshop-door")
        node.press()
        await until(lambda: rig.told.gone == ["workshop-door"])
        with pytest.raises(Unreachable):
            await asyncio.wait_for(
                rig.driver.send("workshop-door", [Wanted("1/0500/0002/0003", 1.0, "", True)]), 20
            )
        rig.driver.pairing(True)
        await until(lambda: rig.told.here.get("workshop-door") and node.joined)
        await until(lambda: node.owner == rig.stick.ieee), "what was agreed is agreed again"


async def test_removing_sends_it_away_and_works_without_an_answer(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        plug, lamp = await rig.let_in("terrace-plug"), await rig.let_in("loft-lamp")
        await rig.driver.remove("terrace-plug")
        await until(lambda: not plug.joined)
        lamp.away = True
        await rig.driver.remove("loft-lamp")
        assert not rig.driver.devices
        lamp.away = False
        lamp.announce()
        await until(lambda: not lamp.joined)
        await until(lambda: {key for key in rig.told.kept if key != "network"} == set())


async def test_an_arrival_that_is_turned_away_is_told_to_leave(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        result = await rig.arrive("loft-lamp")
        await rig.driver.dismiss(result.thing_id)
        await until(lambda: not rig.node("loft-lamp").joined)
        assert not rig.driver.devices


async def test_a_node_that_is_out_of_reach_is_said_to_be(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-lamp")
        node.away = True
        with pytest.raises(Unreachable, match="no route"):
            await rig.driver.send("loft-lamp", [Wanted(SWITCH, 1.0, "", True)])
        node.away = False
        await rig.driver.send("loft-lamp", [Wanted(SWITCH, 1.0, "", True)])
        assert node.on


async def test_a_stick_that_begins_anew_in_an_interview_finishes_it_afterwards(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        node = rig.node("loft-climate")
        rig.driver.pairing(True)
        await until(lambda: rig.stick.permits)
        node.press()
        await until(lambda: len(rig.told.asked) == 2)
        rig.stick.begin_anew()
        await until(lambda: "restarted" in "".join(rig.told.troubles))
        assert await until(lambda: rig.told.arrived.get(node.thing_id))


async def test_a_full_table_is_said_while_the_window_is_open(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        await rig.let_in("loft-lamp")
        rig.stick.table = 1
        rig.driver.pairing(True)
        await until(lambda: "table of nodes is full" in rig.told.wrong)
        rig.stick.table = 2
        rig.driver.pairing(True)
        await until(lambda: rig.told.wrong == "")


async def test_a_node_that_floods_is_held_back_and_named(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-climate")
        for n in range(1_000):
            report(node, 0x0402, zcl.Attribute(0, dt.S16, n))
            if n % 50 == 0:
                await asyncio.sleep(0)
        await until(lambda: rig.told.refusals)
        assert "loft-climate: it sends more than 50 frames a second" in rig.told.refusals[0]
        assert len(rig.told.values[f"loft-climate/{TEMPERATURE}"]) < 1_000


async def test_a_node_that_waits_is_an_arrival_again_when_the_window_is_opened_again(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        before = await rig.arrive("loft-lamp")
        rig.driver.pairing(False)
        rig.told.arrived.clear()
        (device,) = rig.driver.devices.values()
        device.notes = ["not reported by itself: level"]
        rig.driver.pairing(True)
        await until(lambda: rig.told.arrived)
        (again,) = rig.told.arrived.values()
        assert (again.reach, again.offer.left_out) == (
            before.reach,
            ("not reported by itself: level",),
        )


async def test_nobody_joins_while_the_window_is_closed(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = rig.node("loft-lamp")
        node.press()
        node.join()  # as if its radio had been let in by another
        await asyncio.sleep(0.2)
        assert not rig.told.arrived
        assert not rig.told.asked


async def test_a_node_that_asks_the_time_is_told(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("terrace-plug")
        answers: list[zcl.Zcl] = []
        node.heard = lambda e, c, data, done: (answers.append(zcl.decode(data)), done(0))  # type: ignore[method-assign]
        node.send(1, 0x000A, zcl.Zcl(21, zcl.Command.READ, b"\0\0"))
        answer = await until(lambda: next((a for a in answers if a.sequence == 21), None))
        (attribute,) = zcl.parse_read_response(answer.payload)
        assert attribute.value > MIDSUMMER_NOON_S - 946_684_800 - 400 * 86_400
        node.send(1, 0x0020, zcl.Zcl(22, 0x00, b"", cluster_command=True, from_server=True))
        assert (
            await until(lambda: next((a for a in answers if a.sequence == 22), None))
        ).payload == bytes(3)


def test_the_ids_are_those_of_the_table() -> None:
    assert Id.PING == 0x2101
