"""Tallies, states by hysteresis and sums over time: live and over the past the same."""

from __future__ import annotations

import asyncio

import pytest

from hombi.core.house_time import moment_ms
from hombi.core.quality import Quality
from hombi.core.senml import Resolved
from hombi.core.series import DAY_MS, HOUR_MS, Reading
from hombi.core.series.running import MARK_MS
from hombi.hub.computed.changes import MakeComputed
from hombi.hub.errors import Busy, Invalid
from hombi.hub.readings.events import ReadingTaken
from tests.hub.parts import START, Rig, rig, settle, until

MIN = 60_000
SUMP = {
    "depth": {"type": "number", "readOnly": True, "@type": "distance", "unit": "cm"},
    "power": {"type": "number", "readOnly": True, "unit": "W"},
    "energy": {"type": "number", "readOnly": True, "unit": "kWh"},
}
LIMITS = {"on": 0.6, "off": 0.3}
PUMP = "sump/pump"


async def say(r: Rig, at_ms: int, **values: float) -> None:
    """The sump tells something; the hub's clock moves on to then, mark by mark."""
    while (mark := r.clock.now // MARK_MS * MARK_MS + MARK_MS) < at_ms:
        r.clock.now = mark
        r.hub.computed.mark(mark)
        await settle()
    r.clock.now = max(r.clock.now, at_ms)
    pack = [Resolved(name, "", at_ms, value) for name, value in values.items()]
    r.hub.intake.observed("sump", pack, lambda _: None)
    await settle()
    await until(lambda: not r.hub.writer.held)


async def at_rest(r: Rig) -> None:
    await until(lambda: not r.hub.jobs.under_way() and not r.hub.writer.held)


async def cycles(r: Rig, count: int, start: int = START) -> None:
    """The sump fills in eight minutes, and is pumped out in two."""
    for cycle in range(count):
        for minute, depth in enumerate((20, 30, 35, 40, 45, 50, 55, 58, 62, 40)):
            at = start + (10 * cycle + minute) * MIN
            await say(r, at, depth=depth, power=0.0 if depth < 60 else 600.0, energy=cycle / 10)


async def make(r: Rig) -> None:
    await r.do(MakeComputed("hysteresis", ["sump/depth"], LIMITS, "Pump"))
    await r.do(MakeComputed("starts", [PUMP], {"per": "day"}, "Pump starts"))
    await r.do(MakeComputed("time-on", [PUMP], {}, "Pump time"))
    await r.do(MakeComputed("integral", ["sump/power"], {}, "Pump energy"))
    await r.do(MakeComputed("amount", ["sump/energy"], {"per": "hour"}, "Hour's energy"))
    await r.do(MakeComputed("change", ["sump/depth"], {"window": "10 min"}, "Rise"))
    await r.do(MakeComputed("time-since", [PUMP], {"event": "off"}, "Last pumped"))
    await at_rest(r)


MADE = ("pump", "pump-starts", "pump-time", "pump-energy", "hour-s-energy", "rise", "last-pumped")


def stored(r: Rig, name: str) -> list[Reading]:
    return r.records.history.readings_of(r.hub.house.entity(f"sump/{name}").id)


def changes(readings: list[Reading]) -> list[Reading]:
    """Without those at marks, which say the same again."""
    result: list[Reading] = []
    for reading in readings:
        if not result or (reading.value, reading.quality) != (result[-1].value, result[-1].quality):
            result.append(reading)
    return result


async def test_pump_cycles_are_counted_live_and_the_past_comes_to_the_same() -> None:
    async with rig() as r:
        await r.let_in("Sump", **SUMP)
        await make(r)
        await cycles(r, 6)
        r.clock.now = START + HOUR_MS
        r.hub.computed.mark(r.clock.now)
        await until(lambda: not r.hub.writer.held)
        starts, time_on = stored(r, "pump-starts")[-1], stored(r, "pump-time")[-1]
        assert starts.value == 6
        # From 62 cm until it is under 30 again, 2 minutes; the last one still lasts.
        assert time_on.value == 6 * 2 * 60
        assert stored(r, "rise")[-1].value == pytest.approx(0.0)
        assert stored(r, "last-pumped")[-1].value == 10 * 60
        # Each cycle: a minute up to 600 W and one down.
        assert stored(r, "pump-energy")[-1].value == pytest.approx(6 * 0.6 / 60)
        live = {name: stored(r, name) for name in MADE}
        assert all(len({one.at_ms for one in some}) == len(some) for some in live.values())
        for name in MADE:
            r.hub.computed.derive_past(r.hub.house.entity(f"sump/{name}"))
        await at_rest(r)
        for name in MADE:
            assert changes(stored(r, name)) == changes(live[name]), f"{name}: live equals replayed"


async def test_what_was_there_before_it_was_made_is_counted() -> None:
    async with rig() as r:
        await r.let_in("Sump", **SUMP)
        await cycles(r, 6)
        await make(r)
        assert stored(r, "pump-starts")[-1].value == 6
        await cycles(r, 2, START + HOUR_MS)
        assert stored(r, "pump-starts")[-1].value == 8


async def test_a_new_day_begins_at_midnight_and_a_restart_changes_nothing() -> None:
    async with rig() as r:
        await r.let_in("Sump", **SUMP)
        await make(r)
        await cycles(r, 3)
        before = stored(r, "pump-starts")[-1].value
    async with rig(r.records, r.clock) as again:
        await at_rest(again)
        assert stored(again, "pump-starts")[-1].value == before
        await cycles(again, 2, START + 30 * MIN)
        assert stored(again, "pump-starts")[-1].value == 5
        zone = again.hub.config.zone
        from datetime import datetime

        day = datetime.fromtimestamp(START / 1000 + 86_400, zone).date()
        midnight = moment_ms(day, 0, zone)
        await say(again, midnight - MIN, depth=20, power=0, energy=0)
        await say(again, midnight + 6 * MIN, depth=20, power=0, energy=0)
        last = stored(again, "pump-starts")
        assert [one.value for one in last if one.at_ms in (midnight - MARK_MS, midnight)] == [5, 0]


async def test_what_came_late_is_counted_in_its_place(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("hombi.hub.computed.feature.BUFFERED_AFTER_S", 0.01)
    async with rig() as r:
        await r.let_in("Sump", **SUMP)
        await make(r)
        await cycles(r, 2)
        r.clock.now = START + 5 * HOUR_MS
        pack = [
            Resolved("depth", "", START + (60 + 10 * n + m) * MIN, depth)
            for n in range(4)
            for m, depth in ((0, 20), (8, 62))
        ]
        r.hub.intake.observed("sump", pack, lambda _: None)
        await settle()
        await until(lambda: stored(r, "pump-starts")[-1].value == 6)
        await at_rest(r)
        await say(r, START + 5 * HOUR_MS, depth=20)
        await say(r, START + 5 * HOUR_MS + MIN, depth=70)
        assert stored(r, "pump-starts")[-1].value == 7


async def test_a_silent_node_makes_it_uncertain_and_a_full_disk_is_waited_for(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    async with rig() as r:
        r.hub.jobs.pauses_s = (0.01,)
        await r.let_in("Sump", **SUMP)
        await cycles(r, 2)
        refused = []
        real = r.records.history.replace

        def full(*given: object) -> None:
            if len(refused) < 3:
                refused.append(given)
                raise Busy("the disk is full")
            real(*given)  # type: ignore[arg-type]

        monkeypatch.setattr(r.records.history, "replace", full)
        await make(r)
        assert len(refused) == 3
        assert stored(r, "pump-starts")[-1].value == 2
        r.hub.house.node("sump").silent = True
        r.hub.house.entity("sump/depth").silent = True
        r.clock.now += MARK_MS
        r.hub.computed.mark(r.clock.now // MARK_MS * MARK_MS)
        await until(lambda: not r.hub.writer.held)
        assert stored(r, "pump")[-1].quality in (Quality.GOOD, Quality.INPUT_MISSING)


async def test_what_cannot_be_is_refused_in_words() -> None:
    async with rig() as r:
        await r.let_in("Sump", **SUMP)
        for method, source, given, said in (
            ("starts", "sump/depth", {}, "starts takes two states; not distance"),
            ("hysteresis", "sump/depth", {"on": 1}, "hysteresis off is missing"),
            ("hysteresis", "sump/depth", {**LIMITS, "least_on": "soon"}, "not a length of time"),
            ("hysteresis", "sump/depth", {**LIMITS, "on": "1e999"}, "is not a number"),
            ("change", "sump/depth", {"window": "0 s"}, "longer than nothing"),
            ("amount", "sump/energy", {"per": "decade"}, "none of hour, day, week, month, year"),
            ("integral", "sump/depth", {}, "takes power or flow"),
            ("time-since", "sump/depth", {}, "takes two states"),
        ):
            with pytest.raises(Invalid) as refused:
                await r.do(MakeComputed(method, [source], given))
            assert said in str(refused.value), (method, str(refused.value))


async def test_a_long_past_does_not_hold_others_up() -> None:
    async with rig() as r:
        await r.let_in("Sump", **SUMP)
        number = r.hub.house.entity("sump/depth").id
        rows = [
            (number, START - 30 * DAY_MS + n * MARK_MS, 0, 60.0, 0.2 + 0.5 * (n % 3 == 0), 0)
            for n in range(30 * 288)
        ]
        r.records.history.store(rows)
        await r.do(MakeComputed("hysteresis", ["sump/depth"], LIMITS, "Pump"))
        await asyncio.sleep(0)
        await say(r, START, depth=70)
        await at_rest(r)
        assert r.hub.house.entity(PUMP).latest is not None
        assert len(changes(stored(r, "pump"))) > 5_000


async def test_who_looks_on_sees_what_it_is_once_its_past_is_there() -> None:
    async with rig() as r:
        await r.let_in("Sump", **SUMP)
        await cycles(r, 2)
        shown: list[tuple[str, float | None]] = []
        real = r.hub.context.live.publish

        def publish(event: object) -> None:
            if isinstance(event, ReadingTaken):
                shown.append((event.entity, event.reading.value))
            real(event)  # type: ignore[arg-type]

        r.hub.context.live.publish = publish  # type: ignore[method-assign]
        await make(r)
        assert ("sump/pump-starts", 2.0) in shown
        assert ("sump/pump", 1.0) in shown
