"""What real sticks and nodes do that they should not, or may: over a real pty, with
bytes that the hub's encoder did not make."""

from __future__ import annotations

import asyncio
import struct
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from hombi.lab.zigbee_nodes import ZigbeeNode
from hombi.lab.zigbee_plan import Attr, Part
from hombi.links.base import Unreachable, Wanted
from hombi.links.zigbee import commands, driver, points, radio, zcl
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee.commands import Id
from hombi.links.zigbee.device import Device
from hombi.links.zigbee.profiles import read_profile
from tests.links.told import on_link, until
from tests.links.zigbee.rig import (
    CONTACT,
    PLANS,
    SWITCH,
    TEMPERATURE,
    Rig,
    came,
    quick_interview,
    rig_at,
)

BATTERY = "1/0001/0021"
EXTENDED, KEY, PAN, CHANNELS = 0x2D, 0x62, 0x83, 0x84
# The firmware writes this by itself at each start.
COUNTED = 0x75


async def again(rig: Rig, *, kept: bool = True) -> None:
    """The hub is started again; with `kept` it knows its network."""
    await rig.driver.stop()
    rig.told.troubles.clear()
    rig.driver = rig.fresh_driver(rig.told.kept if kept else None)
    await rig.driver.start()


@pytest.mark.parametrize(
    ("how", "item", "value"),
    [
        ("unreadable", KEY, 0x01),
        ("unreadable", EXTENDED, 0x0C),
        ("unreadable", PAN, 0x05),
        ("gone", PAN, None),
        ("is", PAN, b"\xff\xff"),
        ("is", EXTENDED, b"\xff" * 8),
        ("is", EXTENDED, bytes(8)),
        ("gone", KEY, None),
    ],
)
@pytest.mark.parametrize("kept", [True, False])
async def test_a_network_is_never_wiped_because_something_cannot_be_read(
    tmp_path: Path, how: str, item: int, value: Any, kept: bool
) -> None:
    async with rig_at(tmp_path) as rig:
        whole = dict(rig.stick.store)
        if how == "unreadable":
            rig.stick.unreadable[item] = value
        elif how == "gone":
            del rig.stick.store[item]
        else:
            rig.stick.store[item] = value
        result = {one: held for one, held in rig.stick.store.items() if one != COUNTED}
        await again(rig, kept=kept)
        await until(lambda: rig.driver.info()["state"] != "down")
        assert {one: rig.stick.store.get(one) for one in result} == result, (
            "nothing was written or cleared"
        )
        if not kept:
            assert rig.driver.info()["state"] == "foreign"
            assert "must be let in again" in rig.told.wrong, "what would be lost is in sight"
            with_all = item == KEY or how != "is"
            assert with_all or "PAN" in rig.told.wrong
        elif rig.driver.info()["state"] == "foreign":
            rig.stick.unreadable.clear()
            rig.stick.store.update(whole)
        else:
            assert rig.driver.info()["extended_pan_id"] == whole[EXTENDED][::-1].hex()


async def test_clearing_is_followed_by_the_reset_that_the_firmware_needs(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        counted = {COUNTED: rig.stick.store[COUNTED]}
        assert rig.stick.running | counted == rig.stick.store
        await again(rig, kept=False)
        await until(lambda: rig.driver.info()["state"] == "foreign")
        before = rig.stick.store[EXTENDED]
        await rig.driver.choose("clean")
        await rig.up()
        assert rig.stick.store[EXTENDED] != before
        assert rig.stick.running[EXTENDED] == rig.stick.store[EXTENDED]
        assert rig.driver.info()["pan_id"] == int.from_bytes(rig.stick.store[PAN], "little")


async def test_a_stick_as_it_comes_from_the_factory_is_blank(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        await rig.driver.stop()
        rig.stick.store.clear()
        rig.stick.store |= {
            KEY: bytes.fromhex("01030507090b0d0f00020406080a0c0d"), PAN: b"\xff\xff",
            EXTENDED: b"\xdd" * 8,
            CHANNELS: (0x0800).to_bytes(4, "little"),
        }  # fmt: skip
        await again(rig, kept=False)
        await rig.up()


async def test_another_pan_id_than_the_one_kept_is_said(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        rig.stick.store[PAN] = b"\x34\x12"
        await again(rig)
        await rig.up()
        assert any("PAN 0x1234 now" in refusal for refusal in rig.told.refusals)


async def test_what_a_node_does_not_say_is_named_and_the_rest_is_taken(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = rig.node("terrace-plug")
        node.mute = {0x0702}
        quick_interview()
        result = await rig.arrive("terrace-plug")
        names = {value.name for value in result.offer.values}
        assert {"switch", "power"} <= names
        assert any("0702" in note for note in result.offer.left_out)
        node.mute = set()
        await rig.driver.ask_again(node.thing_id)
        await until(
            lambda: (
                not any("0702" in note for note in rig.told.arrived[node.thing_id].offer.left_out)
            )
        )


async def test_a_mute_basic_cluster_costs_the_name_only(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = rig.node("loft-climate")
        node.mute = {0x0000}
        quick_interview()
        result = await rig.arrive("loft-climate")
        assert "temperature" in {value.name for value in result.offer.values}
        assert any("its make and model" in note for note in result.offer.left_out)


@pytest.mark.parametrize("status", [0x80, 0x81])
@pytest.mark.parametrize(
    "question", [Id.NODE_DESCRIPTOR, Id.ACTIVE_ENDPOINTS, Id.SIMPLE_DESCRIPTOR]
)
async def test_a_status_once_is_no_answer_for_good(
    tmp_path: Path, status: int, question: Id
) -> None:
    async with rig_at(tmp_path) as rig:
        node = rig.node("loft-climate")
        node.statuses = {question: [status]}
        quick_interview()
        result = await rig.arrive("loft-climate")
        assert "temperature" in {value.name for value in result.offer.values}
        assert result.offer.left_out == ()


async def test_a_zone_whose_owner_cannot_be_written_and_a_refused_binding_are_noted(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        node = rig.node("workshop-door")
        node.owner_is_fixed, node.binds_with = True, 0x8C
        quick_interview()
        result = await rig.arrive("workshop-door")
        notes = " ".join(result.offer.left_out)
        assert "cannot be written down as its owner" in notes
        assert "not bound to the hub" in notes
        assert "contact" in {value.name for value in result.offer.values}


async def test_a_late_answer_for_another_endpoint_is_not_taken_for_this_one(tmp_path: Path) -> None:
    plan = replace(
        PLANS["terrace-plug"],
        address="double-plug",
        ieee=0x00F1_5EED_0000_0777,
        parts={
            1: PLANS["terrace-plug"].parts[1],
            2: Part(0x0051, {0x0006: {0x0000: Attr(dt.BOOL)}}),
        },
    )
    async with rig_at(tmp_path) as rig:
        node = rig.build(plan)
        tell = node._tell_simple

        def twice(ids: bytes, endpoint: int) -> None:
            tell(ids, 1)  # an answer to a question before
            tell(ids, endpoint)

        node._tell_simple = twice  # type: ignore[method-assign]
        rig.driver.pairing(True)
        await until(lambda: rig.stick.permits)
        node.press()
        result = await until(lambda: rig.told.arrived.get(node.thing_id))
        wires = {value.wire_name for value in result.offer.values}
        assert "2/0006/0000" in wires
        assert "2/0B04/050B" not in wires


async def test_who_joins_while_the_window_is_closed_is_told_to_leave(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = rig.node("terrace-plug")
        node.join()
        await until(lambda: not node.joined)
        assert any("told to leave" in refusal for refusal in rig.told.refusals)


def raw_report(
    node: ZigbeeNode,
    cluster: int,
    records: str,
    *,
    control: int = 0x18,
    maker: str = "",
    sequence: int = 0,
) -> None:
    head = (
        bytes((control,)) + bytes.fromhex(maker) + bytes((sequence or node.next_sequence(), 0x0A))
    )
    node.stick.incoming(node, 1, cluster, head + bytes.fromhex(records))


async def test_an_odd_type_costs_its_own_record_only(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("terrace-light")
        # Illuminance as u32 with a value that no u16 has, and in the same read of the
        # port a good report.
        raw_report(node, 0x0400, "0000 23 f0ffffff".replace(" ", ""))
        raw_report(node, 0x0001, "2100 20 64".replace(" ", ""))
        await until(lambda: came(rig, "terrace-light/1/0001/0021", 50.0))
        # A good record before one of a reserved type, and before a key of 128 bits.
        raw_report(node, 0x0001, ("2100 20 66" + "3400 57 00").replace(" ", ""))
        await until(lambda: came(rig, "terrace-light/1/0001/0021", 51.0))
        raw_report(node, 0x0001, ("3400 f1" + "00" * 16 + "2100 20 68").replace(" ", ""))
        await until(lambda: came(rig, "terrace-light/1/0001/0021", 52.0))
        assert any("type 0x57" in refusal for refusal in rig.told.refusals)


async def test_a_makers_attribute_is_not_the_standard_one_of_the_same_number(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-climate")
        await until(lambda: rig.told.latest(f"loft-climate/{TEMPERATURE}"))
        count = len(rig.told.values[f"loft-climate/{TEMPERATURE}"])
        raw_report(node, 0x0402, "0000295c03", control=0x1C, maker="5f11")
        raw_report(node, 0x0402, "0000295802")
        await until(lambda: rig.told.latest(f"loft-climate/{TEMPERATURE}") == pytest.approx(6.0))
        values = [value.value for value in rig.told.values[f"loft-climate/{TEMPERATURE}"][count:]]
        assert pytest.approx(8.6) not in values


def test_a_profiles_makers_attribute_stands_beside_the_standard_point() -> None:
    profile, toml = read_profile(
        '[profile]\nmake = "A"\nmodel = "B"\n[[value]]\ncluster = 0x0402\nattribute = '
        '0x0000\ntype = "s16"\nmanufacturer = 0x115F\n'
        'name = "core"\nkind = "temperature"\nscale = 0.1\n'
    )
    assert profile is not None, toml.mistakes
    device = Device(1, 2, make="A", model="B")
    from hombi.links.zigbee.device import Endpoint

    device.endpoints[1] = Endpoint(0x0104, 0x0302, (0x0402,), ())
    device.settle(profile)
    assert set(device.points) == {TEMPERATURE, "1/0402/0000@115F"}
    own = device.attributes(1, 0x0402, [zcl.Attribute(0, dt.S16, 215)], 0, 0x115F)
    standard = device.attributes(1, 0x0402, [zcl.Attribute(0, dt.S16, 2150)], 0)
    assert [(one.name, one.value) for one in (*own, *standard)] == [
        ("1/0402/0000@115F", 21.5),
        (TEMPERATURE, 21.5),
    ]


async def test_open_closed_open_in_a_breath_are_three(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("workshop-door")
        rig.told.values.clear()
        node.zone_alarm = None  # type: ignore[attr-defined]
        for status in (
            1,
            1,
            0,
            1,
        ):  # the second is the first, sent again; this node never counts its frames
            payload = bytes((0x09, 0x07, 0x00)) + struct.pack("<HBBH", status, 0, 0, 0)
            node.stick.incoming(node, 1, 0x0500, payload)
        await until(lambda: len(rig.told.values.get(f"workshop-door/{CONTACT}", [])) >= 3)
        assert [value.value for value in rig.told.values[f"workshop-door/{CONTACT}"]][:3] == [
            True,
            False,
            True,
        ]


async def test_an_answer_of_the_network_layer_may_take_as_long_as_a_sleeper_does() -> None:
    assert radio.ANSWER_S > 7.68


def test_tunnelled_values_are_asked_of_their_own_endpoint() -> None:
    profile, _ = read_profile(
        '[profile]\nmake = "A"\nmodel = "B"\n'
        '[[tunnelled]]\nendpoint = 2\ncluster = 0xFC52\nid = 1\ntype = "s32"\nname = "x"\n'
    )
    assert profile is not None
    assert profile.tunnels == {(2, 0xFC52)}


@pytest.mark.parametrize("status", [0xE9, 0xF0, 0xCD, 0xB7, 0xE1, 0x11, 0x10])
@pytest.mark.parametrize("where", ["not_sent", "not_arrived"])
async def test_what_does_not_arrive_once_is_sent_again(
    tmp_path: Path, status: int, where: str
) -> None:
    async with rig_at(tmp_path) as rig:
        plug = await rig.let_in("terrace-plug")
        setattr(rig.stick, where, [status] * 2)
        await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert plug.on


async def test_what_does_not_arrive_at_all_is_said_in_words_within_the_commands_time(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        await rig.let_in("terrace-plug")
        rig.stick.not_arrived = [0xE1] * 1000
        began = time.monotonic()
        with pytest.raises(Unreachable, match="the radio channel is busy"):
            await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert time.monotonic() - began < radio.SEND_S + 3
        rig.stick.not_arrived = [0x84]
        with pytest.raises(Unreachable, match="does not do that"):
            await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert all("0x" not in commands.status_words(one) for one in commands.AGAIN_S)


async def test_motion_that_is_never_said_to_be_over_is_over_after_its_time(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert points.CLEAR_S == 120
    monkeypatch.setattr(points, "CLEAR_S", 0.4)
    door = PLANS["workshop-door"].parts[1]
    zone = {**door.clusters[0x0500], 0x0001: Attr(dt.ENUM16, 0x000D)}
    plan = replace(
        PLANS["workshop-door"],
        address="motion",
        ieee=0x00F1_5EED_0000_0888,
        parts={1: Part(0x0402, {**door.clusters, 0x0500: zone})},
        zone_alarm=None,
    )
    async with rig_at(tmp_path) as rig:
        node = rig.build(plan)
        rig.driver.pairing(True)
        await until(lambda: rig.stick.permits)
        node.press()
        result = await until(lambda: rig.told.arrived.get(node.thing_id))
        assert "occupancy" in {value.kind.name for value in result.offer.values}
        rig.driver.follow(on_link("motion", result))
        await asyncio.sleep(0.6)
        device = rig.driver.devices[node.ieee]
        device.says_clear.clear()
        rig.told.values.clear()

        def moves() -> None:
            payload = bytes((0x09, node.next_sequence(), 0x00)) + struct.pack("<HBBH", 1, 0, 0, 0)
            node.stick.incoming(node, 1, 0x0500, payload)

        moves()
        await until(lambda: rig.told.latest(f"motion/{CONTACT}") is True)
        await asyncio.sleep(0.25)
        moves()
        await asyncio.sleep(0.25)
        assert rig.told.latest(f"motion/{CONTACT}") is True, "each report begins the time again"
        await until(lambda: rig.told.latest(f"motion/{CONTACT}") is False)


async def test_a_new_node_is_asked_again_for_what_it_did_not_tell(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A battery that does not change is not reported for hours."""
    monkeypatch.setattr(driver, "FIRST_AGAIN_S", (0.3, 0.6, 1.2, 2.4))
    async with rig_at(tmp_path) as rig:
        quick_interview()
        found = await rig.arrive("workshop-remote")
        node = rig.node("workshop-remote")
        node.agreed.clear()  # nothing is reported by itself
        await asyncio.sleep(0.2)  # what is on its way is from before it was let in
        node.mute = {0x0001}
        rig.driver.follow(on_link("workshop-remote", found))
        device = rig.driver.devices[node.ieee]
        await until(lambda: device.unread == {BATTERY})
        assert rig.told.latest(f"workshop-remote/{BATTERY}") is None
        node.mute = set()
        await until(lambda: rig.told.latest(f"workshop-remote/{BATTERY}"))
        assert not device.unread


async def test_a_node_that_told_nothing_is_asked_again_when_it_speaks(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(driver, "FIRST_AGAIN_S", ())
    monkeypatch.setattr(driver, "AGAIN_S", 0.1)
    async with rig_at(tmp_path) as rig:
        quick_interview()
        found = await rig.arrive("workshop-remote")
        node = rig.node("workshop-remote")
        node.agreed.clear()  # nothing is reported by itself
        await asyncio.sleep(0.2)  # what is on its way is from before it was let in
        node.mute = {0x0001}
        rig.driver.follow(on_link("workshop-remote", found))
        device = rig.driver.devices[node.ieee]
        await until(lambda: device.unread == {BATTERY})
        # What a stick that is away cannot ask for is not forgotten.
        rig.stick.unplug()
        await until(lambda: rig.driver.info()["state"] != "up")
        await rig.driver._read_unread(device)
        assert device.unread == {BATTERY}
        rig.stick.plug()
        await rig.up()
        # A node that never answers is asked ever more seldom.
        pauses = []
        for _ in range(3):
            device.ask_again_s = 0.0
            node.tap("button 1")
            await until(lambda: device.ask_again_s)
            pauses.append(device.ask_pause_s)
        assert pauses == [0.1, 0.2, 0.4]
        await asyncio.sleep(0.6)
        node.mute = set()
        await asyncio.sleep(0.5)
        assert rig.told.latest(f"workshop-remote/{BATTERY}") is None
        node.tap("button 2")
        await until(lambda: rig.told.latest(f"workshop-remote/{BATTERY}"))
        assert not device.unread
