"""The stick comes and goes, and whose network is on it."""

from __future__ import annotations

from pathlib import Path

import pytest

from hombi.links.base import Unreachable, Wanted
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import network, zcl
from hombi.links.zigbee.commands import Item, Version
from hombi.links.zigbee.errors import NoAnswer
from hombi.links.zigbee.processor import Processor
from tests.links.told import on_link, until
from tests.links.zigbee.rig import SWITCH, TEMPERATURE, Rig, report, rig_at


async def test_a_stick_that_is_unplugged_is_said_and_found_again(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("terrace-plug")
        rig.stick.unplug()
        await until(lambda: "unplugged" in rig.told.wrong)
        with pytest.raises(Unreachable):
            await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert rig.driver.checks()[0].state == "fault"
        rig.stick.plug()
        await rig.up()
        assert rig.told.wrong == ""
        await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert node.on


async def test_a_stick_that_is_not_there_does_not_keep_the_hub_from_starting(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path, plugged=False) as rig:
        await until(lambda: rig.told.troubles)
        assert "there is no Zigbee stick at" in rig.told.troubles[0]
        rig.stick.plug()
        await rig.up()


async def test_a_stick_that_answers_nothing_is_said(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hombi.links.zigbee.stick.QUIET_S", 0.1)
    monkeypatch.setattr("hombi.links.zigbee.processor.ANSWER_S", 0.2)
    monkeypatch.setattr("hombi.links.zigbee.processor.Processor.request.__defaults__", (0.2,))
    monkeypatch.setattr("hombi.links.zigbee.processor.Processor.open.__defaults__", (115_200, 0.2))
    async with rig_at(tmp_path) as rig:
        rig.stick.mute = True
        await until(lambda: "does not answer" in rig.told.wrong)
        rig.stick.mute = False
        await rig.up()


async def test_garbage_on_the_line_costs_nothing_but_itself(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("loft-climate")
        await until(lambda: rig.told.latest(f"loft-climate/{TEMPERATURE}"))
        rig.stick.say(b"\x00\xfe\xff\x13" + b"\xfe\x30half a frame")
        report(node, 0x0402, zcl.Attribute(0, dt.S16, 1234))
        await until(lambda: rig.told.latest(f"loft-climate/{TEMPERATURE}") == 12.34)
        assert "not understood" in rig.driver.checks()[0].text
        node.send(1, 0x0402, zcl.Zcl(5, zcl.Command.REPORT, b"\0\0\x29\x01", from_server=True))
        await until(lambda: rig.told.refusals)
        assert (
            "loft-climate: cluster 0402: a value of type 0x29 ends after 1 of its 2 bytes"
            in rig.told.refusals
        )


async def test_the_network_is_kept_and_gone_on_with(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        await rig.let_in("terrace-plug")
        before = rig.driver.info()
        arrived = rig.told.arrived[rig.node("terrace-plug").thing_id]
        await rig.driver.stop()
        rig.driver = rig.fresh_driver(rig.told.kept)
        rig.driver.follow(on_link("terrace-plug", arrived))
        await rig.driver.start()
        await rig.up()
        assert rig.driver.info() == before
        await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert rig.node("terrace-plug").on


async def test_a_blank_stick_takes_our_network_over(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        before = rig.driver.info()
        key = rig.stick.store[0x62]
        await rig.driver.stop()
        rig.stick.store.clear()
        rig.driver = rig.fresh_driver(rig.told.kept)
        await rig.driver.start()
        await rig.up()
        assert rig.driver.info() == before
        assert rig.stick.store[0x62] == key


@pytest.mark.parametrize("known", [True, False])
async def test_nodes_listen_to_an_erased_stick_that_takes_the_network_over(
    tmp_path: Path, known: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also where the hub never knew how far its frames were counted."""
    monkeypatch.setattr("hombi.links.zigbee.stick.COUNT_EVERY_S", 0.1)
    monkeypatch.setattr("hombi.links.zigbee.stick.WATCH_EVERY_S", 0.1)
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("terrace-plug")
        arrived = rig.told.arrived[node.thing_id]
        # Months later, while the hub has been up all the time.
        rig.stick.counter = node.counted = 7_000_000
        rig.stick._count_ahead()
        await until(lambda: rig.told.kept["network"]["counter"] >= 7_000_000)
        if not known:
            rig.told.kept["network"]["counter"] = 0
        await rig.driver.stop()
        rig.stick.store.clear()
        rig.driver = rig.fresh_driver(rig.told.kept)
        rig.driver.follow(on_link("terrace-plug", arrived))
        await rig.driver.start()
        await rig.up()
        await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert node.on


async def test_a_person_is_asked_before_a_network_is_formed_to_which_no_node_listens(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("terrace-plug")
        node.counted = 7_000_000
        await rig.driver.stop()
        rig.stick.store.clear()
        rig.stick.write_protected = {Item.SECURITY_MATERIAL}
        rig.driver = rig.fresh_driver(rig.told.kept)
        arrived = rig.told.arrived[node.thing_id]
        rig.driver.follow(on_link("terrace-plug", arrived))
        await rig.driver.start()
        await until(lambda: rig.driver.info()["state"] == "foreign")
        assert "no node would listen" in rig.told.wrong
        await rig.driver.choose("clean")
        await rig.up()
        with pytest.raises(Unreachable, match="did not acknowledge"):
            await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        # Let in again, it listens.
        rig.driver.pairing(True)
        await until(lambda: rig.stick.permits)
        node.reset_unheard()
        await until(lambda: rig.told.here.get("terrace-plug"))
        await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert node.on


@pytest.mark.parametrize("choice", ["keep", "clean"])
async def test_a_foreign_network_is_never_taken_or_lost_silently(
    tmp_path: Path, choice: str
) -> None:
    async with rig_at(tmp_path) as rig:
        foreign = rig.driver.info()
        await rig.driver.stop()
        rig.told.kept.clear()
        rig.driver = rig.fresh_driver()
        await rig.driver.start()
        await until(lambda: rig.driver.info()["state"] == "foreign")
        assert "carries a network that is not this house's" in rig.told.wrong
        assert rig.driver.checks()[0].advice == "`hombi link keep` or `hombi link clean`"
        await rig.driver.choose(choice)
        await rig.up()
        same = rig.driver.info()["extended_pan_id"] == foreign["extended_pan_id"]
        assert same == (choice == "keep")


async def test_another_stick_in_the_place_of_a_foreign_one_needs_no_word(tmp_path: Path) -> None:
    async with rig_at(tmp_path) as rig:
        ours = rig.stick.store[0x2D]
        rig.stick.unplug()
        rig.stick.store[0x2D] = bytes(range(8))
        rig.stick.plug()
        await until(lambda: rig.driver.info()["state"] == "foreign")
        rig.stick.unplug()
        await until(lambda: "there is no Zigbee stick" in rig.told.wrong)
        rig.stick.store[0x2D] = ours
        rig.stick.plug()
        await rig.up()


async def test_nodes_of_a_network_that_was_kept_arrive_as_soon_as_they_speak(
    tmp_path: Path,
) -> None:
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("terrace-plug")
        await rig.driver.stop()
        rig.told.kept.clear()
        rig.told.arrived.clear()
        rig.driver = rig.fresh_driver()
        await rig.driver.start()
        await until(lambda: rig.driver.info()["state"] == "foreign")
        await rig.driver.choose("keep")
        await rig.up()
        rig.driver.pairing(True)
        report(node, 0x0006, zcl.Attribute(0, dt.BOOL, True))
        assert await until(lambda: rig.told.arrived.get(node.thing_id))


async def test_an_older_stick_forms_its_network_in_the_older_way(tmp_path: Path) -> None:
    rig = Rig(tmp_path)
    rig.stick._product = 0
    rig.stick.plug()
    await rig.driver.start()
    await rig.up()
    assert rig.driver.info()["firmware"] == "firmware 2.7.1, build 20260401"
    await rig.driver.stop()
    rig.stick.unplug()


async def test_a_firmware_that_has_restarted_without_a_word_is_brought_up_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It answers all that it is asked; only its radio is down."""
    monkeypatch.setattr("hombi.links.zigbee.stick.QUIET_S", 0.1)
    monkeypatch.setattr("hombi.links.zigbee.stick.WATCH_EVERY_S", 0.1)
    async with rig_at(tmp_path) as rig:
        node = await rig.let_in("terrace-plug")
        rig.stick.up = False
        await until(lambda: "radio is down" in " ".join(rig.told.troubles))
        await until(lambda: rig.stick.up)
        await rig.up()
        await rig.driver.send("terrace-plug", [Wanted(SWITCH, 1.0, "", True)])
        assert node.on


async def test_a_first_forming_that_was_cut_off_is_no_foreign_network(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    form, tries = network._form, [0]

    async def cut_off(processor: Processor, version: Version) -> None:
        tries[0] += 1
        if tries[0] == 1:
            # Half of what was written is there, as after a power cut.
            await processor.store(Item.NETWORK_KEY, bytes(range(16)))
            raise NoAnswer("the power was cut")
        await form(processor, version)

    monkeypatch.setattr(network, "_form", cut_off)
    async with rig_at(tmp_path) as rig:
        await until(lambda: tries[0] == 2)
        await rig.up()
        assert not any("not this house's" in trouble for trouble in rig.told.troubles)
        key = rig.told.kept["network"]["key"]
        assert rig.stick.store[Item.NETWORK_KEY] == bytes.fromhex(key)
        assert "forming" not in rig.told.kept["network"]


async def test_a_window_that_the_stick_did_not_hear_of_is_opened_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hombi.links.zigbee.processor.Processor.request.__defaults__", (0.2,))
    monkeypatch.setattr("hombi.links.zigbee.stick.UNANSWERED_S", 0.05)
    async with rig_at(tmp_path) as rig:
        await rig.up()
        rig.stick.mute = True
        rig.driver.pairing(True)
        await until(lambda: rig.told.wrong)
        # It took the words in, and whoever asks it does not know.
        rig.stick.permits_until = 0.0
        assert not rig.stick.permits
        rig.stick.mute = False
        await until(lambda: rig.stick.permits)
        await until(lambda: not rig.told.wrong)
