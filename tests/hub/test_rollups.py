"""Rollups are made of what came, made again when that changes, and outlive it."""

from __future__ import annotations

from collections.abc import Sequence
from zoneinfo import ZoneInfo

import pytest

from hombi.core.house_time import bounds
from hombi.core.senml import Resolved
from hombi.core.series import DAY_MS, FIVE_MINUTES_MS, HOUR_MS, Rollup
from hombi.hub.conditioning.changes import ConditionEntity
from hombi.hub.nodes.feature import RemoveNode
from tests.house import CLIMATE
from tests.hub.parts import START, Rig, rig, settle, until

MIN = 60_000
FIRST = START // HOUR_MS * HOUR_MS


async def hear(r: Rig, at_ms: int, value: float, name: str = "temperature") -> None:
    r.hub.intake.observed("bench", [Resolved(name, "", at_ms, value)], None)


async def every_ten_minutes(r: Rig, hours: int) -> int:
    """A reading every ten minutes, as 0, 1, 2 …; the number of the entity."""
    r.clock.now = FIRST + hours * HOUR_MS + MIN
    for number in range(6 * hours):
        await hear(r, FIRST + number * 10 * MIN, float(number))
    await settle()
    await r.hub.rollups.catch_up()
    return r.hub.house.entity("bench/temperature").id


async def test_an_hour_is_rolled_up_when_it_is_over() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        number = await every_ten_minutes(r, 3)
        history = r.records.history
        first, second, third = history.rollups(number, HOUR_MS, FIRST, FIRST + 9 * HOUR_MS)
        assert (first.count, first.low, first.mean, first.high) == (6, 0.0, 2.5, 5.0)
        assert (second.mean, third.mean) == (pytest.approx(8.5), pytest.approx(14.5))
        assert third.last == 17.0
        assert first.held_ms == HOUR_MS
        fives = history.rollups(number, FIVE_MINUTES_MS, FIRST, FIRST + HOUR_MS)
        assert [(five.start_ms - FIRST) // MIN for five in fives] == list(range(0, 60, 5))
        assert [five.count for five in fives] == [1, 0] * 6, "in between, it held"
        await hear(r, FIRST + 3 * HOUR_MS, 50.0)
        await settle()
        await r.hub.rollups.catch_up()
        later = history.rollups(number, HOUR_MS, FIRST + 3 * HOUR_MS, FIRST + 9 * HOUR_MS)
        assert later == [], "this hour is not over"


async def test_a_late_reading_puts_its_hour_and_its_day_right() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        number = await every_ten_minutes(r, 30)
        history = r.records.history
        await hear(r, FIRST + 65 * MIN, -30.0)
        await settle()
        assert history.stale(9) == [(number, FIRST + HOUR_MS)], "noted with the reading"
        await hear(r, FIRST + 66 * MIN, -20.0)
        await settle()
        await r.hub.rollups.catch_up()
        assert history.stale(9), "more may come: it is made again once"
        r.clock.now += MIN
        await r.hub.rollups.catch_up()
        assert history.stale(9) == []
        (hour,) = history.rollups(number, HOUR_MS, FIRST + HOUR_MS, FIRST + 2 * HOUR_MS)
        assert (hour.count, hour.low) == (8, -30.0)
        start = bounds(FIRST, FIRST + 1, "days", r.hub.rollups.zone)[0]
        (day,) = history.rollups(number, DAY_MS, start, start + 1)
        assert day.low == -30.0


async def test_a_day_is_the_houses_with_25_hours_where_it_has_them() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        r.hub.rollups.zone = ZoneInfo("Europe/Berlin")
        # The clocks go back on 31 October 2027; the day's own midnight is 22:00 UTC.
        midnight = 1_824_933_600_000
        r.clock.now = midnight - HOUR_MS
        for at in range(midnight - HOUR_MS, midnight + 27 * HOUR_MS, 30 * MIN):
            r.clock.now = at
            await hear(r, at, 1.0)
        await settle()
        r.clock.now = midnight + 27 * HOUR_MS
        await r.hub.rollups.catch_up()
        number = r.hub.house.entity("bench/temperature").id
        days = r.records.history.rollups(number, DAY_MS, midnight, midnight + 26 * HOUR_MS)
        assert [(day.start_ms, day.count, day.held_ms) for day in days] == [
            (midnight, 50, 25 * HOUR_MS)
        ]


async def test_the_last_day_of_a_node_that_falls_silent_ends_too() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        number = await every_ten_minutes(r, 2)
        r.clock.now = FIRST + 3 * DAY_MS
        await r.hub.rollups.catch_up()
        days = r.records.history.rollups(number, DAY_MS, FIRST - DAY_MS, r.clock.now)
        assert sum(day.count for day in days) == 12


async def test_old_readings_go_their_rollups_and_the_latest_stay() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        number = await every_ten_minutes(r, 3)
        history = r.records.history
        r.hub.rollups.keep_ms = 2 * DAY_MS
        r.clock.now = FIRST + 5 * DAY_MS
        before = history.rollups(number, HOUR_MS, FIRST, FIRST + 3 * HOUR_MS)
        await r.hub.rollups.catch_up()
        assert [one.value for one in history.readings_of(number)] == [17.0]
        assert history.rollups(number, HOUR_MS, FIRST, FIRST + 3 * HOUR_MS) == before
        # One that comes later still does not take the place of what is known.
        await hear(r, FIRST + 5 * MIN, 99.0)
        await settle()
        await r.hub.rollups.catch_up()
        assert history.rollups(number, HOUR_MS, FIRST, FIRST + 3 * HOUR_MS) == before


async def test_days_follow_the_house_into_another_zone() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        number = await every_ten_minutes(r, 60)
        history = r.records.history
        before = history.rollups(number, DAY_MS, 0, r.clock.now)
        r.hub.rollups.move_to(ZoneInfo("Asia/Tokyo"))
        await until(lambda: not r.hub.jobs.under_way())
        after = history.rollups(number, DAY_MS, 0, r.clock.now)
        starts = {(one.start_ms // HOUR_MS) % 24 for one in after}
        assert starts == {15}, "midnight in Tokyo"
        assert {(one.start_ms // HOUR_MS) % 24 for one in before} == {0}
        whole = [one for one in after if one.held_ms == DAY_MS]
        assert [one.count for one in whole] == [144]


WITH_GAP = (*range(0, 30 * 60, 10), *range(9_000, 9_600, 10))


@pytest.mark.parametrize(
    ("at_once", "hours", "minutes"),
    [
        (2_000, 48, WITH_GAP),
        (13, 48, WITH_GAP),
        (2_000, 2, WITH_GAP),
        (50, 29, WITH_GAP),
        (5, 48, range(0, 30 * 60, 10)),
    ],
)
async def test_a_past_that_is_made_again_is_rolled_up_with_it(
    at_once: int, hours: int, minutes: Sequence[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also over a gap, where one only held, and where an hour is too much at once."""
    monkeypatch.setattr("hombi.hub.conditioning.feature.AT_ONCE", at_once)
    monkeypatch.setattr("hombi.hub.conditioning.feature.REACH_MS", hours * HOUR_MS)
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        r.clock.now = FIRST + (minutes[-1] + 11) * MIN
        for minute in minutes:
            await hear(r, FIRST + minute * MIN, float(minute % 70))
        await settle()
        await r.hub.rollups.catch_up()
        entity = r.hub.house.entity("bench/temperature")

        def rolled() -> list[list[Rollup]]:
            find = r.records.history.rollups
            widths = (FIVE_MINUTES_MS, HOUR_MS, DAY_MS)
            return [find(entity.id, width, 0, r.clock.now) for width in widths]

        before = rolled()
        only_held = [hour for hour in before[1] if not hour.count]
        assert len(only_held) == (1 if minutes is WITH_GAP else 0)
        await r.do(ConditionEntity(entity.address, [{"step": "linear", "offset": -0.7}], past=True))
        await until(lambda: r.hub.conditioning.progress(entity) is None)
        assert r.records.history.stale(9) == []
        for wide, narrow in zip(before, rolled(), strict=True):
            for old, new in zip(wide, narrow, strict=True):
                assert (new.start_ms, new.count, new.held_ms) == (
                    old.start_ms, old.count, old.held_ms,
                )  # fmt: skip
                for name in ("low", "mean", "high", "last"):
                    assert getattr(new, name) == pytest.approx(getattr(old, name) - 0.7), name


async def test_marked_hours_of_a_node_that_was_taken_out_do_not_hold_up_the_others() -> None:
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        await r.let_in("Shelf", **CLIMATE)
        number = await every_ten_minutes(r, 3)
        shelf = r.hub.house.entity("shelf/temperature").id
        for minutes in range(0, 120, 10):
            r.hub.intake.observed(
                "shelf", [Resolved("temperature", "", FIRST + minutes * MIN, 5.0)], None
            )
        await hear(r, FIRST + 65 * MIN, -30.0)
        await settle()
        await r.do(RemoveNode("bench", keep_history=True))
        assert number in {entity for entity, _ in r.records.history.stale(99)}
        await r.hub.rollups.mend()
        assert r.records.history.stale(99) == []
        assert r.records.history.rollups(shelf, HOUR_MS, FIRST, FIRST + HOUR_MS)[0].mean == 5.0
        (hour,) = r.records.history.rollups(number, HOUR_MS, FIRST + HOUR_MS, FIRST + 2 * HOUR_MS)
        assert hour.low == -30.0
