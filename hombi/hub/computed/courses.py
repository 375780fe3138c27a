"""Values that run on (tallies, sums over time, states by hysteresis), live and over the
past."""

from __future__ import annotations

from collections import deque
from collections.abc import AsyncIterator, Iterable
from dataclasses import dataclass, field
from datetime import tzinfo

from hombi.core.series import DAY_MS, HOUR_MS, Reading
from hombi.core.series.course import Course, made_by, marks_in
from hombi.core.series.methods import METHODS, fits, values_of
from hombi.hub.computed.origins import derivation, readings_of
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Context
from hombi.hub.machine.jobs import Job, Left
from hombi.hub.readings.rollups import Rollups
from hombi.hub.readings.writer import Writer

AT_ONCE_MS = DAY_MS
# While its past is made, so many readings wait.
MOST_WAITING = 10_000


@dataclass(slots=True)
class Going:
    """One value that runs on: its course, once its past is known, and the readings that
    its course has not heard yet."""

    course: Course | None = None
    waiting: deque[Reading] = field(default_factory=lambda: deque(maxlen=MOST_WAITING))


class Courses:
    """All values that run on. It lives in the hub's loop."""

    def __init__(
        self, context: Context, house: House, writer: Writer, rollups: Rollups, zone: tzinfo
    ) -> None:
        self._context, self._house = context, house
        self._writer, self._rollups = writer, rollups
        self.zone = zone
        self._going: dict[int, Going] = {}

    def look(self, entities: Iterable[Entity]) -> None:
        """See again which computed entities run on."""
        numbers = {entity.id for entity in entities if METHODS[derivation(entity).method].run}
        self._going = {number: self._going.get(number) or Going() for number in numbers}

    def __contains__(self, entity: Entity) -> bool:
        return entity.id in self._going

    def hand_on(self, to: Iterable[Entity], reading: Reading) -> None:
        """A source of these has a reading."""
        for entity in to:
            if entity.id in self._going:
                self._going[entity.id].waiting.append(reading)

    def advance(self, entity: Entity, mark_ms: int | None = None) -> list[Reading]:
        """The readings that follow from what was handed on, and at a mark."""
        going = self._going[entity.id]
        if going.course is None:
            return []
        result = []
        while going.waiting:
            reading = going.waiting.popleft()
            result.append(going.course.hear(reading if self._fits(entity) else _none(reading)))
        if mark_ms is not None:
            source = self._source(entity)
            heard = source is not None and not source.unheard and self._fits(entity)
            result.append(going.course.mark(mark_ms, heard=heard))
        return [one for one in result if one is not None]

    def _source(self, entity: Entity) -> Entity | None:
        return self._house.entities.get(derivation(entity).sources[0])

    def _fits(self, entity: Entity) -> bool:
        source, how = self._source(entity), derivation(entity)
        return source is not None and fits(METHODS[how.method].sources[0], source.kind)

    async def steps(self, job: Job, entity: Entity) -> AsyncIterator[Left]:
        """The steps in which its past is computed; then it goes on from there."""
        going, source = self._going[entity.id], self._source(entity)
        going.course = None
        # What comes from here on waits; what came before is on the disk.
        await self._writer.flushed()
        run, since_ms = self._context.thread.run, job.left["since_ms"]
        if source is None:
            return
        end = self._context.clock.now_ms() + 1
        seen, seen_source = entity.snapshot(), source.snapshot()
        course, at = await run(self._begun, seen, seen_source, since_ms, end)
        job.first_ms = at if job.first_ms in (None, since_ms) else job.first_ms
        latest: Reading | None = None
        while at < end:
            until = min(end, at + AT_ONCE_MS)
            made = await run(self._stretch, seen, seen_source, course, (at, until))
            latest = made or latest
            at = until
            yield {"since_ms": at, "until_ms": end}
        if latest is not None:
            entity.latest, entity.heard_ms = latest, self._context.clock.now_ms()
        elif entity.latest is None:
            entity.latest = await run(self._context.records.history.before, entity.id, end)
        await self._rollups.mend()
        going.course = course

    # In the records thread

    def _begun(
        self, entity: Entity, source: Entity, since_ms: int, end_ms: int
    ) -> tuple[Course, int]:
        """A course that knows what was before a moment, and from where to go on."""
        history, how = self._context.records.history, derivation(entity)
        method = METHODS[how.method]
        assert method.run is not None
        machine = method.run(values_of(method, how.parameters), source.kind, self.zone)
        course = Course(machine, holds=source.kind.arithmetic.holds)
        first = history.first_at(source.id, since_ms)
        start = end_ms if first is None else min(first, end_ms)
        own = history.before(entity.id, start)
        if own is None:
            return course, start // HOUR_MS * HOUR_MS
        since = own.at_ms - course.warm_ms
        before = readings_of(history, source, since, own.at_ms + 1)
        oldest = history.before(source.id, since)
        if oldest is not None and oldest.channel in source.history_channels():
            before.insert(0, oldest)
        owns = readings_of(history, entity, since, own.at_ms) if since < own.at_ms else []
        course.resume([*owns, own], before)
        return course, own.at_ms + 1

    def _stretch(
        self, entity: Entity, source: Entity, course: Course, span: tuple[int, int]
    ) -> Reading | None:
        """Store what follows in a stretch in the place of what was there; its last
        reading."""
        records, how = self._context.records, derivation(entity)
        usable = fits(METHODS[how.method].sources[0], source.kind)
        some = readings_of(records.history, source, *span) if usable else []
        made = made_by(course, some, marks_in(*span))
        rows = [
            (entity.id, reading.at_ms, 0, None, reading.value, int(reading.quality))
            for reading in made
        ]
        with records.together():
            records.history.replace(entity.id, *span, rows)
            self._rollups.again(entity, made, span)
        return made[-1] if made else None


def _none(reading: Reading) -> Reading:
    return Reading(reading.at_ms, reading.channel, reading.sent, None, reading.quality)
