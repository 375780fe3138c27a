"""A machine that starts with a wrong time."""

from __future__ import annotations

import time

from hombi.core.automation import Phase
from hombi.hub import doctor
from hombi.hub.automations.changes import AddAutomation
from tests.hub.parts import START, ManualClock, rig, settle, until
from tests.memory import MemoryRecords

HOUR, DAY = 3_600_000, 86_400_000


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
        assert "it was 15 January 2027 08:00 when the hub ran last" in need.text
        assert doctor._clock(r.hub).state == "fault"
        wall, steady = clock.now, time.monotonic()
        clock.now += 3 * HOUR
        r.hub.lag.look(wall, steady)
        assert not [one for one in r.hub.needs() if one.kind == "clock"]
        assert doctor._clock(r.hub).state == "ok"
    clock.now -= 4 * 60_000
    async with rig(records, clock) as r:
        assert r.hub.clock.problem == "", "the clocks of nodes may be ahead"


HOURLY = """name = "{0}"
[watch]
entity = "cellar-rack/humidity"
over = "60 %"
{1}
[[starts]]
switch = "cellar-mister/switch"
to = "on"
"""


async def test_what_comes_in_meanwhile_is_dated_right_and_hours_wait() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        r.say("cellar-rack", "humidity", 50)
        await settle()
        await r.do(AddAutomation(HOURLY.format("By day", '[only]\nbetween = "00:00-23:59"\n')))
        await r.do(AddAutomation(HOURLY.format("At any time", "")))
    last = clock.now
    clock.now -= 3 * DAY  # it starts with a time of three days before, after an hour's pause
    async with rig(records, clock) as r:
        ours = r.hub.context.clock
        assert ours.doubtful
        assert 0 < ours.now_ms() - last < 2_000, "later than what was, in any case"
        clock.now += 60_000
        r.say("cellar-rack", "humidity", 70)
        await settle()
        humidity = r.hub.house.entity("cellar-rack/humidity")
        assert humidity.latest is not None
        assert 60_000 <= humidity.latest.at_ms - last < 63_000
        phases = {name: one.state.phase for name, one in r.hub.automations.runners.items()}
        assert phases == {"at-any-time": Phase.ON, "by-day": Phase.WAITING}
        # It is set, but to a time that has been.
        wall, steady = clock.now, time.monotonic()
        clock.now += DAY
        r.hub.lag.look(wall, steady)
        assert ours.doubtful
        assert ours.now_ms() - last < 63_000
        # The network knows better.
        wall, steady = clock.now, time.monotonic()
        clock.now = last + HOUR
        r.hub.lag.look(wall, steady)
        assert (ours.doubtful, ours.now_ms()) == (False, last + HOUR)
        await until(lambda: "DatesPutRight" in r.events())
        first, second = records.history.readings_of(humidity.id)
        assert (first.at_ms, first.value) == (last, 50.0)
        assert abs(second.at_ms - (last + HOUR)) < 100
        assert humidity.latest == second
        assert records.history.stale(9), "their hours are summed up again"
        assert r.hub.automations.runners["by-day"].state.phase is Phase.ON, "it is its hour"
        assert not [need for need in r.hub.needs() if need.kind == "clock"]


async def test_a_clock_that_is_set_while_it_is_right_moves_nothing_that_was() -> None:
    async with rig() as r:
        await r.cellar()
        r.say("cellar-rack", "humidity", 50)
        await settle()
        wall, steady = r.clock.now, time.monotonic()
        r.clock.now += HOUR
        r.hub.lag.look(wall, steady)
        await settle()
        assert "ClockSet" in r.events()
        assert "DatesPutRight" not in r.events()
        (only,) = r.records.history.readings_of(r.hub.house.entity("cellar-rack/humidity").id)
        assert only.at_ms == START


async def test_readings_from_a_future_that_never_was_are_not_believed() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.cellar()
        wall, steady = clock.now, time.monotonic()
        clock.now += 365 * DAY  # somebody sets it wrong, and right again
        r.hub.lag.look(wall, steady)
        r.say("cellar-rack", "humidity", 50)
        await settle()
        wall, steady = clock.now, time.monotonic()
        clock.now = START + HOUR
        r.hub.lag.look(wall, steady)
    clock.now += HOUR
    async with rig(records, clock) as r:
        assert not r.hub.context.clock.doubtful
        assert r.hub.context.clock.now_ms() == START + 2 * HOUR
        assert r.hub.clock.problem == ""
