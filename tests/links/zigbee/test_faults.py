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

from hombi.lab.zigbee_nodes import Attr, Part, ZigbeeNode
from hombi.links.base import Unreachable, Wanted
from hombi.links.zigbee import commands, points, radio, whereabouts, zcl
from hombi.links.zigbee.commands import Id, Incoming, parse
from hombi.links.zigbee.device import Device
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.frames import Frame
from hombi.links.zigbee.points import SERVED, standard_points
from hombi.links.zigbee.profiles import read_profile
from hombi.links.zigbee.replies import answer
from tests.links.told import on_link, until
from tests.links.zigbee.rig import PLANS, Rig, rig_at

TEMPERATURE, SWITCH, CONTACT = "1/0402/0000", "1/0006/0000", "1/0500/0002/0003"
EXTENDED, KEY, PAN, CHANNELS = 0x2D, 0x62, 0x83, 0x84


async def again(rig: Rig, *, kept: bool = True) -> None:
    """The hub is started again; with `kept` it knows its network."""
    await rig.driver.stop()
    rig.told.troubles.clear()
    rig.driver = rig.fresh_driver(rig.told.kept if kept else None)
    await rig.driver.start()


def came(rig: Rig, address: str, value: float) -> bool:
    """Whether this value came of the entity, among others: the hub reads nodes at times
    of its own."""
    return any(one.value == pytest.approx(value) for one in rig.told.values.get(address, []))


# The stick's network (35)


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
        found = dict(rig.stick.store)
        await again(rig, kept=kept)
        await until(lambda: rig.driver.info()["state"] != "down")
        assert {one: rig.stick.store.get(one) for one in found} == found, (
            "nothing was written or cleared"
        )
        if not kept:
            assert rig.driver.info()["state"] == "foreign"
            assert "must be let in anew" in rig.told.wrong, "what would be lost is in sight"
            with_all = item == KEY or how != "is"
            assert with_all or "PAN" in rig.told.wrong
        elif rig.driver.info()["state"] == "foreign":
            rig.stick.unreadable.clear()
            rig.stick.store.update(whole)
        else:
            assert rig.driver.info()["extended_pan_id"] == whole[EXTENDED][::-1].hex()


async def test_clearing_is_followed_by_the_reset_that_the_firmware_needs(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        assert rig.stick.running == rig.stick.store
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
        assert any("PAN 0x1234 now" in one for one in rig.told.refusals)


# Where nodes are (36)


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
        node.report(1, 0x0402, [zcl.Attribute(0, zcl.S16, 1234)])
        await until(lambda: rig.told.latest(f"loft-climate/{TEMPERATURE}") == pytest.approx(12.34))


async def test_a_node_that_does_not_answer_where_it_was_is_looked_for(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        plug = await rig.let_in("terrace-plug")
        plug.move(0x4243)
        await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
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
        for name, found in arrived.items():
            rig.driver.follow(on_link(name, found))
        rig.told.values.clear()
        await rig.driver.start()
        await rig.up()
        loft.report(1, 0x0402, [zcl.Attribute(0, zcl.S16, 555)])
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
        for name, found in arrived.items():
            rig.driver.follow(on_link(name, found))
        await rig.driver.start()
        await rig.up()
        await until(lambda: all(node.bound and node.agreed for node in nodes))


# The interview (37)


async def test_what_a_node_does_not_say_is_named_and_the_rest_is_taken(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = rig.node("terrace-plug")
        node.mute = {0x0702}
        quick_interview()
        found = await rig.arrive("terrace-plug")
        names = {one.name for one in found.offer.values}
        assert {"switch", "power"} <= names
        assert any("0702" in note for note in found.offer.left_out)
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
        found = await rig.arrive("loft-climate")
        assert "temperature" in {one.name for one in found.offer.values}
        assert any("its make and model" in note for note in found.offer.left_out)


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
        found = await rig.arrive("loft-climate")
        assert "temperature" in {one.name for one in found.offer.values}
        assert found.offer.left_out == ()


async def test_a_zone_whose_owner_cannot_be_written_and_a_refused_binding_are_noted(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        node = rig.node("workshop-door")
        node.owner_is_fixed, node.binds_with = True, 0x8C
        quick_interview()
        found = await rig.arrive("workshop-door")
        notes = " ".join(found.offer.left_out)
        assert "cannot be written down as its owner" in notes
        assert "not bound to the hub" in notes
        assert "contact" in {one.name for one in found.offer.values}


async def test_a_late_answer_for_another_endpoint_is_not_taken_for_this_one(tmp_path: Path) -> None:
    plan = replace(
        PLANS["terrace-plug"],
        address="double-plug",
        ieee=0x00F1_5EED_0000_0777,
        parts={
            1: PLANS["terrace-plug"].parts[1],
            2: Part(0x0051, {0x0006: {0x0000: Attr(zcl.BOOL)}}),
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
        found = await until(lambda: rig.told.arrived.get(node.thing_id))
        wires = {one.wire_name for one in found.offer.values}
        assert "2/0006/0000" in wires
        assert "2/0B04/050B" not in wires


async def test_who_joins_while_the_window_is_closed_is_told_to_leave(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = rig.node("terrace-plug")
        node.join()
        await until(lambda: not node.joined)
        assert any("told to leave" in one for one in rig.told.refusals)


def quick_interview() -> None:
    """Nodes here answer at once or never."""
    from hombi.links.zigbee import interview

    interview.PAUSE_S = 0.01
    radio.ANSWER_S = 0.3


@pytest.fixture(autouse=True)
def as_before(monkeypatch: pytest.MonkeyPatch) -> None:
    from hombi.links.zigbee import interview

    monkeypatch.setattr(interview, "PAUSE_S", interview.PAUSE_S)
    monkeypatch.setattr(radio, "ANSWER_S", radio.ANSWER_S)
    monkeypatch.setattr(whereabouts, "ANSWER_S", 1.0)


# Frames (38, 39, 41, 42)


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
        assert any("type 0x57" in one for one in rig.told.refusals)


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
        values = [one.value for one in rig.told.values[f"loft-climate/{TEMPERATURE}"][count:]]
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
    own = device.attributes(1, 0x0402, [zcl.Attribute(0, zcl.S16, 215)], 0, 0x115F)
    standard = device.attributes(1, 0x0402, [zcl.Attribute(0, zcl.S16, 2150)], 0)
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
        assert [one.value for one in rig.told.values[f"workshop-door/{CONTACT}"]][:3] == [
            True,
            False,
            True,
        ]


def heard(data: str, cluster: int = 0x0402, *, broadcast: bool = False, group: int = 0) -> Incoming:
    return Incoming(cluster, 0x1234, 1, 200, broadcast, bytes.fromhex(data), group)


@pytest.mark.parametrize(
    ("message", "said"),
    [
        (
            heard("08070a00002964 00".replace(" ", "")),
            "10070b0a00",
        ),  # a report from a server that wants a default response
        (heard("18070a0000296400"), None),  # and one that does not
        (heard("0c5f11070a0000296400"), "145f11070b0a00"),  # with the maker's code of the question
        (
            heard("0107 42", 0x0006),
            "18070b4281",
        ),  # a command that the hub does not know (81), the other way
        (
            heard("1107 42", 0x0006),
            "18070b4281",
        ),  # an error is said also to who wants no default response
        (heard("010742", 0x0006, group=5), None),
        (heard("010742", 0x0006, broadcast=True), None),
        (heard("08070b0a00"), None),  # a default response has none
        (
            heard("0007 00 0000 0400 9900", 0x0000),
            "180701" + "0000002003" + "0400004205486f6d6269" + "990086",
        ),
        (heard("0007 00 0100", 0x0402), "180701010086"),
        (heard("0007 02 0400 42 0178", 0x0000), "180704880400"),
        (heard("0007 02 9900 20 01", 0x0000), "180704869900"),
        (heard("0007 05 0400 42 0178", 0x0000), None),
        (heard("0007 0c 0000 02", 0x0000), "18070d00" + "000020" + "040042"),
        (heard("0007 0c 0500 09", 0x0000), "18070d01" + "050042" + "070030"),
        (heard("0007 06 00 0000 20 0a00 5802 01", 0x0000), "1807078c000000"),
        (heard("0007 15", 0x0402), "18070b1581"),  # a general command that there is not
    ],
)
def test_what_is_answered_is_as_the_standard_says(message: Incoming, said: str | None) -> None:
    frame = zcl.decode(message.data)
    found = answer(message, frame)
    assert (None if found is None else zcl.encode(found).hex()) == said


@pytest.mark.parametrize("short", [0x1234])
def test_the_extended_form_of_what_comes_is_understood(short: int) -> None:
    data = bytes.fromhex("18010a00002964 00".replace(" ", ""))
    long = (
        struct.pack(
            "<HHBQBHBBBBIBH", 0, 0x0402, 2, short, 1, 0x1A62, 1, 0, 190, 0, 77, 5, len(data)
        )
        + data
    )
    assert parse(Frame(0x4482, long)) == Incoming(0x0402, short, 1, 190, False, data)
    assert parse(Frame(0x4482, long + b"\x00\x1e")) == Incoming(0x0402, short, 1, 190, False, data)
    plain = struct.pack("<HHHBBBBBIBB", 0, 0x0402, short, 1, 1, 0, 190, 0, 77, 5, len(data)) + data
    assert parse(Frame(0x4481, plain)) == parse(Frame(0x4482, plain))
    with pytest.raises(CodecError):
        parse(Frame(0x4482, long[:15]))


@pytest.mark.parametrize(
    ("unit", "kind", "shown", "raw", "value"),
    [
        (0x00, "energy", "kWh", 1234, 1.234), (0x01, "volume", "m³", 1234, 1.234),
        (0x02, "volume", "m³", 1000, 0.028316847),
        (0x03, "volume", "m³", 1000, 2.831684659), (0x04, "volume", "l", 1000, 3.785411784),
        (0x05, "volume", "l", 1000, 4.54609),
        (0x06, "energy", "kWh", 1_000_000, 0.29307107), (0x07, "volume", "l", 1234, 1.234),
        (0x08, "number", "", 1234, 1.234),
        (0x0C, "energy", "kWh", 3600, 1.0), (0x0D, "number", "", 1234, 1.234),
        (0x80, "energy", "kWh", 0x1234, 1.234),
        (0x81, "volume", "m³", 0x1234, 1.234),
    ],
)  # fmt: skip
def test_a_meter_counts_in_its_own_unit(
    unit: int, kind: str, shown: str, raw: int, value: float
) -> None:
    facts = {"1/0702/0300": unit, "1/0702/0301": 1, "1/0702/0302": 1000}
    point = next(one for one in standard_points(1, [0x0702], facts) if one.attribute == 0)
    assert (point.kind, point.unit) == (kind, shown)
    assert point.value(raw) == pytest.approx(value)


@pytest.mark.parametrize("scale", [20, -128, 127])
def test_a_pressure_scale_that_cannot_be_is_passed_over(scale: int) -> None:
    (point,) = standard_points(1, [0x0403], {"1/0403/0010": 10132, "1/0403/0014": scale})
    assert point.attribute == 0
    assert zcl.configure([zcl.Reporting(0, zcl.S16, 10, 600, 5e20)])


@pytest.mark.parametrize(
    "report",
    ["[10, 100000, 20]", "[-1, 600, 20]", "[600, 10, 20]", "[10, 600, -1]", "[10.5, 600, 1]"],
)
def test_a_report_that_does_not_fit_is_a_mistake(report: str) -> None:
    text = (
        f'[profile]\nmake = "A"\nmodel = "B"\n[[value]]\ncluster = 1\nattribute = 2\ntype = '
        f'"u8"\nname = "x"\nreport = {report}\n'
    )
    profile, toml = read_profile(text)
    assert profile is None
    assert (toml.mistakes[0].place.line, toml.mistakes[0].place.column) == (9, 10)


def test_the_lowest_level_is_not_off() -> None:
    level = next(one for one in SERVED if one.name == "level")
    assert [level.value(raw) for raw in (0, 1, 2, 3, 127, 254)] == [0.0, 1.0, 1.0, 1.0, 50.0, 100.0]


async def test_an_answer_of_the_network_layer_may_take_as_long_as_a_sleeper_does() -> None:
    assert radio.ANSWER_S > 7.68


def test_datapoints_are_asked_of_their_own_endpoint() -> None:
    profile, _ = read_profile(
        '[profile]\nmake = "A"\nmodel = "B"\n[datapoints]\nendpoint = '
        '2\n[[datapoint]]\nid = 1\ntype = "value"\nname = "x"\n'
    )
    assert profile is not None
    assert profile.datapoint_endpoint == 2


# Sending (40)


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


# Motion (43)


async def test_motion_that_is_never_said_to_be_over_is_over_after_its_time(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert points.CLEAR_S == 120
    monkeypatch.setattr(points, "CLEAR_S", 0.4)
    door = PLANS["workshop-door"].parts[1]
    zone = {**door.clusters[0x0500], 0x0001: Attr(zcl.ENUM16, 0x000D)}
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
        found = await until(lambda: rig.told.arrived.get(node.thing_id))
        assert "occupancy" in {one.kind.name for one in found.offer.values}
        rig.driver.follow(on_link("motion", found))
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
        assert rig.told.latest(f"motion/{CONTACT}") is True, "each report begins the time anew"
        await until(lambda: rig.told.latest(f"motion/{CONTACT}") is False)
