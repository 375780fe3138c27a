"""How long a thing must hold, over restarts, gaps and bad values."""

from __future__ import annotations

import pytest

from hombi.hub.automations.changes import AddAutomation
from tests.hub.parts import DRY, ManualClock, hold, rig, settle, with_phone
from tests.memory import MemoryRecords


async def test_a_hold_goes_on_over_a_short_restart() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        await r.do(AddAutomation(DRY))
        await hold(r, 5 * 60_000)
    await clock.forward(60_000)
    async with rig(records, clock) as r:
        assert r.hub.automations.find("cellar-too-dry").state.phase == "holding"
        await hold(r, 4 * 60_000 - 1)
        assert r.link.sent == []
        await hold(r, 1)
        assert len(r.link.sent) == 1


async def test_a_hold_that_was_not_seen_to_its_end_begins_anew() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        await r.do(AddAutomation(DRY))
        await hold(r, 5 * 60_000)
    await clock.forward(3_600_000)
    async with rig(records, clock) as r:
        await clock.forward(60_000)
        assert r.link.sent == [], "nothing was heard since"
        await hold(r, 599_000)
        assert r.link.sent == []
        await hold(r, 2_000)
        assert len(r.link.sent) == 1


async def test_one_reading_holds_nothing_for_long() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(DRY.replace("10 min", "80 s")))
        r.say("cellar-rack", "humidity", 81.0)
        await r.clock.forward(3_600_000)
        assert r.link.sent == []


async def test_a_bad_value_breaks_a_hold() -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddAutomation(DRY))
        await hold(r, 590_000)
        r.say("cellar-rack", "humidity", 250.0)
        await hold(r, 590_000)
        assert r.link.sent == []
        await hold(r, 20_000)
        assert len(r.link.sent) == 1


@pytest.mark.parametrize(("lost", "sent"), [("end", [1.0, 0.0]), ("stay", [1.0])])
async def test_what_is_on_and_not_heard_any_more_ends_or_stays_and_is_told(
    lost: str, sent: list[float]
) -> None:
    async with rig() as r:
        await r.cellar()
        await with_phone(r)
        await r.do(AddAutomation(DRY.replace('until = "86 %"', f'until = "86 %"\nlost = "{lost}"')))
        r.usual("cellar-rack/humidity", 10_000)
        await hold(r, 601_000)
        for _ in range(30):
            r.say(
                "cellar-rack", "humidity", 250.0
            )  # out of range: no value to act on, and none to stay on for
            await r.clock.forward(30_000)
            r.hub.nodes.look_for_silent()
            await settle()
        await r.clock.forward(0)
        assert [wanted.value for _, wanted in r.link.sent] == sent
        assert "Cellar rack humidity is not heard" in [title for _, title, _ in r.phones.told]
        assert r.events().count("AutomationBlind" if lost == "stay" else "AutomationEnded") == 1
        await hold(r, 60_000, 90.0)
        assert [wanted.value for _, wanted in r.link.sent] == [1.0, 0.0]


async def test_a_door_that_was_not_heard_since_the_start_holds_nothing_until_its_node_is() -> None:
    records, clock = MemoryRecords(), ManualClock()
    watch = '[watch]\nentity = "door/contact"\nis = "open"\nheld = "4 min"\n'
    text = f'name = "Door"\n{watch}[[starts]]\nnotify = "everyone"\ntitle = "Open"\n'
    async with rig(records, clock) as r:
        await r.let_in("Door", contact={"type": "boolean", "readOnly": True})
        await with_phone(r)
        await r.do(AddAutomation(text))
        r.say("door", "contact", True)
        await clock.forward(60_000)
    async with rig(records, clock) as r:
        await clock.forward(600_000)
        assert r.phones.told == []
        r.hub.nodes.alive("door")
        await clock.forward(0)
        await clock.forward(0)
        assert [title for _, title, _ in r.phones.told] == ["Open"]


async def test_one_that_is_on_stays_on_over_a_restart_and_ends_once() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        await r.do(AddAutomation(DRY))
        await hold(r, 601_000)
    async with rig(records, clock) as r:
        await hold(r, 600_000, 80.0)
        assert r.link.sent == []
        r.say("cellar-rack", "humidity", 90.0)
        r.say("cellar-rack", "humidity", 91.0)
        await settle()
        assert [w.value for _, w in r.link.sent] == [0.0]
