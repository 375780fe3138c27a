"""Conditioning: from now on or over the past, taken back, and over a restart."""

from __future__ import annotations

import asyncio
import math

import pytest

from hombi.core.quality import Quality
from hombi.core.senml import Resolved
from hombi.core.series import HOUR_MS, Reading
from hombi.core.series.conditioning import corrected
from hombi.hub.conditioning.calibrating import CalibrateEntity, calibrated
from hombi.hub.conditioning.changes import ConditionEntity, UndoConditioning
from hombi.hub.errors import Busy, Invalid, Refused
from hombi.hub.nodes.described import ChangeKind
from hombi.hub.nodes.feature import RemoveNode
from tests.house import CLIMATE, PLUG
from tests.hub.parts import START, Rig, rig, settle, until

MIN = 60_000
COLD = {"step": "linear", "offset": -0.7}
SMOOTH = {"step": "low-pass", "time": "5 min"}
AIR = "bench/temperature"


async def hear(r: Rig, minute: int, value: float) -> None:
    r.clock.now = max(r.clock.now, START + minute * MIN)
    r.hub.intake.observed(
        "bench", [Resolved("temperature", "", START + minute * MIN, value)], lambda _: None
    )
    await settle()


async def bench(r: Rig, minutes: int = 30) -> int:
    """A node with half an hour of temperatures; its entity's number."""
    await r.let_in("Bench", **CLIMATE)
    for minute in range(minutes):
        await hear(r, minute, 20.0 + minute % 7)
    return r.hub.house.entity(AIR).id


def stored(r: Rig, number: int) -> list[Reading]:
    return r.records.history.readings_of(number)


async def at_rest(r: Rig) -> None:
    """The past is made again, where it was to be."""
    entity = r.hub.house.entity(AIR)
    await until(lambda: r.hub.conditioning.progress(entity) is None)


async def test_from_now_on_the_past_stays_and_with_the_past_it_does_not() -> None:
    async with rig() as r:
        number = await bench(r)
        before = stored(r, number)
        await r.do(ConditionEntity(AIR, [COLD]))
        await hear(r, 31, 20.0)
        assert stored(r, number)[:-1] == before
        assert stored(r, number)[-1].value == pytest.approx(19.3)
        assert stored(r, number)[-1].sent == 20.0
        await r.do(ConditionEntity(AIR, [COLD], past=True))
        await at_rest(r)
        after = stored(r, number)
        assert [one.value for one in after[:30]] == [
            pytest.approx(19.3 + minute % 7) for minute in range(30)
        ]
        assert [one.sent for one in after[:30]] == [one.sent for one in before]
        assert "EntityConditioned" in r.events()
        assert r.records.journal.all[-1].text == (
            f"31 past readings of {AIR} were conditioned again"
        )


async def test_what_is_shown_follows_the_past() -> None:
    async with rig() as r:
        await bench(r)
        entity = r.hub.house.entity(AIR)
        assert entity.latest is not None
        shown = entity.latest.value
        await r.do(ConditionEntity(AIR, [COLD], past=True))
        await at_rest(r)
        assert shown is not None
        assert entity.latest.value == pytest.approx(shown - 0.7)


async def test_undoing_brings_back_what_was_value_by_value() -> None:
    async with rig() as r:
        number = await bench(r)
        plain = stored(r, number)
        await r.do(ConditionEntity(AIR, [SMOOTH, COLD], past=True))
        await at_rest(r)
        smooth = stored(r, number)
        assert smooth != plain
        await r.do(ConditionEntity(AIR, [{"step": "median", "window": "4 min"}], past=True))
        await at_rest(r)
        assert stored(r, number) != smooth
        await r.do(UndoConditioning(AIR))
        await at_rest(r)
        assert stored(r, number) == smooth
        await r.do(UndoConditioning(AIR))
        await at_rest(r)
        assert stored(r, number) == plain
        with pytest.raises(Refused, match="nothing to undo"):
            await r.do(UndoConditioning(AIR))


async def test_each_plan_counts_from_its_moment_on_when_the_past_is_made_again() -> None:
    async with rig() as r:
        number = await bench(r, 10)
        await r.do(ConditionEntity(AIR, [{"step": "linear", "offset": 1.0}]))
        for minute in range(11, 16):
            await hear(r, minute, 20.0)
        live = stored(r, number)
        await r.do(ConditionEntity(AIR, [COLD], past=True))
        await at_rest(r)
        assert {round((one.value or 0) - (one.sent or 0), 6) for one in stored(r, number)} == {-0.7}
        await r.do(UndoConditioning(AIR))
        await at_rest(r)
        assert stored(r, number) == live


async def test_a_chain_is_warm_after_a_restart_and_goes_on() -> None:
    async with rig() as r:
        number = await bench(r)
        await r.do(ConditionEntity(AIR, [SMOOTH], past=True))
        await at_rest(r)
        for minute in range(31, 34):
            await hear(r, minute, 25.0)
    async with rig(r.records, r.clock) as again:
        assert again.hub.house.entity(AIR).plan
        await hear(again, 34, 25.0)
        lived = stored(again, number)
        await again.do(ConditionEntity(AIR, [SMOOTH], past=True))
        await at_rest(again)
        for one, other in zip(stored(again, number), lived, strict=True):
            assert one.value == pytest.approx(other.value, abs=1e-6)
            assert one.quality == other.quality
        assert lived[-1].quality is Quality.GOOD, "it has seen enough"
        assert lived[2].quality is Quality.WARMING_UP


async def test_a_past_that_was_half_made_is_made_to_its_end_after_a_restart() -> None:
    async with rig() as r:
        number = await bench(r)
        await r.do(ConditionEntity(AIR, [COLD], past=True))
        await at_rest(r)
        whole = stored(r, number)
        data = r.records.conditioning.all()[number]
        data["redo"] = [START, START + HOUR_MS]
        r.records.conditioning.save(number, data)
        for one in whole[10:]:
            r.records.history.readings[number, one.at_ms] = Reading(one.at_ms, 0, one.sent, 0.0)
    async with rig(r.records, r.clock) as again:
        await at_rest(again)
        assert stored(again, number) == whole
        assert "redo" not in again.records.conditioning.all()[number]


async def test_a_late_reading_is_put_in_its_place(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("hombi.hub.conditioning.feature.LATE_AFTER_S", 0.01)
    async with rig() as r:
        number = await bench(r)
        await r.do(ConditionEntity(AIR, [SMOOTH], past=True))
        await at_rest(r)
        r.hub.intake.observed(
            "bench", [Resolved("temperature", "", START + 10 * MIN + 5_000, 40.0)], lambda _: None
        )
        await settle()
        await until(lambda: r.events().count("PastConditioned") == 2)
        late = stored(r, number)
        await r.do(ConditionEntity(AIR, [SMOOTH], past=True))
        await at_rest(r)
        for one, other in zip(stored(r, number), late, strict=True):
            assert one.value == pytest.approx(other.value, abs=1e-6)


async def test_a_spike_is_bad_and_starts_nothing() -> None:
    async with rig() as r:
        number = await bench(r)
        await r.do(ConditionEntity(AIR, [{"step": "despike", "window": "10 min", "floor": 0.5}]))
        await hear(r, 31, 60.0)
        await hear(r, 32, 22.0)
        spike, after = stored(r, number)[-2:]
        assert (spike.value, spike.quality) == (60.0, Quality.SPIKE)
        assert after.quality is Quality.GOOD


async def test_it_stays_with_a_node_that_comes_again_and_not_with_another_kind() -> None:
    async with rig() as r:
        await bench(r)
        await r.do(ConditionEntity(AIR, [COLD]))
        await r.do(RemoveNode("bench"))
        await r.let_in("Bench", **CLIMATE)
        await until(lambda: r.hub.house.entity(AIR).plan)
        await hear(r, 40, 20.0)
        latest = r.hub.house.entity(AIR).latest
        assert latest is not None
        assert latest.value == pytest.approx(19.3)
        await r.do(ChangeKind(AIR, "humidity"))
        await settle()
        assert r.hub.house.entity(AIR).plan == ()


@pytest.mark.parametrize(
    ("steps", "said"),
    [
        ([{"step": "linar"}], "step 1: there is no step 'linar'; did you mean linear?"),
        ([COLD, {"step": "clamp", "low": 5}], "step 2: clamp high is missing"),
        ([{"step": "clamp", "low": 9, "high": 5}], "the lower bound is over the upper one"),
        ([{"step": "linear", "ofset": 1}], "linear has no 'ofset'; it has gain, offset"),
        ([{"step": "linear", "offset": "warm"}], "linear offset: 'warm' is not a number"),
        ([{"step": "linear", "offset": float("nan")}], "is not a number"),
        ([{"step": "linear", "gain": True}], "is not a number"),
        ([{"step": "linear", "gain": 1e300}], "more than anything measures"),
        ([{"step": "median", "window": "soon"}], "is not a length of time"),
        ([{"step": "low-pass", "time": "900 d"}], "1 d is the longest"),
        ([{"step": "despike", "times": 0}], "must be more than nothing"),
        ([COLD] * 9, "8 steps at most"),
    ],
)
async def test_steps_that_cannot_be_are_refused_and_change_nothing(
    steps: list[dict[str, object]], said: str
) -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        with pytest.raises(Invalid) as refused:
            await r.do(ConditionEntity(AIR, steps))
        assert said in str(refused.value)
        assert r.hub.house.entity(AIR).plan == ()
        assert r.records.conditioning.all() == {}


async def test_what_has_two_states_has_no_numbers_to_condition() -> None:
    async with rig() as r:
        door = {"type": "boolean", "readOnly": True, "@type": "contact"}
        await r.let_in("Mister", **PLUG)
        await r.let_in("Door", contact=door)
        with pytest.raises(Invalid, match="has two states"):
            await r.do(ConditionEntity("door/contact", [COLD]))
        with pytest.raises(Refused, match="a command would never be confirmed"):
            await r.do(ConditionEntity("mister/switch", [COLD]))


async def test_a_sensor_is_corrected_by_what_stands_beside_it_and_checked_again() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        await r.let_in("Rack", **CLIMATE)
        for minute in range(0, 30 * 60, 10):
            r.clock.now = START + minute * MIN
            truth = 18.0 + 4.0 * math.sin(minute / 720)
            for node, value in (("bench", truth + 0.7), ("rack", truth)):
                pack = [Resolved("temperature", "", r.clock.now, value)]
                r.hub.intake.observed(node, pack, lambda _: None)
        await settle()
        await until(lambda: not r.hub.writer.held)
        span = (START, START + 30 * HOUR_MS)
        beside = CalibrateEntity(AIR, "rack/temperature", *span, past=True)
        await r.do(beside)
        await at_rest(r)
        (step,) = r.hub.house.entity(AIR).plan
        assert step["step"] == "linear"
        assert step["offset"] == pytest.approx(-0.7, abs=0.01)
        # A second comparison finds no more to correct; corrections do not pile up.
        history = r.records.history
        sensor, reference = (r.hub.house.entity(one) for one in (AIR, "rack/temperature"))
        again = calibrated(history, sensor, reference, *span)
        assert again.offset is not None
        assert again.offset.offset == pytest.approx(0.0, abs=0.01)
        await r.do(beside)
        assert len(r.hub.house.entity(AIR).plan) == 1
        for other, said in (
            (AIR, "not with itself"),
            ("rack/humidity", "compare values of one kind"),
        ):
            with pytest.raises(Invalid, match=said):
                await r.do(CalibrateEntity(AIR, other, *span))
        with pytest.raises(Refused, match="there is not enough yet"):
            await r.do(CalibrateEntity(AIR, "rack/temperature", START, START + HOUR_MS))


def test_corrections_are_put_together() -> None:
    plan = ({"step": "median", "window": "5 min"}, {"step": "linear", "offset": 1.0, "gain": 2.0})
    assert corrected(plan, 3.0, 0.5) == [
        {"step": "median", "window": "5 min"},
        {"step": "linear", "offset": 3.5, "gain": 6.0},
    ]
    assert corrected((), 1.0, -0.7) == [{"step": "linear", "offset": -0.7, "gain": 1.0}]


async def test_two_who_change_the_steps_at_once_lose_none() -> None:
    async with rig() as r:
        await bench(r, 3)
        steps = [{"step": "linear", "offset": float(n)} for n in range(4)]
        await asyncio.gather(*(r.do(ConditionEntity(AIR, [step])) for step in steps))
        assert len(r.hub.conditioning.of(r.hub.house.entity(AIR)).versions) == 4


async def test_undoing_after_another_kind_touches_none_of_the_first() -> None:
    async with rig() as r:
        await bench(r, 3)
        await r.do(ConditionEntity(AIR, [COLD]))
        await r.do(ChangeKind(AIR, "humidity"))
        with pytest.raises(Refused, match="nothing to undo"):
            await r.do(UndoConditioning(AIR))
        await r.do(ConditionEntity(AIR, [{"step": "linear", "offset": 5.0}], past=True))
        await at_rest(r)
        await r.do(ChangeKind(AIR, "temperature"))
        await settle()
        await until(lambda: r.hub.house.entity(AIR).plan)
        assert r.hub.house.entity(AIR).plan[0]["offset"] == -0.7


async def test_the_past_goes_on_when_the_disk_does_not_take_it_for_a_while(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    async with rig() as r:
        r.hub.jobs.pauses_s = (0.01,)
        number = await bench(r)
        rewrite, failures = r.records.history.rewrite, [Busy("the disk is full")] * 3

        def refuses(*words: object) -> None:
            if failures:
                raise failures.pop()
            rewrite(*words)  # type: ignore[arg-type]

        monkeypatch.setattr(r.records.history, "rewrite", refuses)
        await r.do(ConditionEntity(AIR, [SMOOTH, COLD], past=True))
        await at_rest(r)
        assert failures == []
        smooth = stored(r, number)
        await r.do(ConditionEntity(AIR, [SMOOTH, COLD], past=True))
        await at_rest(r)
        assert stored(r, number) == smooth
