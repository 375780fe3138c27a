from __future__ import annotations

import pytest

from hombi.hub.errors import Invalid, NotFound
from hombi.hub.memory import MemoryRecords
from hombi.hub.ports import PhoneRecord
from tests.house import PLUG
from tests.hub.parts import ManualClock, Rig, rig, settle

DRY = """\
name = "Cellar too dry"

[watch]
entity = "cellar-rack/humidity"
under = "82 %"
held = "10 min"
until = "86 %"

[[starts]]
switch = "cellar-mister/switch"
to = "on"

[[starts]]
notify = "everyone"
title = "{room} is dry"
text = "{entity}: {value} for {held}, limit {limit}"

[[ends]]
switch = "cellar-mister/switch"
to = "off"
"""


async def with_phone(r: Rig) -> None:
    await r.hub.outbox.add_phone(PhoneRecord(0, "Ada's phone", "ada", "https://push.example/1", "k", "a", 0))


async def test_it_acts_at_both_edges_and_says_why() -> None:
    async with rig() as r:
        await r.cellar()
        await with_phone(r)
        await r.hub.engine.add(DRY)
        r.say("cellar-rack", "humidity", 81.0)
        await r.clock.forward(599_000)
        assert r.link.sent == []
        await r.clock.forward(1_000)
        assert [(node, w.name, w.value) for node, w in r.link.sent] == [("cellar-mister", "switch", 1.0)]
        assert r.phones.told == [
            ("Ada's phone", "Cheese cellar is dry", "Cellar rack humidity: 81.0 % for 10 min, limit 82 %"),
        ]
        r.say("cellar-rack", "humidity", 87.0)
        await settle()
        assert r.link.sent[-1][1].value == 0.0
        why = next(e for e in r.records.journal if e.event == "AutomationStarted")
        assert why.text == "Cellar too dry started: 81.0 % under 82 %, held for 10 min"
        assert why.data == {"value": 81.0, "limit": 82.0, "held_ms": 600_000}


async def test_a_hold_interrupted_by_a_restart_still_fires_on_time() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        await r.hub.engine.add(DRY)
        r.say("cellar-rack", "humidity", 81.0)
        await clock.forward(5 * 60_000)
        house = r.hub.house
    await clock.forward(60_000)
    records.load_house = lambda fresh: fresh.__dict__.update(house.__dict__)  # type: ignore[method-assign, assignment]
    async with rig(records, clock) as r:
        assert r.hub.engine.find("cellar-too-dry").state.phase == "holding"
        await clock.forward(4 * 60_000 - 1)
        assert r.link.sent == []
        await clock.forward(1)
        assert len(r.link.sent) == 1


async def test_a_hold_that_came_due_while_the_hub_was_away_fires_at_the_start() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        await r.hub.engine.add(DRY)
        r.say("cellar-rack", "humidity", 81.0)
        await settle()
        house = r.hub.house
    await clock.forward(3_600_000)
    records.load_house = lambda fresh: fresh.__dict__.update(house.__dict__)  # type: ignore[method-assign, assignment]
    async with rig(records, clock) as r:
        await settle()
        assert len(r.link.sent) == 1


async def test_one_that_is_on_stays_on_over_a_restart_and_ends_once() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        await r.hub.engine.add(DRY)
        r.say("cellar-rack", "humidity", 81.0)
        await clock.forward(600_000)
        house = r.hub.house
    records.load_house = lambda fresh: fresh.__dict__.update(house.__dict__)  # type: ignore[method-assign, assignment]
    async with rig(records, clock) as r:
        r.say("cellar-rack", "humidity", 80.0)
        await clock.forward(3_600_000)
        assert r.link.sent == []
        r.say("cellar-rack", "humidity", 90.0)
        r.say("cellar-rack", "humidity", 91.0)
        await settle()
        assert [w.value for _, w in r.link.sent] == [0.0]


async def test_a_new_automation_looks_at_what_is_known_now() -> None:
    async with rig() as r:
        await r.cellar()
        r.say("cellar-rack", "humidity", 70.0)
        await r.hub.engine.add(DRY.replace('held = "10 min"\n', ""))
        await settle()
        assert len(r.link.sent) == 1


async def test_its_text_is_kept_word_for_word() -> None:
    async with rig() as r:
        await r.cellar()
        text = "# mine\n\n" + DRY.replace("under", "under  ") + "\n\n# the end"
        runner = await r.hub.engine.add(text)
        assert runner.record.text == text
        assert r.records.automations()[0].text == text


async def test_a_wrong_text_is_refused_with_its_mistakes_and_changes_nothing() -> None:
    async with rig() as r:
        await r.cellar()
        await r.hub.engine.add(DRY)
        with pytest.raises(Invalid, match="the text has 1 mistake") as caught:
            await r.hub.engine.change("cellar-too-dry", text=DRY.replace("82 %", "82 hPa"))
        assert (caught.value.mistakes[0]["line"], caught.value.mistakes[0]["column"]) == (5, 9)
        assert r.hub.engine.find("cellar-too-dry").record.text == DRY
        with pytest.raises(Invalid, match="there is an automation"):
            await r.hub.engine.add(DRY)
        with pytest.raises(NotFound):
            await r.hub.engine.change("nothing", enabled=False)


@pytest.mark.parametrize("name", ["New", "check", "Write!"])
async def test_names_that_are_addresses_of_the_consoles_own_are_refused(name: str) -> None:
    async with rig() as r:
        await r.cellar()
        with pytest.raises(Invalid, match="longer name"):
            await r.hub.engine.add(DRY.replace("Cellar too dry", name))


async def test_off_duty_it_does_nothing() -> None:
    async with rig() as r:
        await r.cellar()
        await r.hub.engine.add(DRY)
        await r.hub.engine.change("cellar-too-dry", enabled=False)
        r.say("cellar-rack", "humidity", 70.0)
        await r.clock.forward(3_600_000)
        assert r.link.sent == []
        await r.hub.engine.change("cellar-too-dry", enabled=True)
        await r.clock.forward(600_000)
        assert len(r.link.sent) == 1


async def test_a_removed_one_is_gone_with_its_timers() -> None:
    async with rig() as r:
        await r.cellar()
        await r.hub.engine.add(DRY)
        r.say("cellar-rack", "humidity", 70.0)
        await r.hub.engine.remove("cellar-too-dry")
        await r.clock.forward(3_600_000)
        assert r.link.sent == []
        assert r.records.automations() == []


async def test_without_its_node_it_stops_and_says_so_and_goes_on_when_the_node_is_back() -> None:
    async with rig() as r:
        await r.cellar()
        await r.hub.engine.add(DRY)
        await r.hub.remove_node("cellar-mister", keep_history=True)
        assert any("no entity cellar-mister/switch" in need["text"] for need in r.hub.needs())
        r.say("cellar-rack", "humidity", 70.0)
        await r.clock.forward(3_600_000)
        assert r.link.sent == []
        await r.let_in("Cellar mister", **PLUG)
        r.say("cellar-rack", "humidity", 69.0)
        await r.clock.forward(600_000)
        assert len(r.link.sent) == 1


async def test_an_action_that_fails_does_not_stop_the_others() -> None:
    async with rig() as r:
        await r.cellar()
        await with_phone(r)
        await r.hub.engine.add(DRY)
        r.link.reachable = False
        r.say("cellar-rack", "humidity", 70.0)
        await r.clock.forward(600_000)
        assert len(r.phones.told) == 1
        failed = next(e for e in r.records.journal if e.event == "CommandFailed")
        assert failed.text == "cellar-mister/switch was to be on, asked by Cellar too dry: cellar-mister is not connected"
