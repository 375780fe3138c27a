"""Another version of the hub on the data of before."""

from __future__ import annotations

from hombi.hub.machine.updates import Updates
from tests.hub.parts import ManualClock, rig, settle
from tests.memory import MemoryRecords


async def test_an_update_is_said_once_and_news_for_a_week() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        assert r.hub.updates.lately_from == "", "a new house has no version of before"
        await settle()
    async with rig(records, clock) as r:
        newer = Updates(r.hub.context, r.hub.keeper, "9.9.9")
        await newer.open()
        await settle()
        before = newer.lately_from
        assert before
        said = [one.text for one in r.records.journal.all if one.event == "HubUpdated"]
        assert said == [f"Hombi is 9.9.9 now; it was {before}"]
        await r.hub.keeper.settled()
        await r.hub.keeper.load()
        again = Updates(r.hub.context, r.hub.keeper, "9.9.9")
        await again.open()
        assert again.lately_from == before, "a restart does not take the news away"
        clock.now += 8 * 86_400_000
        assert again.lately_from == ""
        assert len([one for one in r.records.journal.all if one.event == "HubUpdated"]) == 1
