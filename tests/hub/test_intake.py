from __future__ import annotations

import asyncio
from collections.abc import Sequence

import pytest

from hombi.core.outcome import Outcome
from hombi.core.quality import Quality
from hombi.core.senml import Resolved
from hombi.hub.automations.changes import AddAutomation
from hombi.hub.errors import NotFound
from hombi.hub.nodes.feature import RemoveNode
from hombi.hub.readings.port import Row
from tests.house import CLIMATE
from tests.hub.parts import START, rig, settle


async def test_a_reading_is_converted_kept_raw_and_acknowledged_after_the_commit() -> None:
    async with rig() as r:
        await r.let_in("Bench", temperature={"type": "number", "unit": "[degF]", "readOnly": True})
        said: list[str] = []
        r.hub.intake.observed(
            "bench",
            [Resolved("temperature", "", START, 50.0)],
            lambda now: said.append(now.name),
        )
        entity = r.hub.house.entity("bench/temperature")
        assert entity.latest is not None
        assert (entity.latest.sent, round(entity.latest.value, 6)) == (50.0, 10.0)
        assert said == [], "nothing is acknowledged before it is safe"
        await settle()
        assert said == ["SAFE"]
        assert r.records.history.readings[entity.id, START].sent == 50.0


@pytest.mark.parametrize(
    ("value", "unit", "at", "said"),
    [
        ("warm", "", 0, "a number was expected, not the text 'warm'"),
        (True, "", 0, "a number was expected, not true or false"),
        (21.0, "hPa", 0, "measures pressure"),
        (21.0, "furlong", 0, "no unit 'furlong'"),
        (21.0, "", START + 3_600_000, "ahead of the hub's"),
        (21.0, "", 1000, "more than 400 days back"),
    ],
)
async def test_what_cannot_be_is_refused_counted_and_journaled(
    value: float | str, unit: str, at: int, said: str
) -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        done: list[Outcome] = []
        taken = r.hub.intake.observed(
            "rack", [Resolved("temperature", unit, at or START, value)], done.append
        )
        assert taken.stored == 0
        assert said in taken.refused[0]
        assert done == [Outcome.REFUSED], "a sender that is not told would send the same for ever"
        await settle()
        assert r.hub.house.node("rack").refused == 1
        assert "ReadingRefused" in r.events()


async def test_a_post_that_comes_just_after_its_node_was_taken_out_is_answered() -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        await r.do(RemoveNode("rack", keep_history=True))
        pack = b'[{"n":"humidity","v":50}]'
        with pytest.raises(NotFound, match="no node rack"):
            await asyncio.wait_for(r.hub.posts.pack("rack", pack), 30)


async def test_the_sound_part_of_a_pack_is_kept() -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        values = [
            Resolved("temperature", "", START, 20.0),
            Resolved("nothing", "", START, 1.0),
            Resolved("humidity", "", START, 60.0),
        ]
        taken = r.hub.intake.observed("rack", values, lambda _: None)
        assert (taken.stored, taken.refused) == (2, ["rack has no entity 'nothing'"])
        await settle()
        assert len(r.records.history.readings) == 2


async def test_beyond_the_limits_is_kept_as_bad_and_nothing_acts_on_it() -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        await r.do(
            AddAutomation(
                'name = "Damp"\n[watch]\nentity = "rack/humidity"\nover = "70 '
                '%"\n[[starts]]\nnotify = "everyone"\ntitle = "Damp"\n'
            )
        )
        r.say("rack", "humidity", 140.0)
        latest = r.hub.house.entity("rack/humidity").latest
        assert latest is not None
        assert latest.quality is Quality.OUT_OF_RANGE
        assert r.hub.automations.find("damp").state.phase == "idle"
        r.say("rack", "humidity", 80.0)
        assert r.hub.automations.find("damp").state.phase == "on"


async def test_late_readings_are_stored_but_do_not_become_the_latest() -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        r.say("rack", "humidity", 60.0)
        r.say("rack", "humidity", 99.0, at_ms=START - 5_000)
        latest = r.hub.house.entity("rack/humidity").latest
        assert latest is not None
        assert latest.value == 60.0
        await settle()
        assert len(r.records.history.readings) == 2


async def test_buffered_readings_are_history_and_nothing_acts_on_them() -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        await r.do(
            AddAutomation(
                'name = "Damp"\n[watch]\nentity = "rack/humidity"\nover = "70 '
                '%"\n[[starts]]\nnotify = "everyone"\ntitle = "Damp"\n'
            )
        )
        r.say("rack", "humidity", 99.0, at_ms=START - 3_600_000)
        assert r.hub.automations.find("damp").state.phase == "idle"


async def test_a_node_is_silent_after_three_usual_intervals_and_heard_again() -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        r.usual("rack/humidity", 60_000)
        for _ in range(7):
            r.say("rack", "humidity", 60.0)
            await r.clock.forward(60_000)
        node = r.hub.house.node("rack")
        r.hub.nodes.look_for_silent()
        assert not node.silent
        await r.clock.forward(130_000)
        r.hub.nodes.look_for_silent()
        assert node.silent
        assert r.hub.needs()[0].text == "Rack is no longer heard"
        r.say("rack", "humidity", 60.0)
        assert not node.silent
        await settle()
        assert [e for e in r.events() if "Silent" in e or "Again" in e] == [
            "NodeSilent",
            "NodeHeardAgain",
        ]


async def test_a_door_that_is_opened_now_and_then_is_not_silent_in_between() -> None:
    async with rig() as r:
        await r.let_in("Door", contact={"type": "boolean", "readOnly": True})
        for minutes in (0.05, 40, 0.05, 50, 0.1, 60):
            r.say("door", "contact", True)
            await r.clock.forward(round(minutes * 60_000))
            r.hub.nodes.look_for_silent()
        assert not r.hub.house.node("door").silent
        await r.clock.forward(5 * 3_600_000)
        r.hub.nodes.look_for_silent()
        assert not r.hub.house.node("door").silent, "nobody opened it"


async def test_a_value_that_does_not_change_is_not_a_dead_node() -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        for _ in range(20):
            r.say("rack", "humidity", 60.0)
            await r.clock.forward(30_000)
            r.hub.nodes.look_for_silent()
        assert not r.hub.house.node("rack").silent


async def test_a_disk_that_fails_holds_readings_and_writes_them_when_it_can() -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        store, fail = r.records.history.store, True

        def failing(rows: Sequence[Row]) -> None:
            if fail:
                raise OSError("database or disk is full")
            store(rows)

        r.records.history.store = failing  # type: ignore[method-assign]
        said: list[str] = []
        r.hub.intake.observed(
            "rack",
            [Resolved("humidity", "", START, 60.0)],
            lambda now: said.append(now.name),
        )
        await settle()
        assert said == []
        assert "disk is full" in r.hub.writer.problem
        assert r.hub.needs()[0].kind == "disk"
        fail = False
        for _ in range(40):
            await settle()
            if said:
                break
        assert said == ["SAFE"]
        assert r.hub.writer.problem == ""
        assert len(r.records.history.readings) == 1


async def test_at_the_bound_nothing_more_is_taken_and_nothing_is_acknowledged(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    async with rig() as r:
        await r.let_in("Rack", **CLIMATE)
        monkeypatch.setattr("hombi.hub.readings.writer.MAX_HELD", 0)
        said: list[str] = []
        taken = r.hub.intake.observed(
            "rack",
            [Resolved("humidity", "", START, 60.0)],
            lambda now: said.append(now.name),
        )
        assert taken.stored == 0
        assert said == ["LATER"], "its sender learns at once that it is to send it again"
        await settle()
        assert "ReadingsRefused" in r.events()
        assert r.hub.intake.dropped == 1
