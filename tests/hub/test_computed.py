"""Computed values: live and over the past by the same code, uncertain when an input is
missing, and never in the way of what they come from."""

from __future__ import annotations

import asyncio
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from hombi.core.quality import Quality
from hombi.core.senml import Resolved
from hombi.core.series import HOUR_MS, Derivation, Reading
from hombi.core.series.methods import computing, dew_point
from hombi.hub.automations.changes import AddAutomation
from hombi.hub.computed.changes import MakeComputed, RemoveComputed
from hombi.hub.conditioning.changes import ConditionEntity
from hombi.hub.errors import Busy, Invalid, NotFound, Refused
from hombi.hub.nodes.described import ChangeKind
from hombi.hub.nodes.feature import ChangeNode, RemoveNode
from hombi.hub.rooms.feature import RemoveRoom
from tests.house import CLIMATE, PLUG
from tests.hub.parts import START, ManualClock, Rig, rig, settle, until
from tests.memory import MemoryRecords

MIN = 60_000
AIR = ("bench/temperature", "bench/humidity")
POINT = "bench/dew-point"


async def say(r: Rig, minute: int, node: str = "bench", **values: float | None) -> None:
    r.clock.now = max(r.clock.now, START + minute * MIN)
    pack = [Resolved(name, "", START + minute * MIN, value) for name, value in values.items()]
    r.hub.intake.observed(node, pack, lambda _: None)
    await settle()
    await until(lambda: not r.hub.writer.held)


async def bench(r: Rig, minutes: int = 20) -> None:
    await r.let_in("Bench", **CLIMATE)
    for minute in range(minutes):
        await say(r, minute, temperature=20.0 + minute % 3, humidity=50.0 + minute % 5)


def stored(r: Rig, address: str = POINT) -> list[Reading]:
    return r.records.history.readings_of(r.hub.house.entity(address).id)


async def at_rest(r: Rig) -> None:
    await until(lambda: not r.hub.jobs.under_way() and not r.hub.writer.held)


async def test_it_is_computed_live_and_its_past_by_the_same_code() -> None:
    async with rig() as r:
        await bench(r)
        made = await r.do(MakeComputed("dew-point", AIR))
        assert (made.address, made.title, made.kind.name) == (POINT, "Dew point", "temperature")
        await at_rest(r)
        past = stored(r)
        assert len(past) == 20
        assert past[4].value == dew_point(20.0 + 4 % 3, 50.0 + 4 % 5)
        await say(r, 21, temperature=22.0, humidity=60.0)
        live = stored(r)[-1]
        assert (live.at_ms, live.value) == (START + 21 * MIN, dew_point(22.0, 60.0))
        assert len(stored(r)) == 21, "one pack, one value"
        assert made.latest == live
        r.hub.computed.derive_past(made)
        await at_rest(r)
        assert stored(r) == [*past, live], "live equals replayed"


async def test_where_its_past_has_no_value_any_more_its_sums_go_too() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        for minute in range(0, 240, 10):
            air = 21.0 if minute < 120 else 20.0
            await say(r, minute, temperature=air, humidity=50.0)
        made = await r.do(MakeComputed("dew-point", AIR))
        await at_rest(r)
        first = START // HOUR_MS * HOUR_MS
        r.clock.now = first + 5 * HOUR_MS
        await r.hub.rollups.catch_up()

        def hours() -> list[int]:
            result = r.records.history.rollups(made.id, HOUR_MS, 0, r.clock.now)
            return [(one.start_ms - first) // HOUR_MS for one in result]

        before = hours()
        none = {"step": "no-value", "value": 21.0}
        await r.do(ConditionEntity("bench/temperature", [none], past=True))
        await until(lambda: not r.hub.jobs.under_way())
        await at_rest(r)
        since = (START + 120 * MIN - first) // HOUR_MS
        assert before[0] < since
        assert hours() == [one for one in before if one >= since]


async def test_a_missing_or_bad_input_makes_it_uncertain_and_never_wrong() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        made = await r.do(MakeComputed("dew-point", AIR))
        await say(r, 0, temperature=20.0)
        assert made.latest is None, "there is nothing to compute from yet"
        await say(r, 1, temperature=20.0, humidity=50.0)
        good = made.latest
        assert good is not None
        assert good.quality is Quality.GOOD
        await say(r, 2, temperature=25.0, humidity=None)
        assert made.latest is not None
        assert (made.latest.value, made.latest.quality) == (good.value, Quality.INPUT_MISSING)
        assert made.latest.quality.level == "uncertain"
        await say(r, 3, humidity=55.0)
        assert (made.latest.value, made.latest.quality) == (dew_point(25.0, 55.0), Quality.GOOD)


async def test_a_mean_is_that_of_the_rest_when_one_node_falls_silent() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        await r.let_in("Rack", **CLIMATE)
        sources = ("bench/temperature", "rack/temperature")
        made = await r.do(MakeComputed("mean", sources, title="Air"))
        for minute in range(8):
            await say(r, minute, temperature=20.0)
            await say(r, minute, node="rack", temperature=24.0)
        assert made.latest is not None
        assert made.latest.value == 22.0
        rack = r.hub.house.entity("rack/temperature")
        rack.silent = True
        await say(r, 21, temperature=19.0)
        assert (made.latest.value, made.latest.quality) == (19.0, Quality.INPUT_MISSING)


async def test_ten_levels_settle_in_one_step_and_each_is_computed_once() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        await r.let_in("Rack", **CLIMATE)
        await say(r, 0, node="rack", temperature=10.0)
        below = "bench/temperature"
        for level in range(10):
            made = await r.do(
                MakeComputed("mean", (below, "rack/temperature"), title=f"Level {level}")
            )
            below = made.address
        await at_rest(r)
        await say(r, 5, temperature=1034.0 - 1000.0)
        value = 34.0
        for level in range(10):
            value = (value + 10.0) / 2
            readings = stored(r, f"cheese-cellar/level-{level}")
            now = [reading.value for reading in readings if reading.at_ms >= START + 5 * MIN]
            assert now == [value], "once, and at once"


async def test_an_automation_acts_on_it() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        await r.let_in("Mister", **PLUG)
        await r.do(MakeComputed("dew-point", AIR))
        text = (
            'name = "Damp"\n\n[watch]\nentity = "bench/dew-point"\nover = "15 °C"\n\n'
            '[[starts]]\nswitch = "mister/switch"\nto = "on"\n'
        )
        await r.do(AddAutomation(text))
        await say(r, 1, temperature=20.0, humidity=50.0)
        assert r.link.sent == []
        await say(r, 2, temperature=25.0, humidity=80.0)
        assert [wanted.value for _, wanted in r.link.sent] == [1.0]


async def test_it_outlives_a_restart_and_follows_a_past_that_is_conditioned() -> None:
    async with rig() as r:
        await bench(r)
        await r.do(MakeComputed("dew-point", AIR))
        await at_rest(r)
        before = stored(r)
    async with rig(r.records, r.clock) as again:
        assert again.hub.house.entity(POINT).latest == before[-1]
        warmer = [{"step": "linear", "offset": 2.0}]
        await again.do(ConditionEntity("bench/temperature", warmer, past=True))
        await until(lambda: stored(again)[4].value == dew_point(23.0, 54.0))
        await say(again, 30, temperature=18.0, humidity=50.0)
        assert stored(again)[-1].value == dew_point(20.0, 50.0)


async def test_what_others_are_derived_from_is_named_before_it_goes() -> None:
    async with rig() as r:
        await bench(r, 2)
        await r.do(MakeComputed("dew-point", AIR))
        sources = (POINT, "bench/temperature")
        await r.do(MakeComputed("difference", sources, title="Gap"))
        await at_rest(r)
        with pytest.raises(Refused, match="bench/dew-point, bench/gap is computed"):
            await r.do(RemoveNode("bench"))
        with pytest.raises(Refused, match="bench/gap is computed from it; remove that"):
            await r.do(RemoveComputed(POINT))
        with pytest.raises(Refused, match="is not derived"):
            await r.do(RemoveComputed("bench/temperature"))
        number = r.hub.house.entity("bench/gap").id
        await r.do(RemoveComputed("bench/gap"))
        await r.do(RemoveComputed(POINT))
        assert r.records.history.readings_of(number) == []
        await r.do(RemoveNode("bench"))
        await r.do(RemoveRoom("cheese-cellar"))


async def test_what_cannot_be_is_refused() -> None:
    async with rig() as r:
        await bench(r, 2)
        await r.do(MakeComputed("dew-point", AIR))
        for made, said in (
            (MakeComputed("dew-point", AIR), "is there already; give this one another name"),
            (MakeComputed("mean", (AIR[0], AIR[0])), "a source is named twice"),
            (MakeComputed("mean", AIR), "sources of one kind"),
            (MakeComputed("dew-point", AIR[::-1], title="X"), "in this order"),
        ):
            with pytest.raises(Invalid) as refused:
                await r.do(made)
            assert said in str(refused.value)
        with pytest.raises(Refused, match="set the steps of what it is computed from"):
            await r.do(ConditionEntity(POINT, []))


async def test_what_a_node_had_kept_is_computed_with_too(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("hombi.hub.computed.feature.BUFFERED_AFTER_S", 0.01)
    async with rig() as r:
        await bench(r, 3)
        await r.do(MakeComputed("dew-point", AIR))
        await at_rest(r)
        r.clock.now = START + 600 * MIN
        for minute in range(100, 400, 100):  # hours late, pack by pack
            pack = [
                Resolved(name, "", START + minute * MIN, value)
                for name, value in (("temperature", 25.0), ("humidity", 60.0))
            ]
            r.hub.intake.observed("bench", pack, lambda _: None)
        await say(r, 600, temperature=20.0, humidity=50.0)
        await until(lambda: len(stored(r)) == 7)
        late = [one for one in stored(r) if START + 50 * MIN < one.at_ms < START + 500 * MIN]
        assert [(one.at_ms - START) // MIN for one in late] == [100, 200, 300]
        assert {one.value for one in late} == {dew_point(25.0, 60.0)}


async def test_a_source_that_has_become_something_else_is_missing() -> None:
    async with rig() as r:
        await bench(r, 3)
        made = await r.do(MakeComputed("dew-point", AIR))
        await at_rest(r)
        before = made.latest
        await r.do(ChangeKind("bench/humidity", "moisture"))
        await say(r, 30, temperature=21.0, humidity=90.0)
        assert before is not None
        assert made.latest is not None
        assert (made.latest.value, made.latest.quality) == (before.value, Quality.INPUT_MISSING)


async def test_the_factor_of_a_wall_follows_from_one_measurement() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        await r.let_in("Mast", **CLIMATE)
        sources = (*AIR, "mast/temperature")
        wish = MakeComputed("surface-humidity", sources, {"surface": "14"}, "Corner")
        with pytest.raises(Invalid, match="must be heard"):
            await r.do(wish)
        await say(r, 0, temperature=20.0, humidity=50.0)
        await say(r, 0, node="mast", temperature=0.0, humidity=90.0)
        made = await r.do(wish)
        assert isinstance(made.origin, Derivation)
        assert dict(made.origin.parameters) == {"frsi": "0.7"}
        await at_rest(r)
        assert stored(r, made.address)[-1].value == pytest.approx(73.1, abs=0.1)
        await say(r, 1, temperature=16.0)
        await say(r, 1, node="mast", temperature=14.0)
        for surface, said in (("14.5", "less than 5 K apart"), ("cold", "is not a number")):
            with pytest.raises(Invalid, match=said):
                await r.do(MakeComputed("surface-humidity", sources, {"surface": surface}, "X"))


async def test_a_formula_live_over_the_past_and_after_a_restart() -> None:
    text = "(bench/temperature - 4 °C) * bench/humidity / 50 %"
    async with rig() as r:
        await bench(r)
        made = await r.do(MakeComputed("formula", [], {"text": text}, "Odd"))
        await at_rest(r)
        assert isinstance(made.origin, Derivation)
        assert (made.kind.name, made.origin.sources) == ("temperature", AIR)
        past = stored(r, "bench/odd")
        assert past[4].value == pytest.approx((21.0 - 4) * 54 / 50)
        with pytest.raises(Refused, match="odd is computed"):
            await r.do(RemoveNode("bench"))
        for wrong, said in (
            ("bench/temperatur", "no entity bench/temperatur"),
            ("bench/temperature + bench/humidity", "does not fit"),
            ("value + 1", "`value` is what a step knows"),
            ("1 + 1", "name at least one value"),
            ("bench/temperature +", "ends too early"),
            ("", "is empty"),
        ):
            with pytest.raises((Invalid, NotFound)) as refused:
                await r.do(MakeComputed("formula", [], {"text": wrong}, "X"))
            assert said in str(refused.value), (wrong, str(refused.value))
    computing.cache_clear()
    async with rig(r.records, r.clock) as again:
        await say(again, 30, temperature=14.0, humidity=50.0)
        assert stored(again, "bench/odd")[-1].value == pytest.approx(10.0)
        await say(again, 31, temperature=14.0, humidity=None)
        last = again.hub.house.entity("bench/odd").latest
        assert last is not None
        assert (last.value, last.quality) == (pytest.approx(10.0), Quality.INPUT_MISSING)


async def test_two_that_make_the_same_value_at_once_make_one() -> None:
    async with rig() as r:
        await bench(r, 3)
        wish = MakeComputed("dew-point", AIR)
        done = await asyncio.gather(r.do(wish), r.do(wish), return_exceptions=True)
        assert sorted(type(one).__name__ for one in done) == ["Entity", "Invalid"]
        await at_rest(r)
        for title in ("!!!", "\u2003 "):
            with pytest.raises(Invalid, match=r"a letter or a digit|is there already"):
                await r.do(MakeComputed("dew-point", AIR, title=title))


async def test_what_one_node_gives_goes_with_it_to_another_room() -> None:
    async with rig() as r:
        await bench(r)
        await r.let_in("Rack", **CLIMATE)
        point = await r.do(MakeComputed("dew-point", AIR))
        damp = await r.do(MakeComputed("humidex", (POINT, "bench/humidity"), title="Feels like"))
        named = await r.do(MakeComputed("dew-point", AIR, room="Cheese cellar", title="Here"))
        both = await r.do(MakeComputed("mean", ("rack/humidity", "bench/humidity"), title="Both"))
        addresses = ["bench/dew-point", "bench/feels-like", "cheese-cellar/here"]
        assert [one.address for one in (point, damp, named)] == addresses
        assert both.address == "cheese-cellar/both"
        assert (point.spoken, point.node) == ("Bench dew point", None)
        await r.do(ChangeNode("bench", room="Loft"))
        await at_rest(r)
    async with rig(r.records, r.clock) as again:
        house = again.hub.house
        rooms = {one: house.entity(one).room for one in (*addresses, "cheese-cellar/both")}
        assert [room.name for room in rooms.values() if room] == [
            "Loft", "Loft", "Cheese cellar", "Cheese cellar",
        ]  # fmt: skip
        await say(again, 30, temperature=21.0, humidity=60.0)
        assert house.entity(POINT).latest == stored(again)[-1]


async def test_a_node_that_takes_the_name_of_a_computed_value_gets_another() -> None:
    async with rig() as r:
        await bench(r)
        made = await r.do(MakeComputed("dew-point", AIR))
        await at_rest(r)
        point = {"type": "number", "readOnly": True, "unit": "°C", "title": "Dew point"}
        await r.let_in("Bench", **CLIMATE, **{"dew-point": point})
        house = r.hub.house
        assert house.entity(POINT) is made
        assert made.host is house.nodes["bench"]
        assert house.entity("bench/dew-point-2").wire_name == "dew-point"
        await say(r, 30, temperature=21.0, humidity=60.0, **{"dew-point": 3.0})
        assert house.entity("bench/dew-point-2").latest.value == 3.0
        assert house.entity(POINT).latest.value == dew_point(21.0, 60.0)


async def test_a_past_that_met_a_busy_disk_is_made_whole(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("hombi.hub.machine.jobs.PAUSES_S", (0.01,))
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        for hours in range(100, 0, -1):
            for name, value in (("temperature", 20.0), ("humidity", 50.0)):
                r.say("rack", name, value, at_ms=START - hours * 3_600_000)
        await settle()
        replace, failures = r.records.history.replace, [0]

        def busy(*given: Any) -> None:
            failures[0] += 1
            if failures[0] % 2:
                raise Busy("the database is locked")
            replace(*given)

        monkeypatch.setattr(r.records.history, "replace", busy)
        made = await r.do(MakeComputed("dew-point", ["rack/temperature", "rack/humidity"]))
        await until(lambda: len(r.records.history.readings_of(made.id)) >= 99)
        assert failures[0] > 4
        await until(lambda: not r.hub.jobs.under_way())


async def test_a_past_that_a_stop_cut_off_is_made_whole_after_it() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.let_in("Rack", **CLIMATE)
        for hours in range(300, 0, -1):
            for name, value in (("temperature", 20.0), ("humidity", 50.0)):
                r.say("rack", name, value, at_ms=START - hours * 3_600_000)
        await settle()
        made = await r.do(MakeComputed("dew-point", ["rack/temperature", "rack/humidity"]))
        number = made.id
    assert len(records.history.readings_of(number)) < 299
    async with rig(records, clock) as r:
        await until(lambda: len(records.history.readings_of(number)) >= 299)
        await until(lambda: not r.hub.jobs.under_way())
    assert not [key for key in records.keeping.all() if key == f"derived/{number}"]


async def test_days_follow_a_zone_that_was_changed_while_the_hub_was_off() -> None:
    records, clock = MemoryRecords(), ManualClock()
    async with rig(records, clock) as r:
        await r.let_in("Pump", **PLUG)
        for hours in range(80, 0, -1):
            r.say("pump", "switch", hours % 2, at_ms=START - hours * 3_600_000)
        await settle()
        made = await r.do(MakeComputed("time-on", ["pump/switch"], {"per": "day"}))
        await until(lambda: not r.hub.jobs.under_way())
        await settle()
        before = [(one.at_ms, one.value) for one in records.history.readings_of(made.id)]
    async with rig(records, clock, house={"time_zone": "Pacific/Auckland"}) as r:
        await until(lambda: not r.hub.jobs.under_way())
        await settle()
        after = [(one.at_ms, one.value) for one in records.history.readings_of(made.id)]
    zeros = [at for at, value in after if value == 0]
    assert before != after
    zone = ZoneInfo("Pacific/Auckland")
    assert any(datetime.fromtimestamp(at / 1000, zone).hour == 0 for at in zeros)
