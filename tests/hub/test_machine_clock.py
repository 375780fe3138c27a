"""A machine that starts with a wrong time."""

from __future__ import annotations

from hombi.hub import doctor
from hombi.hub.memory import MemoryRecords
from tests.hub.parts import ManualClock, rig, settle

HOUR = 3_600_000


async def test_a_time_before_the_last_reading_is_said_until_the_clock_is_set() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        r.say("cellar-rack", "humidity", 50)
        await settle()
        assert r.hub.clock.problem == ""
    clock.now -= 3 * HOUR
    async with rig(records, clock) as r:
        (need,) = [one for one in r.hub.needs() if one.kind == "clock"]
        assert "this machine thinks it is 15 January 2027 05:00" in need.text
        assert "its last reading is of 15 January 2027 08:00" in need.text
        assert doctor._clock(r.hub).state == "fault"
        clock.now += 3 * HOUR
        assert not [one for one in r.hub.needs() if one.kind == "clock"]
        assert doctor._clock(r.hub).state == "ok"
    clock.now -= 4 * 60_000
    async with rig(records, clock) as r:
        assert r.hub.clock.problem == "", "the clocks of nodes may be ahead"
