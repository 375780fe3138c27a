"""The contract of `links.base.Driver`, which every driver passes: Wi-Fi, Zigbee and
Bluetooth against their real far ends."""

from __future__ import annotations

import contextlib
from collections.abc import AsyncIterator, Awaitable, Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from hombi.core.kinds import KINDS
from hombi.lab.mqtt_client import MqttClient
from hombi.links.base import Driver, LinkError, OnLink, Wanted, Wired
from hombi.links.capabilities import Acts, AsksAgain, HasSettings, Looks, Pairs, Sends, Welcomes
from hombi.links.offer import Offer
from hombi.links.wifi.driver import WifiDriver
from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.settings import WifiSettings
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import zcl
from tests.house import free_ports
from tests.links.bluetooth import rig as bluetooth
from tests.links.told import LampKey, Told, context_of, on_link, until
from tests.links.zigbee import rig as zigbee

Say = Callable[[], Awaitable[None]]


@dataclass
class Case:
    """A driver at work, one node as it is admitted, and how to have the node send
    something."""

    driver: Driver
    told: Told
    known: OnLink
    say: Say


@contextlib.asynccontextmanager
async def over_wifi(folder: Path, monkeypatch: pytest.MonkeyPatch) -> AsyncIterator[Case]:
    told, (port, *_) = Told(), free_ports()
    driver = WifiDriver(
        context_of(told, keys=LampKey()), WifiSettings("127.0.0.1", port, discovery="off")
    )
    await driver.start()
    entities = (
        Wired("switch", "", KINDS["switch"], {}, {}),
        Wired("level", "%", KINDS["level"], {}, {}),
    )

    async def say() -> None:
        hello = p.Connect("lamp", username="lamp", password=b"key")
        async with MqttClient.connect("127.0.0.1", port, hello, lambda _: None) as (client, _):
            await client.publish("hombi/lamp/readings", b'[{"n":"level","u":"%","v":40}]')

    try:
        yield Case(driver, told, OnLink("lamp", {}, entities, Offer("Lamp")), say)
    finally:
        await driver.stop()


@contextlib.asynccontextmanager
async def over_zigbee(folder: Path, monkeypatch: pytest.MonkeyPatch) -> AsyncIterator[Case]:
    async with zigbee.rig_at(folder) as rig:
        known = on_link("lamp", await rig.arrive("loft-lamp"))
        rig.driver.pairing(False)
        node = rig.node("loft-lamp")

        async def say() -> None:
            node.report(1, 0x0008, [zcl.Attribute(0, dt.U8, node.level)])

        yield Case(rig.driver, rig.told, known, say)


@contextlib.asynccontextmanager
async def over_bluetooth(folder: Path, monkeypatch: pytest.MonkeyPatch) -> AsyncIterator[Case]:
    async with bluetooth.rig_at(folder, monkeypatch) as rig:
        known = on_link("lamp", await rig.arrive("hen-lamp"))
        rig.driver.pairing(False)
        node = rig.node("hen-lamp")

        async def say() -> None:
            node.on = not node.on

        yield Case(rig.driver, rig.told, known, say)


LINKS: dict[str, Any] = {"wifi": over_wifi, "zigbee": over_zigbee, "bluetooth": over_bluetooth}


@pytest.fixture(params=LINKS)
async def case(
    request: pytest.FixtureRequest, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> AsyncIterator[Case]:
    async with LINKS[request.param](tmp_path, monkeypatch) as result:
        assert result.driver.link == request.param
        yield result


def values(case: Case) -> list[str]:
    return [name for name in case.told.values if name.startswith("lamp/")]


async def test_it_says_where_it_listens_and_how_it_is(case: Case) -> None:
    assert case.driver.listening()
    checks = case.driver.checks()
    assert checks
    assert {check.state for check in checks} <= {"ok", "warning", "fault"}
    assert all(check.text and check.part for check in checks)


async def test_what_an_admitted_node_sends_is_reported_by_its_wire_names(case: Case) -> None:
    case.driver.follow(case.known)
    case.driver.follow(case.known)  # the same again changes nothing
    await case.say()
    await until(lambda: values(case))
    await until(lambda: case.told.here.get("lamp"))
    names = {entity.name for entity in case.known.entities}
    assert {name.removeprefix("lamp/") for name in values(case)} <= names


async def test_a_node_that_nobody_knows_is_an_error_in_words_never_a_crash(case: Case) -> None:
    wanted = [Wanted("switch", 1.0, "", True)]
    driver = case.driver
    asked: list[Awaitable[object]] = []
    if isinstance(driver, Sends):
        asked.append(driver.send("nobody", wanted))
    if isinstance(driver, HasSettings):
        asked.append(driver.set_setting("nobody", "interval", 5))
        with contextlib.suppress(LinkError):
            assert await driver.settings("nobody") == {}
    if isinstance(driver, Acts):
        asked.append(driver.act("nobody", "wink", None))
    if isinstance(driver, Looks):
        asked.append(driver.look("no address at all"))
    if isinstance(driver, AsksAgain):
        asked.append(driver.ask_again("urn:dev:mac:nobody"))
    assert asked
    for ask in asked:
        with pytest.raises(LinkError) as error:
            await ask
        assert str(error.value)
    await driver.remove("nobody")
    if isinstance(driver, Pairs):
        await driver.dismiss("urn:dev:mac:nobody")
    if isinstance(driver, Welcomes):
        driver.cut_off("nobody")


async def test_the_window_may_be_opened_and_closed_as_often_as_one_likes(case: Case) -> None:
    assert isinstance(case.driver, Pairs)
    for is_open in (True, True, False, False, True, False):
        case.driver.pairing(is_open)


async def test_a_removed_node_is_heard_no_more(case: Case) -> None:
    case.driver.follow(case.known)
    await case.say()
    await until(lambda: values(case))
    await case.driver.remove("lamp")
    before = {name: len(found) for name, found in case.told.values.items()}
    if case.driver.link != "wifi":  # there, it is the key that is void; the hub knows it
        await case.say()
        assert {name: len(found) for name, found in case.told.values.items()} == before


async def test_it_stops_twice_and_starts_again(case: Case) -> None:
    await case.driver.stop()
    await case.driver.stop()
    await case.driver.start()
    case.driver.follow(case.known)
    await case.say()
