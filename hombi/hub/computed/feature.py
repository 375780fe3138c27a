"""The part that derives: it computes what follows from each reading, and the past of
what is new."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Iterable, Sequence
from datetime import tzinfo

from hombi.core.series import DAY_MS, HOUR_MS, Reading
from hombi.core.series.methods import FORMULA, computing
from hombi.core.series.rollup import hold_ms
from hombi.core.series.running import MARK_MS
from hombi.hub.computed.computing import over_the_past, value_of
from hombi.hub.computed.courses import Courses
from hombi.hub.computed.origins import derivation, how_of, readings_of, takes
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Context, Feature
from hombi.hub.machine.jobs import Job, Jobs, Left
from hombi.hub.machine.keeper import Keeper
from hombi.hub.nodes.events import NodeSilent
from hombi.hub.readings.events import EntitySilenceChanged, PastConditioned
from hombi.hub.readings.intake import FRESH_MS, Intake
from hombi.hub.readings.port import Row
from hombi.hub.readings.rollups import Rollups
from hombi.hub.readings.writer import Writer
from hombi.hub.settings.config import Config

# Under this is kept by which zone the past was computed.
# Its state is stored by the name that it had before.
OWNER, ZONE = "derived", "zone"
# The sort of its work over the past.
COMPUTING = "computing"
AT_ONCE_MS = DAY_MS
# A node empties its buffer pack by pack: what follows is computed once for all of them.
BUFFERED_AFTER_S = 5.0
LOOK_S = 5.0


class Computed(Feature):
    """Hears each fresh reading, and computes the values that follow from it, each once,
    those that others follow from first."""

    name = "computed"

    def __init__(
        self,
        context: Context,
        house: House,
        writer: Writer,
        intake: Intake,
        rollups: Rollups,
        config: Config,
        keeper: Keeper,
        jobs: Jobs,
    ) -> None:
        super().__init__(context)
        self._keeper, self._jobs = keeper, jobs
        self.house = house
        self._writer, self._intake, self._rollups = writer, intake, rollups
        self._courses = Courses(context, house, writer, rollups, config.zone)
        self._marked_ms = 0
        self._order: list[Entity] = []
        self._numbers: dict[int, str] = {}
        self._of: dict[str, list[Entity]] = {}
        self._touched: dict[str, int] = {}
        # Two that make the same value at once would both find its place free.
        self.one_by_one = asyncio.Lock()
        # Since when sources have a past that came later, by their number.
        self._buffered: dict[int, int] = {}
        jobs.sort(COMPUTING, self._steps, self._in_words, self._named)
        intake.hear(self)
        writer.hear(self._put)
        context.hear(EntitySilenceChanged, lambda event: self.touch([event.entity]))
        context.hear(NodeSilent, self._node_silent)
        context.hear(PastConditioned, self._past_changed)

    async def open(self) -> None:
        self.look()
        kept = self._keeper.of(OWNER)
        zone = kept.get(ZONE, {}).get("key", "")
        self._keeper.keep(f"{OWNER}/{ZONE}", {"key": str(self._courses.zone)})
        for how in map(derivation, self._order):
            if how.method == FORMULA:  # the libraries for it take their time to load
                await asyncio.to_thread(computing, how.method, tuple(how.parameters.items()))
        for entity in self._order:
            # What came while the hub was away is computed with first.
            if entity in self._courses:
                self.derive_past(entity, entity.latest.at_ms if entity.latest else 0)
        for entity in self._order:
            # What a stop or a kill has cut off is done, after what it follows from.
            if (job := self._jobs.find(COMPUTING, entity.id)) is not None:
                self.derive_past(entity, job.left["since_ms"])
            if (old := kept.get(str(entity.id))) is not None:  # as 0.3 kept what was left
                self.derive_past(entity, old["since"])
                await self._jobs.safe()
                self._keeper.keep(f"{OWNER}/{entity.id}", None)
        if zone and zone != str(self._courses.zone):
            # The house's days began at another midnight when the hub ran last.
            self.move_to(self._courses.zone)
            self._rollups.days_again()
        self._marked_ms = self.context.clock.now_ms()
        self._loop = self.context.tasks.watch(self.name, self.run)

    async def close(self) -> None:
        self._loop.cancel()
        await asyncio.gather(self._loop, return_exceptions=True)

    async def reconfigured(self, new: Config, old: Config) -> None:
        if str(new.zone) != str(self._courses.zone):
            self.move_to(new.zone)

    async def run(self) -> None:
        """See, at each whole five minutes, what moves by itself."""
        while True:
            due = self.context.clock.now_ms() // MARK_MS * MARK_MS
            if due > self._marked_ms:
                self._marked_ms = due
                self.mark(due)
            await asyncio.sleep(LOOK_S)

    def mark(self, at_ms: int) -> None:
        """It is a whole five minutes: what runs on moves, and what follows from it."""
        for entity in self._order:
            if entity in self._courses and self._run_on(entity, at_ms):
                self.touch([entity.address], at_ms)

    def move_to(self, zone: tzinfo) -> None:
        """The house's days begin at another midnight."""
        self._courses.zone = zone
        self._keeper.keep(f"{OWNER}/{ZONE}", {"key": str(zone)})
        for entity in self._order:
            if "per" in derivation(entity).parameters:
                self.derive_past(entity)

    def look(self) -> None:
        """See again what is computed from what."""
        result = {e.address: e for e in self.house.entities.values() if how_of(e) is not None}
        self._of = {}
        for entity in result.values():
            for source in derivation(entity).sources:
                self._of.setdefault(source, []).append(entity)
        self._order = sorted(result.values(), key=self.level)
        known = self.house.entities
        self._numbers = {known[one].id: one for one in self._of if one in known}
        self._courses.look(self._order)

    def level(self, entity: Entity) -> int:
        """How many computations lie between it and what nodes send."""
        how = how_of(entity)
        if how is None:
            return 0
        known = self.house.entities
        return 1 + max((self.level(known[s]) for s in how.sources if s in known), default=0)

    def dependants(self, addresses: Iterable[str]) -> list[Entity]:
        """What is computed from these, directly or over others, in the order of
        computing."""
        wanted, todo = set[str](), list(addresses)
        while todo:
            for entity in self._of.get(todo.pop(), ()):
                if entity.address not in wanted:
                    wanted.add(entity.address)
                    todo.append(entity.address)
        return [entity for entity in self._order if entity.address in wanted]

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A fresh reading. What a pack brings at once is computed with once."""
        following = self._of.get(entity.address)
        if following is not None and how_of(entity) is None:
            self._courses.hand_on(following, reading)
            self.touch([entity.address], reading.at_ms)

    def _put(self, rows: Sequence[Row]) -> None:
        """These go to the disk: what a node had kept is history, and what follows from
        it is computed again."""
        old = self.context.clock.now_ms() - FRESH_MS
        for row in rows:
            if row[1] < old and row[0] in self._numbers:
                if not self._buffered:
                    asyncio.get_running_loop().call_later(
                        BUFFERED_AFTER_S,
                        self.context.tasks.guarded("what is computed", self._from_buffers),
                    )
                self._buffered[row[0]] = min(row[1], self._buffered.get(row[0], row[1]))

    def _from_buffers(self) -> None:
        since, self._buffered = self._buffered, {}
        start: dict[str, int] = {}
        for number, at_ms in since.items():
            for entity in self.dependants([self._numbers.get(number, "")]):
                start[entity.address] = min(at_ms, start.get(entity.address, at_ms))
        for entity in self._order:
            if entity.address in start:
                self.derive_past(entity, start[entity.address])

    def _node_silent(self, event: NodeSilent) -> None:
        node = self.house.nodes.get(event.node)
        if node is not None:
            self.touch(entity.address for entity in node.entities.values())

    def touch(self, addresses: Iterable[str], at_ms: int | None = None) -> None:
        """Something about these entities is otherwise: compute what follows, soon."""
        now = self.context.clock.now_ms() if at_ms is None else at_ms
        some = [one for one in addresses if one in self._of]
        if some and not self._touched:
            asyncio.get_running_loop().call_soon(
                self.context.tasks.guarded("what is computed", self._compute)
            )
        for address in some:
            self._touched[address] = max(now, self._touched.get(address, 0))

    def _compute(self) -> None:
        touched, self._touched = self._touched, {}
        at_ms = max(touched.values())
        rows: list[Row] = []
        made: list[tuple[Entity, Reading]] = []
        for entity in self.dependants(touched):
            if entity in self._courses:
                self._run_on(entity)
                continue
            latest = entity.latest
            inputs = [
                self._input(source, entity, place)
                for place, source in enumerate(derivation(entity).sources)
            ]
            result = value_of(derivation(entity), inputs, latest.value if latest else None)
            if result is None:
                continue
            at = at_ms if latest is None else max(at_ms, latest.at_ms + 1)
            reading = Reading(at, 0, None, *result)
            rows.append((entity.id, at, 0, None, reading.value, reading.quality))
            made.append((entity, reading))
            # What follows from it is computed with it.
            entity.heard(reading)
            entity.heard_ms = self.context.clock.now_ms()
            self._courses.hand_on(self._of.get(entity.address, ()), reading)
        self._tell(rows, made)

    def _run_on(self, entity: Entity, mark_ms: int | None = None) -> bool:
        """Let a value that runs on go on; whether it moved."""
        readings = self._courses.advance(entity, mark_ms)
        for reading in readings:
            entity.heard(reading)
            self._courses.hand_on(self._of.get(entity.address, ()), reading)
        entity.heard_ms = self.context.clock.now_ms() if readings else entity.heard_ms
        rows: list[Row] = [
            (entity.id, one.at_ms, 0, None, one.value, int(one.quality)) for one in readings
        ]
        self._tell(rows, [(entity, one) for one in readings])
        return bool(readings)

    def _tell(self, rows: list[Row], made: list[tuple[Entity, Reading]]) -> None:
        if rows:
            self._writer.put(rows, None)
        for entity, reading in made:
            self._intake.tell(entity, reading)

    def _input(self, source: str, following: Entity, place: int) -> Reading | None:
        """The latest reading of a source; None where it is no longer heard, or has
        become something else."""
        entity = self.house.entities.get(source)
        if entity is None or entity.unheard or not takes(following, place, entity.kind):
            return None
        return entity.latest

    # The past

    def _past_changed(self, event: PastConditioned) -> None:
        for entity in self.dependants([event.entity]):
            self.derive_past(entity)

    def derive_past(self, entity: Entity, since_ms: int = 0) -> None:
        """Compute the past of an entity from a moment on, again where it was computed
        before; after those that it follows from."""
        sources = map(self.house.entities.get, derivation(entity).sources)
        before = [
            job
            for source in sources
            if source is not None and (job := self._jobs.find(COMPUTING, source.id)) is not None
        ]
        old = self._jobs.find(COMPUTING, entity.id)
        if old is not None:
            since_ms = min(since_ms, old.left["since_ms"])
        self._jobs.begin(COMPUTING, entity.id, {"since_ms": since_ms}, before)

    def _in_words(self, job: Job) -> str:
        return f"computing the past of {self._named(job)}"

    def _named(self, job: Job) -> str:
        entity = self.house.numbered(int(job.about))
        return "" if entity is None else entity.address

    async def _steps(self, job: Job) -> AsyncIterator[Left]:
        entity = self.house.numbered(int(job.about))
        if entity is None or how_of(entity) is None:
            return  # it was removed
        runs_on = entity in self._courses
        async for left in (
            self._courses.steps(job, entity) if runs_on else self._past_of(job, entity)
        ):
            yield left
        if entity.latest is not None:
            # Who has just made it and looks on sees what it is now.
            self._intake.show(entity, entity.latest)
        if runs_on:
            self.touch([entity.address])

    async def _past_of(self, job: Job, entity: Entity) -> AsyncIterator[Left]:
        history, run = self.context.records.history, self.context.thread.run
        since_ms = job.left["since_ms"]
        await self._writer.flushed()
        sources = [
            source
            for source in map(self.house.entities.get, derivation(entity).sources)
            if source is not None
        ]
        begins = [await run(history.first_at, source.id, since_ms) for source in sources]
        starts = [begin for begin in begins if begin is not None]
        # What is computed live from now on is not touched.
        end = entity.latest.at_ms if entity.latest else self.context.clock.now_ms()
        at = min(starts, default=end) // HOUR_MS * HOUR_MS
        job.first_ms = at if job.first_ms in (None, since_ms) else job.first_ms
        known: dict[int, Reading] = {}
        for place, source in enumerate(sources):
            reading = await run(history.before, source.id, at)
            if reading is not None and reading.channel in source.history_channels():
                known[place] = reading
        last = await run(history.before, entity.id, at)
        value = last.value if last is not None else None
        seen, seen_sources = entity.snapshot(), [source.snapshot() for source in sources]
        while at < end and len(sources) == len(derivation(entity).sources):
            until = min(end, at + AT_ONCE_MS)
            value = await run(self._stretch, seen, seen_sources, known, value, (at, until))
            at = until
            yield {"since_ms": at, "until_ms": end}
        await self._rollups.mend()
        if entity.latest is None:
            # Nothing can be computed now; what it was last is known all the same.
            entity.latest = await run(history.before, entity.id, end)

    def _stretch(
        self,
        entity: Entity,
        sources: list[Entity],
        known: dict[int, Reading],
        before: float | None,
        span: tuple[int, int],
    ) -> float | None:
        """In the records thread: the readings of a stretch, stored in the place of
        those that were there; the last value."""
        records = self.context.records
        sources_readings = [
            readings_of(records.history, one, *span) if takes(entity, place, one.kind) else []
            for place, one in enumerate(sources)
        ]
        holds = {
            place: hold_ms(some, source.kind.arithmetic)
            for place, (source, some) in enumerate(zip(sources, sources_readings, strict=True))
        }
        # What it knows of its sources moves on once a stretch is stored.
        moved = dict(known)
        made = list(over_the_past(derivation(entity), sources_readings, moved, before, holds))
        with records.together():
            records.history.replace(
                entity.id,
                *span,
                [
                    (entity.id, reading.at_ms, 0, None, reading.value, int(reading.quality))
                    for reading in made
                ],
            )
            self._rollups.again(entity, made, span)
        known.update(moved)
        return made[-1].value if made else before
