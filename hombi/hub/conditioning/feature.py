"""The part that conditions: it keeps the plans, sets up the chains, and makes the past
again."""

from __future__ import annotations

import asyncio
import math
from collections.abc import AsyncIterator, Sequence

from hombi.core.formula.dimensions import registry
from hombi.core.series import HOUR_MS, Chain, Channel, Reading, Sample
from hombi.core.series.conditioning import Plan
from hombi.hub.conditioning.plans import Conditioned, Version
from hombi.hub.conditioning.trying import WARMED_WITH, warm
from hombi.hub.errors import Refused
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Context, Feature
from hombi.hub.machine.jobs import Job, Jobs, Left
from hombi.hub.readings.events import EntitiesChanged, PastConditioned
from hombi.hub.readings.intake import Intake
from hombi.hub.readings.port import HistoryPort
from hombi.hub.readings.rollups import REACH_MS, Rollups
from hombi.hub.readings.writer import Writer

AT_ONCE = 3_000
# Late readings come in packs: their past is put right once for all of them.
LATE_AFTER_S = 2.0
MOST_VERSIONS = 50
# The sort of its work over the past.
AGAIN = "conditioning"


class Conditioning(Feature):
    """Keeps the plans, sets up the chains, and makes the past again."""

    name = "conditioning"

    def __init__(
        self,
        context: Context,
        house: House,
        writer: Writer,
        intake: Intake,
        rollups: Rollups,
        jobs: Jobs,
    ) -> None:
        super().__init__(context)
        self.house, self._writer, self._rollups, self._jobs = house, writer, rollups, jobs
        self._all: dict[int, Conditioned] = {}
        self._late: dict[int, tuple[Entity, int, int]] = {}
        # Two who change one entity's plans at once must not lose one of both.
        self._one_by_one = asyncio.Lock()
        jobs.sort(AGAIN, self._steps, self._in_words, self._named)
        intake.hear_late(self._came_late)
        context.hear(EntitiesChanged, self._came)

    async def open(self) -> None:
        stored = await self.context.thread.run(self.context.records.conditioning.all)
        self._all = {number: Conditioned.of(data) for number, data in stored.items()}
        if any("formula" in str(data) for data in stored.values()):
            await asyncio.to_thread(registry)  # it takes its time
        await self._take_up()
        for number, data in stored.items():
            if redo := data.get("redo"):  # as 0.3 kept what was left
                self._begin(number, *redo)
                await self._jobs.safe()
                await self._save(number, self._all[number])

    def _came(self, _: EntitiesChanged) -> None:
        self.context.tasks.start(self._take_up(), "conditioning")

    def of(self, entity: Entity) -> Conditioned:
        """The plans of an entity."""
        return self._all.get(entity.id) or Conditioned()

    def progress(self, entity: Entity) -> float | None:
        """How much of its past is made again, 0 to 1; None when nothing is to do."""
        job = self._jobs.find(AGAIN, entity.id)
        return None if job is None else job.progress or 0.0

    def _entities(self) -> list[Entity]:
        return [entity for node in self.house.nodes.values() for entity in node.entities.values()]

    async def _take_up(self) -> None:
        """Entities that came, or came again, go on as they were conditioned."""
        for entity in self._entities():
            plan = self._present(entity, self.of(entity))
            if plan and plan != entity.plan:
                chain = await self._warmed(entity, plan)
                entity.follow_plan(plan, {entity.channels.now.number: chain})

    @staticmethod
    def _present(entity: Entity, conditioned: Conditioned) -> Plan:
        """The plan by which an entity is conditioned now."""
        versions = conditioned.of_kind(entity.kind.name)
        return versions[-1].plan if versions else ()

    async def set_plan(self, entity: Entity, plan: Plan, *, past: bool, by: str) -> Conditioned:
        """Condition an entity so from now on, or its whole past too."""
        async with self._one_by_one:
            chain = await self._warmed(entity, plan)
            now = self.context.clock.now_ms()
            # What is stored already was made by the plan before.
            since = 0 if past else max(now, entity.latest.at_ms + 1 if entity.latest else 0)
            version = Version(plan, since, now, by, entity.kind.name)
            versions = [*self.of(entity).versions, version][-MOST_VERSIONS:]
            return await self._follow(entity, versions, chain, 0 if past else None)

    async def take_back(self, entity: Entity) -> Version:
        """Undo the latest plan; the past is made again as it was before. Raises
        Refused."""
        async with self._one_by_one:
            conditioned = self.of(entity)
            known = conditioned.of_kind(entity.kind.name)
            if not known:
                raise Refused(f"{entity.address} is not conditioned; there is nothing to undo")
            gone = known[-1]
            versions = [version for version in conditioned.versions if version is not gone]
            chain = await self._warmed(entity, known[-2].plan if len(known) > 1 else ())
            await self._follow(entity, versions, chain, gone.since_ms)
            return gone

    async def _follow(
        self, entity: Entity, versions: list[Version], chain: Chain, redo_from: int | None
    ) -> Conditioned:
        """Take these plans up, once they are stored."""
        made = Conditioned(versions)
        job = None
        if redo_from is not None:
            # It is planned before the plans are stored: made again by those of before,
            # the past stays as it is; not made again, it would stay wrong.
            job = self._planned(entity.id, redo_from, self.context.clock.now_ms() + 1)
            await self._jobs.safe()
        try:
            await self._save(entity.id, made)
            self._all[entity.id] = made
            entity.follow_plan(self._present(entity, made), {entity.channels.now.number: chain})
        finally:
            if job is not None:
                self._jobs.start(job)
        return made

    async def _save(self, number: int, conditioned: Conditioned) -> None:
        port = self.context.records.conditioning
        await self.context.thread.run(port.save, number, conditioned.as_data())

    async def _warmed(self, entity: Entity, plan: Plan) -> Chain:
        channel = entity.channels.now
        end = entity.latest.at_ms + 1 if entity.latest else 0
        chain = entity.fresh_chain(channel, plan)
        await self.context.thread.run(
            warm, self.context.records.history, entity.id, chain, channel, end
        )
        return chain

    # The past

    def _planned(self, number: int, start: int, end: int) -> Job:
        """Have a span of an entity's past made again, with what was still to do."""
        job = self._jobs.find(AGAIN, number)
        if job is not None:
            start, end = min(start, job.left["since_ms"]), max(end, job.left["until_ms"])
        return self._jobs.plan(AGAIN, number, {"since_ms": start, "until_ms": end})

    def _begin(self, number: int, start: int, end: int) -> None:
        self._jobs.start(self._planned(number, start, end))

    def _in_words(self, job: Job) -> str:
        return f"conditioning the past of {self._named(job)}"

    def _named(self, job: Job) -> str:
        entity = self.house.numbered(int(job.about))
        return "" if entity is None else entity.address

    async def _steps(self, job: Job) -> AsyncIterator[Left]:
        entity, run = self.house.numbered(int(job.about)), self.context.thread.run
        if entity is None:
            return
        # A late reading may still wait for the disk, as it was sent.
        await self._writer.flushed()
        # A plan that is taken up meanwhile begins a job of its own.
        seen, versions = entity.snapshot(), self.of(entity).of_kind(entity.kind.name)
        start, end = job.left["since_ms"], job.left["until_ms"]
        first = await run(self.context.records.history.first_at, entity.id, start)
        job.first_ms = first if first is not None else start
        chains: dict[tuple[int, int], Chain] = {}
        at: int | None = start
        made = 0
        while at is not None:
            at, count = await run(self._chunk, seen, versions, chains, (at, end))
            made += count
            yield {"since_ms": end if at is None else at, "until_ms": end}
        await self._rollups.mend()
        await self._show_latest(entity)
        node = entity.node.address if entity.node else ""
        self.context.announce(PastConditioned(node=node, entity=entity.address, count=made))

    async def _show_latest(self, entity: Entity) -> None:
        """What is shown now is what the past ends with."""
        latest = entity.latest
        if latest is None:
            return
        stored = await self.context.thread.run(
            self.context.records.history.before, entity.id, latest.at_ms + 1
        )
        if entity.latest is latest and stored is not None and stored.at_ms == latest.at_ms:
            entity.latest = stored

    def _chunk(
        self,
        entity: Entity,
        versions: Sequence[Version],
        chains: dict[tuple[int, int], Chain],
        span: tuple[int, int],
    ) -> tuple[int | None, int]:
        """In the records thread: make some of the past again; where to go on, and how
        many readings those were."""
        records, (start, end) = self.context.records, span
        with records.together():
            before, stop = _next(records.history, entity.id, start, end)
            after = self._again(entity, versions, chains, before)
            if before:
                records.history.rewrite(entity.id, before, after)
                self._rollups.again(entity, after, (start, stop))
        return stop if stop < end else None, len(before)

    def _again(
        self,
        entity: Entity,
        versions: Sequence[Version],
        chains: dict[tuple[int, int], Chain],
        readings: Sequence[Reading],
    ) -> list[Reading]:
        made: list[Reading] = []
        number, until, chain = -1, -math.inf, None
        for reading in readings:
            if reading.channel != number or reading.at_ms >= until:
                channel, number = entity.channels.numbered(reading.channel), reading.channel
                chain, until = self._chain_at(entity, versions, chains, channel, reading.at_ms)
            if chain is not None:
                sample = Sample(reading.at_ms, reading.sent, channel.unit)
                reading = chain.reading(sample, channel)  # noqa: PLW2901
            made.append(reading)
        return made

    def _chain_at(
        self,
        entity: Entity,
        versions: Sequence[Version],
        chains: dict[tuple[int, int], Chain],
        channel: Channel,
        at_ms: int,
    ) -> tuple[Chain | None, float]:
        """The chain by which a past is made again from a moment on, and until when.
        What came when the entity was of another kind stays as it is."""
        if not entity.kind.goes_on(channel.kind):
            return None, math.inf
        # The place of the version that counts at its time; 0 where none does yet.
        place = len(versions)
        while place and versions[place - 1].since_ms > at_ms:
            place -= 1
        key = (place, channel.number)
        chain = chains.get(key)
        if chain is None:
            plan = versions[place - 1].plan if place else ()
            chain = chains[key] = entity.fresh_chain(channel, plan)
            warm(self.context.records.history, entity.id, chain, channel, at_ms)
        return chain, min((version.since_ms for version in versions[place:]), default=math.inf)

    def put_right(self, entity: Entity, start: int, end: int) -> None:
        """Readings of a past were stored as they were sent: condition them by the plans
        of their time."""
        conditioned = self._all.get(entity.id)
        if conditioned is not None and conditioned.versions:
            self._late[entity.id] = (entity, start, end)
            self._put_right(entity.id)

    def _came_late(self, entity: Entity, at_ms: int) -> None:
        """A reading came after later ones: what follows it is made again soon."""
        reach = WARMED_WITH * entity.chain(entity.channels.now).warm_ms
        known = self._late.get(entity.id)
        if known is None:
            loop = asyncio.get_running_loop()
            loop.call_later(LATE_AFTER_S, self._put_right, entity.id)
        start, end = (at_ms, at_ms) if known is None else known[1:]
        self._late[entity.id] = (entity, min(start, at_ms), max(end, at_ms + reach + 1))

    def _put_right(self, number: int) -> None:
        late = self._late.pop(number, None)
        if late is None:
            return  # it was put right with something else
        if number in self._all:
            self._begin(number, late[1], late[2])


def _next(history: HistoryPort, number: int, start: int, end: int) -> tuple[Sequence[Reading], int]:
    """The readings that are made again at once, and until when those are: whole hours
    where they fit, so that they can be rolled up with it."""
    readings = history.single(number, start, end, AT_ONCE)
    if not readings:
        return readings, end
    stop = readings[0].at_ms // HOUR_MS * HOUR_MS + REACH_MS
    last = readings[-1].at_ms
    if len(readings) == AT_ONCE and last < stop:
        whole = last // HOUR_MS * HOUR_MS
        stop = whole if whole > readings[0].at_ms else last + 1
    elif all(not stop <= reading.at_ms < stop + REACH_MS for reading in readings):
        stop += REACH_MS  # what came last may have held for a while
    stop = min(stop, end)
    return [reading for reading in readings if reading.at_ms < stop], stop
