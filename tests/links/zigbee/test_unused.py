"""What a node has of which the hub makes no value: it is named, and can be named."""

from __future__ import annotations

import struct
from dataclasses import replace
from pathlib import Path

import pytest

from hombi.lab.zigbee_nodes import ZigbeeNode
from hombi.lab.zigbee_plan import Attr, Part
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import zcl
from hombi.links.zigbee.clusters import unused
from hombi.links.zigbee.errors import CodecError
from tests.links.told import on_link, until
from tests.links.zigbee.rig import PLANS, SWITCH, Rig, rig_at

PUMP, OTA, LEVEL, OWN = 0x0200, 0x0019, 0x0008, 0xFC11
NAMED = [
    "it has pump (cluster 0200 on endpoint 1); only a profile can make values of it",
    "it has something of its maker's own (cluster FC11 on endpoint 1); only a profile can make "
    "values of it",
]


def lock(rig: Rig, sleepy: bool = False) -> ZigbeeNode:
    """A plug whose maker also gave it a pump, and a dial."""
    plan = PLANS["terrace-plug"]
    part = plan.parts[1]
    attributes = {number: Attr(dt.U8, number % 7) for number in range(0, 0x28, 4)}
    clusters = {**part.clusters, PUMP: attributes, OWN: {}, OTA: {}}
    return rig.build(
        replace(
            plan,
            address="lock",
            ieee=plan.ieee + 0x400,
            sleepy=sleepy,
            parts={1: Part(part.device, clusters, (LEVEL, OTA))},
        )
    )


async def test_it_is_named_on_the_arrival_bound_and_read_for_the_profile(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = lock(rig)
        arrived = await rig.arrive("lock")
        assert list(arrived.offer.left_out) == NAMED
        # What it has no attributes of, it may send all the same.
        bound = {(1, one) for one in (PUMP, OWN, LEVEL)}
        await until(lambda: bound <= node.bound)
        assert (1, OTA) not in node.bound
        rig.driver.follow(on_link("lock", arrived))
        device = next(iter(rig.driver.devices.values()))
        await until(lambda: len(device.unnamed) >= 10)
        _, text, count = rig.driver.profile_of("lock")
        assert count >= 10
        assert "cluster = 0x0200\nattribute = 0x0024" in text
        assert "# it was 1\n" in text

        # After a restart what it told is asked for again when somebody looks.
        await rig.driver.stop()
        rig.driver = rig.fresh_driver(rig.told.kept)
        rig.driver.follow(on_link("lock", arrived))
        await rig.driver.start()
        await rig.up()
        rig.driver.profile_of("lock")
        await until(lambda: rig.driver.profile_of("lock")[2] >= 10)

        # And a profile that names a value takes the cluster from the list.
        value = (
            '[profile]\nmake = "{}"\nmodel = "{}"\n\n[[value]]\nendpoint = 1\n'
            'cluster = 0x0200\nattribute = 0x0004\ntype = "u8"\nname = "bolt"\nkind = "number"\n'
        )
        await rig.driver.put_profile("lock", value.format(node.plan.make, node.plan.model))
        await until(lambda: list(rig.told.arrived[node.thing_id].offer.left_out) == NAMED[1:])
        await until(lambda: rig.told.latest("lock/1/0200/0004") == 4)


async def test_a_node_that_answers_nothing_about_it_is_let_in_all_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hombi.links.zigbee.radio.ANSWER_S", 0.2)
    async with rig_at(tmp_path) as rig:
        node = lock(rig)
        node.mute |= {PUMP, OWN}
        arrived = await rig.arrive("lock")
        assert list(arrived.offer.left_out) == NAMED
        rig.driver.follow(on_link("lock", arrived))
        await until(lambda: rig.told.latest(f"lock/{SWITCH}") is not None)


def test_what_is_used_or_is_for_the_nodes_own_working_is_not_named() -> None:
    everything = [number for number, _ in ((one, 0) for one in range(0x1001))]
    named = unused({1: everything}, [(1, 0x0402)])
    assert {one.cluster for one in named}.isdisjoint({0x0000, 0x0402, 0x0019})
    assert str(unused({2: [0x0999]}, [])[0]).startswith("it has cluster 0999 on endpoint 2;")


@pytest.mark.parametrize(
    ("payload", "wanted"),
    [
        ("01", (True, [])),
        ("00040020050029", (False, [(4, 0x20), (5, 0x29)])),
        ("", None),
        ("010400", None),
    ],
)
def test_an_answer_to_a_discovery_as_the_wire_has_it(payload: str, wanted: object) -> None:
    data = bytes.fromhex(payload)
    if wanted is None:
        with pytest.raises(CodecError):
            zcl.parse_discovered(data)
    else:
        assert zcl.parse_discovered(data) == wanted
    assert zcl.discover(0x0102, 16) == struct.pack("<HB", 0x0102, 16) == b"\x02\x01\x10"
