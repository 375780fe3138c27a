"""Taking in a sensor's past, and taking it back. What was imported stays apart from
what its node sent: it has a channel of its own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from hombi.core.errors import UnitError
from hombi.core.series import HOUR_MS, Channel, Derivation, Sample
from hombi.core.units import conversion, find_unit
from hombi.hub.conditioning.part import Conditioning
from hombi.hub.derived.part import Derived
from hombi.hub.errors import Invalid, NotFound, Refused
from hombi.hub.house import Entity, House
from hombi.hub.kernel import HOUSE, Actor, Change, Context, Done, Part, Right
from hombi.hub.machine.keeper import Keeper
from hombi.hub.past.events import ImportBegun, ImportTakenBack, PastImported
from hombi.hub.readings.port import Row
from hombi.hub.readings.rollups import Rollups
from hombi.hub.readings.writer import Writer

OWNER = "imports"
MOST_IMPORTS = 30
LONGEST_NAME = 120


class Imports(Part):
    """Takes rows of the past, through the same writer as all readings."""

    name = "imports"

    def __init__(
        self,
        context: Context,
        house: House,
        writer: Writer,
        rollups: Rollups,
        conditioning: Conditioning,
        derived: Derived,
        keeper: Keeper,
    ) -> None:
        super().__init__(context)
        self._keeper = keeper
        self.house, self.writer, self.rollups = house, writer, rollups
        self.conditioning, self.derived = conditioning, derived

    async def open(self) -> None:
        """Take back what a kill cut off in its middle: all of a file, or nothing."""
        for key, state in self._keeper.of(OWNER).items():
            self.context.tasks.start(self._cut_off(key, state), name="an import that was cut off")

    async def _cut_off(self, key: str, state: dict[str, Any]) -> None:
        try:
            change = TakeBackImport(state["entity"], state["number"])
            await self.context.changes.do(change, HOUSE)
        except NotFound:  # the entity, or the channel, is gone
            self._keeper.keep(f"{OWNER}/{key}", None)

    async def began(self, entity: Entity, channel: Channel) -> None:
        """An import is under way; a restart knows of it once this returns."""
        state = {"entity": entity.address, "number": channel.number}
        self._keeper.keep(f"{OWNER}/{entity.id}-{channel.number}", state)
        await self._keeper.settled()

    def ended(self, entity: Entity, number: int) -> None:
        """An import is whole, or taken back."""
        self._keeper.keep(f"{OWNER}/{entity.id}-{number}", None)

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
            one = chain.reading(Sample(at_ms, value, channel.unit), channel)
            made.append((entity.id, at_ms, channel.number, one.sent, one.value, int(one.quality)))
        # One piece at a time: what nodes send meanwhile has its place in the writer.
        self.writer.put(made, None)
        await self.writer.flushed()

    async def forget(self, entity: Entity, channel: Channel) -> int:
        """Delete a channel and what it brought, in small steps that hold nobody up;
        from when on the past is another one."""
        records, run = self.context.records, self.context.thread.run
        first = self.context.clock.now_ms()

        def step(from_ms: int) -> tuple[list[int], int | None]:
            with records.together():
                hours, after = records.history.forget_some(entity.id, channel.number, from_ms)
                records.history.mark_stale([(entity.id, hour) for hour in hours])
            return hours, after

        after: int | None = 0
        while after is not None:
            hours, after = await run(step, after)
            first = min(first, *hours) if hours else first
        await run(records.history.forget_channel, entity.id, channel.number)
        return first


class BeginImport(Change[Imports, Channel], frozen=True):
    """A channel for the rows of a file. Raises NotFound, Invalid, Refused."""

    entity: str
    file: str
    unit: str = ""

    part = Imports
    right = Right.TUNE

    async def do(self, part: Imports, by: Actor) -> Done[Channel]:
        entity = part.importable(self.entity)
        if len(entity.channels.imports()) >= MOST_IMPORTS:
            raise Refused(f"{entity.address} has {MOST_IMPORTS} imports; take one back first")
        unit = part.unit_for(entity, self.unit)
        name = self.file.strip()[:LONGEST_NAME] or "a file"
        made = entity.channels.imported(entity.kind, unit, part.context.clock.now_ms(), name)
        records = part.context.records.history
        await part.began(entity, made)
        await part.context.thread.run(records.begin_channel, entity.id, made)
        return Done(made, ImportBegun(entity=entity.address))


class EndImport(Change[Imports, None], frozen=True):
    """All rows of a file are there: what follows from them is made again."""

    entity: str
    channel: Channel
    span: tuple[int, int]
    count: int

    part = Imports
    right = Right.TUNE

    async def do(self, part: Imports, by: Actor) -> Done[None]:
        entity = part.importable(self.entity)
        part.conditioning.put_right(entity, *self.span)
        part.ended(entity, self.channel.number)
        event = PastImported(entity=entity.address, file=self.channel.file, count=self.count)
        return Done(None, event)


class TakeBackImport(Change[Imports, None], frozen=True):
    """Delete what a file brought. Raises NotFound, Refused."""

    entity: str
    number: int

    part = Imports
    right = Right.TUNE

    async def do(self, part: Imports, by: Actor) -> Done[None]:
        entity = part.importable(self.entity)
        found = next((o for o in entity.channels.imports() if o.number == self.number), None)
        if found is None:
            raise NotFound(f"{entity.address} has no import {self.number}")
        since = await part.forget(entity, found)
        entity.channels.forget(found.number)
        part.ended(entity, found.number)
        await part.rollups.mend()
        for one in part.derived.dependants([entity.address]):
            part.derived.derive_past(one, since // HOUR_MS * HOUR_MS)
        return Done(None, ImportTakenBack(entity=entity.address, file=found.file))
