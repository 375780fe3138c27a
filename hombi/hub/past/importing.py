"""Taking in a sensor's past, and taking it back. What was imported stays apart from
what its node sent: it has a channel of its own."""

from __future__ import annotations

from collections.abc import AsyncIterator, Sequence

from hombi.core.errors import UnitError
from hombi.core.series import HOUR_MS, Channel, Derivation, Sample
from hombi.core.units import conversion, find_unit
from hombi.hub.computed.feature import Computed
from hombi.hub.conditioning.feature import Conditioning
from hombi.hub.errors import Invalid, NotFound, Refused
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right
from hombi.hub.machine.jobs import Job, Jobs, Left
from hombi.hub.machine.keeper import Keeper
from hombi.hub.past.events import ImportBegun, ImportTakenBack, PastImported
from hombi.hub.readings.port import Row
from hombi.hub.readings.rollups import Rollups
from hombi.hub.readings.writer import Writer

# The sort of its work over the past, and the name under which 0.3 kept it.
TAKING_BACK, OWNER = "taking-back", "imports"
MOST_IMPORTS = 30
LONGEST_NAME = 120


class Imports(Feature):
    """Takes rows of the past, through the same writer as all readings."""

    name = "imports"

    def __init__(
        self,
        context: Context,
        house: House,
        writer: Writer,
        rollups: Rollups,
        conditioning: Conditioning,
        computed: Computed,
        keeper: Keeper,
        jobs: Jobs,
    ) -> None:
        super().__init__(context)
        self._keeper, self.jobs = keeper, jobs
        self.house, self.writer, self.rollups = house, writer, rollups
        self.conditioning, self.computed = conditioning, computed
        jobs.sort(TAKING_BACK, self._steps, self._in_words, lambda job: job.left["entity"])

    async def open(self) -> None:
        for key, state in self._keeper.of(OWNER).items():
            entity = self.house.entities.get(state["entity"])
            if entity is not None:
                self.jobs.start(self.planned(entity, state["number"]))
                await self.jobs.safe()
            self._keeper.keep(f"{OWNER}/{key}", None)

    def planned(self, entity: Entity, number: int) -> Job:
        """Have an import taken back. While it is under way, nothing starts that: only a
        restart does, after a kill in its middle. All of a file is there, or nothing."""
        left = {"entity": entity.address, "number": number, "since_ms": 0, "first_ms": None}
        return self.jobs.plan(TAKING_BACK, f"{entity.id}-{number}", left)

    def ended(self, entity: Entity, number: int) -> None:
        """An import is whole."""
        job = self.jobs.find(TAKING_BACK, f"{entity.id}-{number}")
        if job is not None:
            self.jobs.drop(job)

    def importable(self, name: str) -> Entity:
        """An entity that a node sends. Raises NotFound, Refused."""
        entity = self.house.entity(name)
        if isinstance(entity.origin, Derivation):
            raise Refused(f"{entity.address} is computed; import what it is computed from")
        return entity

    def unit_for(self, entity: Entity, unit: str) -> str:
        """The unit that imported values are in: the kind's own unless given. Raises
        Invalid."""
        if not unit or not entity.kind.unit:
            if unit:
                raise Invalid(f"a {entity.kind.shown} has no unit")
            return entity.kind.unit
        try:
            conversion(unit, entity.kind.unit)
        except UnitError as error:
            raise Invalid(str(error)) from error
        return find_unit(unit).symbol

    def oldest_ms(self, entity: Entity) -> int:
        """From when on single readings of an entity are kept."""
        return self.context.clock.now_ms() - int(entity.own.get("keep_ms", self.rollups.keep_ms))

    async def take(
        self, entity: Entity, channel: Channel, rows: Sequence[tuple[int, float | None]]
    ) -> None:
        """Store some rows, once there is room for them."""
        chain = entity.fresh_chain(channel, ())
        made: list[Row] = []
        for at_ms, value in sorted(rows):
            reading = chain.reading(Sample(at_ms, value, channel.unit), channel)
            made.append(
                (
                    entity.id,
                    at_ms,
                    channel.number,
                    reading.sent,
                    reading.value,
                    int(reading.quality),
                )
            )
        # One piece at a time: what nodes send meanwhile has its place in the writer.
        self.writer.put(made, None)
        await self.writer.flushed()

    def _in_words(self, job: Job) -> str:
        return f"taking back what was imported into {job.left['entity']}"

    async def _steps(self, job: Job) -> AsyncIterator[Left]:
        """Delete a channel and what it brought, then make again what follows from
        it."""
        records, run = self.context.records, self.context.thread.run
        left, number = job.left, job.left["number"]
        entity = self.house.entities.get(left["entity"])
        if entity is None:
            return
        first = left["first_ms"] or self.context.clock.now_ms()

        def step(from_ms: int) -> tuple[list[int], int | None]:
            with records.together():
                hours, after = records.history.forget_some(entity.id, number, from_ms)
                records.history.mark_stale([(entity.id, hour) for hour in hours])
            return hours, after

        after: int | None = left["since_ms"]
        while after is not None:
            hours, after = await run(step, after)
            first = min(first, *hours) if hours else first
            yield {**left, "first_ms": first} | ({} if after is None else {"since_ms": after})
        await run(records.history.forget_channel, entity.id, number)
        entity.channels.forget(number)
        await self.rollups.mend()
        for following in self.computed.dependants([entity.address]):
            self.computed.derive_past(following, first // HOUR_MS * HOUR_MS)


class BeginImport(Change[Imports, Channel], frozen=True):
    """A channel for the rows of a file. Raises NotFound, Invalid, Refused."""

    entity: str
    file: str
    unit: str = ""

    feature = Imports
    right = Right.TUNE

    async def do(self, feature: Imports, by: Actor) -> Done[Channel]:
        entity = feature.importable(self.entity)
        if len(entity.channels.imports()) >= MOST_IMPORTS:
            raise Refused(f"{entity.address} has {MOST_IMPORTS} imports; take one back first")
        unit = feature.unit_for(entity, self.unit)
        name = self.file.strip()[:LONGEST_NAME] or "a file"
        made = entity.channels.imported(entity.kind, unit, feature.context.clock.now_ms(), name)
        records = feature.context.records.history
        feature.planned(entity, made.number)
        await feature.jobs.safe()
        await feature.context.thread.run(records.begin_channel, entity.id, made)
        return Done(made, ImportBegun(entity=entity.address))


class EndImport(Change[Imports, None], frozen=True):
    """All rows of a file are there: what follows from them is made again."""

    entity: str
    channel: Channel
    span: tuple[int, int]
    count: int

    feature = Imports
    right = Right.TUNE

    async def do(self, feature: Imports, by: Actor) -> Done[None]:
        entity = feature.importable(self.entity)
        feature.conditioning.put_right(entity, *self.span)
        feature.ended(entity, self.channel.number)
        event = PastImported(entity=entity.address, file=self.channel.file, count=self.count)
        return Done(None, event)


class TakeBackImport(Change[Imports, None], frozen=True):
    """Delete what a file brought. Raises NotFound, Refused; Busy when the disk does not
    take it now, which is tried again until it does."""

    entity: str
    number: int

    feature = Imports
    right = Right.TUNE

    async def do(self, feature: Imports, by: Actor) -> Done[None]:
        entity = feature.importable(self.entity)
        channel = next((o for o in entity.channels.imports() if o.number == self.number), None)
        if channel is None:
            raise NotFound(f"{entity.address} has no import {self.number}")
        job = feature.planned(entity, channel.number)
        await feature.jobs.safe()
        feature.jobs.start(job)
        await feature.jobs.ended(job)
        return Done(None, ImportTakenBack(entity=entity.address, file=channel.file))
