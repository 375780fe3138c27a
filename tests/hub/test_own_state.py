"""How the hub itself is, as values that automations watch."""

from __future__ import annotations

import shutil
from collections import namedtuple

import pytest

from hombi.core.automation.starters import STARTERS, filled
from hombi.hub.automations.changes import AddAutomation
from hombi.hub.kernel import Need
from tests.hub.parts import ManualClock, Rig, rig, settle, until, with_phone
from tests.memory import MemoryRecords

Usage = namedtuple("Usage", "total used free")
TEXT = """name = "The hub needs you"

[watch]
any = [
  { entity = "hub/disk", is = "alarm", held = "1 min" },
  { entity = "hub/backup", is = "alarm" },
]

[[starts]]
notify = "everyone"
title = "{entity} needs somebody"
"""
STATES = ["hub/backup", "hub/disk"]
MIN = 60_000


def states(r: Rig) -> dict[str, float | None]:
    result = {a: e.latest for a, e in r.hub.house.entities.items() if a.startswith("hub/")}
    return {a: None if latest is None else latest.value for a, latest in sorted(result.items())}


async def look(r: Rig, *wrong: str) -> None:
    r.hub.own_state.all_needs = lambda: [Need(one, "it is broken", "/") for one in wrong]
    await r.hub.own_state.look()
    await settle()


def told(r: Rig) -> list[str]:
    return [delivery.title for delivery in r.records.notices.deliveries.values()]


async def test_what_the_hub_tells_of_itself_is_an_automation(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(shutil, "disk_usage", lambda _: Usage(9e9, 1e9, 8e9))
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await with_phone(r)
        assert states(r) == {}, "nobody asked for them"
        await r.do(AddAutomation(TEXT))
        await until(lambda: list(states(r)) == STATES)
        await look(r)
        assert set(states(r).values()) == {0.0}
        await look(r, "backup", "silent")
        assert states(r)["hub/backup"] == 1.0
        await until(lambda: told(r) == ["Hub's backup needs somebody"])
        await look(r, "backup")
        assert len(records.history.readings_of(r.hub.house.entity("hub/backup").id)) == 2
    async with rig(records, clock) as r:
        assert list(states(r)) == STATES
        assert r.hub.automations.runners["the-hub-needs-you"].program is not None
        await look(r)
        assert states(r)["hub/backup"] == 0.0


@pytest.mark.parametrize("state", ["disk", "links", "certificate", "backup", "clock"])
async def test_each_state_has_a_starter_that_tells(
    state: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(shutil, "disk_usage", lambda _: Usage(9e9, 1e9, 8e9))
    starter = STARTERS[f"hub-{state}"]
    given = {blank.name: blank.usual for blank in starter.blanks}
    async with rig() as r:
        await with_phone(r)
        await r.do(AddAutomation(filled(starter, {**given, "held": ""})))
        await until(lambda: list(states(r)) == [f"hub/{state}"])
        await look(r, r.hub.house.entity(f"hub/{state}").own["hub"])
        await until(lambda: told(r) == [given["name"]])


async def test_a_disk_that_fills_up_is_told_before_it_is_full(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    async with rig() as r:
        await with_phone(r)
        await r.do(AddAutomation(TEXT))
        await until(lambda: list(states(r)) == STATES)
        monkeypatch.setattr(shutil, "disk_usage", lambda _: Usage(9e9, 8.9e9, 1e8))
        await look(r)
        assert states(r)["hub/disk"] == 1.0
        assert told(r) == [], "a minute long first"
        r.clock.now += 2 * MIN
        r.hub.automations.time_passed()
        await until(lambda: told(r) == ["Hub's disk needs somebody"])


async def test_a_node_called_hub_keeps_its_own_values() -> None:
    async with rig() as r:
        disk = {"type": "number", "readOnly": True, "unit": "%"}
        await r.let_in("Hub", disk=disk)
        await r.do(AddAutomation(TEXT.replace('is = "alarm", held = "1 min"', 'over = "90 %"')))
        await until(lambda: "hub/backup" in states(r))
        assert r.hub.house.entity("hub/disk").node is not None
