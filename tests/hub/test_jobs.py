"""Work over the past: it outlives a kill, waits for a disk that does not take it, and
says how far it is."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator, Callable

import pytest

from hombi.hub.errors import Busy
from hombi.hub.kernel import Context
from hombi.hub.machine.jobs import Job, Jobs, Left
from hombi.hub.machine.keeper import Keeper
from hombi.hub.readings.machine_clock import DATING
from tests.hub.parts import CLIMATE, ManualClock, rig, settle, until
from tests.memory import MemoryRecords

SORT = "raking"


class House:
    """The part alone, with work that counts up to 10."""

    def __init__(self, records: MemoryRecords | None = None) -> None:
        self.records = records or MemoryRecords()
        self.context = Context.fresh(ManualClock(), self.records)
        self.keeper = Keeper(self.context)
        self.done: list[int] = []
        self.hinder: Callable[[int], None] = lambda _: None

    async def open(self) -> Jobs:
        await self.keeper.load()
        await self.keeper.open()
        self.jobs = Jobs(self.context, self.keeper)
        self.jobs.pauses_s = (0.01,)
        self.jobs.sort(SORT, self.steps, lambda job: f"raking {job.about}")
        await self.jobs.open()
        return self.jobs

    async def steps(self, job: Job) -> AsyncIterator[Left]:
        for at in range(job.left["since_ms"], 10):
            self.hinder(at)
            self.done.append(at)
            yield {"since_ms": at + 1, "until_ms": 10}

    async def close(self) -> None:
        await self.jobs.close()
        await self.keeper.close()
        self.context.thread.close()


async def test_a_job_goes_on_after_a_stop_where_it_was() -> None:
    first = House()
    jobs = await first.open()
    held = asyncio.Event()

    def stop_at_4(at: int) -> None:
        if at == 4:
            held.set()
            raise Busy("the disk is full")

    first.hinder = stop_at_4
    job = jobs.begin(SORT, "leaves", {"since_ms": 0})
    await held.wait()
    assert (job.progress, job.problem) == (0.4, "the disk is full")
    assert [jobs.in_words(one) for one in jobs.under_way()] == ["raking leaves"]
    await first.close()
    second = House(first.records)
    again = await second.open()
    await until(lambda: not again.under_way())
    assert (first.done, second.done) == ([0, 1, 2, 3], [4, 5, 6, 7, 8, 9])
    await second.close()
    assert not [key for key in second.records.keeping.all() if key.startswith("past/")]


async def test_a_kill_between_plan_and_start_loses_no_job() -> None:
    first = House()
    jobs = await first.open()
    jobs.plan(SORT, "leaves", {"since_ms": 7})
    await jobs.safe()
    # Nothing more is written: the hub is killed.
    second = House(first.records)
    again = await second.open()
    await until(lambda: not again.under_way())
    assert (first.done, second.done) == ([], [7, 8, 9])
    await second.close()
    await first.close()


async def test_what_the_disk_does_not_take_is_done_again_until_it_does() -> None:
    house = House()
    jobs = await house.open()
    failures = [Busy("the disk is full")] * 5

    def refuse(_: int) -> None:
        if failures:
            raise failures.pop()

    house.hinder = refuse
    job = jobs.begin(SORT, "leaves", {"since_ms": 8})
    with pytest.raises(Busy, match="raking leaves waits, and goes on by itself: the disk is full"):
        await jobs.ended(job)
    await until(lambda: not jobs.under_way())
    assert (house.done, failures) == ([8, 9], [])
    await house.close()


async def test_a_job_waits_for_those_that_it_follows_from_and_a_fault_holds_up_no_other() -> None:
    house = House()
    jobs = await house.open()

    def fault(_: int) -> None:
        house.hinder = lambda _: None
        raise ZeroDivisionError("a fault of the hub's own")

    house.hinder = fault
    broken = jobs.begin(SORT, "leaves", {"since_ms": 0})
    following = jobs.begin(SORT, "grass", {"since_ms": 9}, [broken])
    await jobs.ended(following)
    assert house.done == [9]
    assert broken.problem == "ZeroDivisionError: a fault of the hub's own"
    assert jobs.under_way() == [broken], "it is listed, with what is wrong"
    await house.close()
    assert house.records.keeping.all()["past/raking/leaves"] == {"since_ms": 0}


@pytest.mark.parametrize("stopped_within", [False, True])
async def test_readings_are_dated_once_though_the_hub_restarts(stopped_within: bool) -> None:
    """As on a machine without a clock of its own, once it has the right time. The third
    step meets a full disk, or is under way when the hub is stopped."""
    async with rig() as r:
        await r.let_in("Bench", **CLIMATE)
        base = r.clock.now
        for minute in range(6):
            r.clock.now = base + minute * 60_000
            r.say("bench", "humidity", 50.0 + minute)
            r.say("bench", "temperature", 10.0 + minute)
            await settle()
        await r.hub.writer.flushed()
        shift, calls = r.records.history.shift, 0

        def one_by_one(entity: int, start: int, end: int, by: int, at_once: int = 2) -> list[int]:
            nonlocal calls
            calls += 1
            if calls == 3 and stopped_within:
                time.sleep(0.3)  # the hub is stopped while this step is done
            elif calls >= 3:
                raise Busy("the disk is full")
            return shift(entity, start, end, by, 2)

        r.records.history.shift = one_by_one  # type: ignore[method-assign]
        left = {"from": base, "to": base + 360_001, "by": 90_000, "after": 0,
                "end": base + 360_001, "count": 0}  # fmt: skip
        r.hub.jobs.begin(DATING, base, left)
        while calls < 3:  # until() would wait for the records, too
            await asyncio.sleep(0.005)
        await r.hub.jobs.close()
    r.records.history.shift = shift  # type: ignore[method-assign]
    async with rig(r.records, r.clock) as again:
        await until(lambda: not again.hub.jobs.under_way())
        kept = again.records.keeping.all()
        assert not [key for key in kept if key.startswith("past/")]
        for name in ("humidity", "temperature"):
            number = again.hub.house.entity(f"bench/{name}").id
            times = sorted(at for entity, at in again.records.history.readings if entity == number)
            assert times == [base + minute * 60_000 + 90_000 for minute in range(6)]
        await settle()
        assert "DatesPutRight" in again.events()
