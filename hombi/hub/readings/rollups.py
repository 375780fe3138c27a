"""Rollups of five minutes, hours and days, kept for ever; readings are kept for a set
time.

An hour is rolled up when it is over. Where its past changes after that (a late reading,
another chain), it is marked in the transaction of the change, and made again soon.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Sequence
from itertools import groupby, pairwise
from zoneinfo import ZoneInfo

from hombi.core.arithmetic import Arithmetic
from hombi.core.house_time import bounds
from hombi.core.series import DAY_MS, FIVE_MINUTES_MS, HOUR_MS, Reading, Rollup
from hombi.core.series.rollup import hold_ms, merge, roll
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Context, Feature
from hombi.hub.machine.jobs import Job, Jobs, Left
from hombi.hub.readings.port import HistoryPort, Row
from hombi.hub.readings.writer import Writer
from hombi.hub.settings.config import Config

LOOK_S = 20.0
# Late readings come in packs: their hours are made again when no more came for so long,
# or after so long in any case.
REST_MS = 15_000
PATIENCE_MS = 300_000
# Packs that are a little late still belong to their hour.
GRACE_MS = 30_000
# How much is done at once, before others get their turn at the disk.
AT_ONCE_HOURS = 24
AT_ONCE_READINGS = 4_000
STALE_AT_ONCE = 72
# How much of a past that is made again is rolled up with it at once.
REACH_MS = 48 * HOUR_MS
FORGOTTEN_AT_ONCE = 1_000
PAUSE_S = 0.002
MOST_READINGS = 200_000
# The sort of its work over the past.
DAYS = "days"


class Rollups(Feature):
    """Makes the rollups, and forgets readings that are older than `keep_ms`."""

    name = "rollups"

    def __init__(
        self, context: Context, house: House, writer: Writer, config: Config, jobs: Jobs
    ) -> None:
        super().__init__(context)
        self._house, self._writer, self._jobs = house, writer, jobs
        self.zone, self.keep_ms = config.zone, config.keep_ms
        # Until when each entity is rolled up, and until when all are, or are being.
        self._until: dict[int, int] = {}
        # How each is calculated with; of one whose node was taken out, too: its hours
        # may still be marked.
        self._arithmetic: dict[int, Arithmetic] = {}
        self._due = 0
        # The hours that were marked since they were looked at, and when one was last.
        self._marked: set[tuple[int, int]] = set()
        self._late_ms = self._mended_ms = self._forgot_ms = 0
        jobs.sort(DAYS, self._days, lambda _: "summing up the days of another time zone")
        writer.hear(self._put)

    async def open(self) -> None:
        self._until = await self.context.thread.run(self._known, self._entities())
        self._due = max(self._until.values(), default=0)
        self._loop = self.context.tasks.watch(self.name, self.run)

    async def close(self) -> None:
        self._loop.cancel()
        await asyncio.gather(self._loop, return_exceptions=True)

    async def reconfigured(self, new: Config, old: Config) -> None:
        self.keep_ms = new.keep_ms
        self.move_to(new.zone)

    async def run(self) -> None:
        """Roll up what is due, again and again."""
        while True:
            await self.catch_up()
            await asyncio.sleep(LOOK_S)

    async def catch_up(self) -> None:
        """Roll up all hours that are over, then what was marked, then forget."""
        due = (self.context.clock.now_ms() - GRACE_MS) // HOUR_MS * HOUR_MS
        # From here on, what belongs to these hours is late. What came before is stored
        # first.
        self._due = max(due, self._due)
        await self._writer.flushed()
        for entity in self._entities():
            while (until := self._until.get(entity.id, 0)) < due:
                made = await self.context.thread.run(
                    self._roll_on, entity.id, until, due, entity.kind.arithmetic
                )
                self._until[entity.id] = max(made, until)
                await asyncio.sleep(PAUSE_S)
        now = self.context.clock.now_ms()
        # While a node empties its buffer, each hour would be made again and again.
        if now - self._late_ms >= REST_MS or now - self._mended_ms >= PATIENCE_MS:
            await self.mend()
        if now - self._forgot_ms >= HOUR_MS:
            self._forgot_ms = now
            await self._forget()

    async def mend(self) -> None:
        """Make all hours again that are marked."""
        self._mended_ms = self.context.clock.now_ms()
        more = True
        while more:
            # What comes from here on is marked again: it may come after the look.
            self._marked.clear()
            keeps = {entity.id: self._keep_ms(entity) for entity in self._entities()}
            more = await self.context.thread.run(
                self._mend, self._arithmetics(), dict(self._until), keeps
            )
            await asyncio.sleep(PAUSE_S)

    def move_to(self, zone: ZoneInfo) -> None:
        """The house's days begin at another midnight: make all of them again."""
        if zone.key != self.zone.key:
            self.zone = zone
            self.days_again()

    def days_again(self) -> None:
        """Make the days of all entities again, from their hours."""
        self._jobs.begin(DAYS, "", {"after": 0})

    async def _days(self, job: Job) -> AsyncIterator[Left]:
        for number, arithmetic in sorted(self._arithmetics().items()):
            if number > job.left["after"]:
                until = self._until.get(number, 0)
                await self.context.thread.run(self._days_again, number, until, arithmetic)
                yield {"after": number}

    async def _forget(self) -> None:
        now = self.context.clock.now_ms()
        for entity in self._entities():
            oldest = now - self._keep_ms(entity)
            # What is not rolled up yet is not forgotten.
            before = min(oldest, self._until.get(entity.id, 0))
            gone = FORGOTTEN_AT_ONCE
            while gone == FORGOTTEN_AT_ONCE:
                gone = await self.context.thread.run(
                    self.context.records.history.forget, entity.id, before, FORGOTTEN_AT_ONCE
                )
                await asyncio.sleep(PAUSE_S if gone else 0)

    def _put(self, rows: Sequence[Row]) -> None:
        """These go to the disk: those of hours that were rolled up already are late."""
        due, marked = self._due, self._marked
        late = {
            hour
            for row in rows
            if row[1] < due and (hour := (row[0], row[1] // HOUR_MS * HOUR_MS)) not in marked
        }
        if late:
            self._late_ms = self.context.clock.now_ms()
            marked |= late
            hours = sorted(late)
            self._writer.also(lambda records: records.history.mark_stale(hours))

    def _entities(self) -> list[Entity]:
        return list(self._house.entities.values())

    def _keep_ms(self, entity: Entity) -> int:
        return int(entity.own.get("keep_ms", self.keep_ms))

    def _kept_from(self, keep_ms: int) -> int:
        """The first hour of which no reading was forgotten yet."""
        return -(-(self.context.clock.now_ms() - keep_ms) // HOUR_MS) * HOUR_MS

    def _arithmetics(self) -> dict[int, Arithmetic]:
        self._arithmetic |= {entity.id: entity.kind.arithmetic for entity in self._entities()}
        return dict(self._arithmetic)

    # In the records thread

    def _known(self, entities: Sequence[Entity]) -> dict[int, int]:
        history = self.context.records.history
        return {entity.id: history.rolled_until(entity.id) for entity in entities}

    def _roll_on(self, number: int, until: int, due: int, arithmetic: Arithmetic) -> int:
        """Roll up the next hours of an entity; until when that is done."""
        records = self.context.records
        history = records.history
        before = history.before(number, until) if until else None
        holds = before is not None and (
            arithmetic.holds or until - before.at_ms < AT_ONCE_HOURS * HOUR_MS
        )
        if not holds:
            first = history.first_at(number, until)
            if until:
                self._end_day(history, number, until, due, arithmetic)
            if first is None or first >= due:
                return due
            until = first // HOUR_MS * HOUR_MS
        end = min(due, until + AT_ONCE_HOURS * HOUR_MS)
        end, readings = _as_far(history, number, until, end)
        with records.together():
            self._make(history, number, (until, end), readings, end, arithmetic)
        return end

    def _end_day(
        self, history: HistoryPort, number: int, until: int, due: int, arithmetic: Arithmetic
    ) -> None:
        """An entity fell silent: the day of its last hour ends without another."""
        a, b = bounds(until - 1, until, "days", self.zone)
        if b <= due:
            history.put_rollups(number, DAY_MS, a, b, self._day(history, number, a, b, arithmetic))

    def _days_again(self, number: int, until: int, arithmetic: Arithmetic) -> None:
        history = self.context.records.history
        hours = history.rollups(number, HOUR_MS, 0, until)
        with self.context.records.together():
            history.put_rollups(number, DAY_MS, 0, until, [])
            if not hours:
                return
            for a, b in pairwise(bounds(hours[0].start_ms, until, "days", self.zone)):
                if b <= until:
                    history.put_rollups(
                        number, DAY_MS, a, b, self._day(history, number, a, b, arithmetic)
                    )

    def _mend(
        self, arithmetics: dict[int, Arithmetic], until: dict[int, int], keeps: dict[int, int]
    ) -> bool:
        """Make some of the marked hours again; whether there are more."""
        records = self.context.records
        history = records.history
        hours = history.stale(STALE_AT_ONCE)
        done: list[tuple[int, int]] = []
        left = AT_ONCE_READINGS
        with records.together():
            for number, first, last in _runs(hours):
                # Where readings were forgotten, the rollup says more than a late one
                # alone. An hour that is not rolled up yet will be.
                oldest = self._kept_from(keeps.get(number, self.keep_ms))
                start, end = max(first, oldest), min(last, until.get(number, 0))
                stop = last
                if start < end:
                    reach, readings = _as_far(history, number, start, end)
                    ends, arithmetic = until[number], arithmetics[number]
                    self._make(history, number, (start, reach), readings, ends, arithmetic)
                    stop = last if reach == end else reach
                    left -= len(readings)
                done += [(number, at) for at in range(first, stop, HOUR_MS)]
                if left <= 0 or stop < last:
                    break
            history.forget_stale(done)
        return len(hours) == STALE_AT_ONCE or len(done) < len(hours)

    def again(self, entity: Entity, readings: Sequence[Reading], span: tuple[int, int]) -> None:
        """In the records thread and in the transaction in which these readings, all
        that an entity has in a span, were changed: roll the span up. Hours that lie in
        it only in part, or are not rolled up yet, are marked."""
        history, until = self.context.records.history, self._until.get(entity.id, 0)
        # From its first moment on, what came before may have held, and is another value
        # now; but not for ever.
        first = readings[0].at_ms if readings else 0
        begin = first // HOUR_MS * HOUR_MS if first - span[0] > REACH_MS else span[0]
        start = max(-(-begin // HOUR_MS) * HOUR_MS, self._kept_from(self._keep_ms(entity)))
        end = min(span[1] // HOUR_MS * HOUR_MS, until)
        if start < end:
            whole = [reading for reading in readings if start <= reading.at_ms < end]
            self._make(history, entity.id, (start, end), whole, until, entity.kind.arithmetic)
        left = {
            reading.at_ms // HOUR_MS * HOUR_MS
            for reading in readings
            if not start <= reading.at_ms < end
        }
        history.mark_stale([(entity.id, hour) for hour in sorted(left)])

    def _make(
        self,
        history: HistoryPort,
        number: int,
        span: tuple[int, int],
        readings: Sequence[Reading],
        until: int,
        arithmetic: Arithmetic,
    ) -> None:
        """Roll up the readings of a span of hours, and the days that end in it or
        before `until`."""
        start, end = span
        before = history.before(number, start)
        readings = readings if before is None else [before, *readings]
        every = range(start, end + FIVE_MINUTES_MS, FIVE_MINUTES_MS)
        fives = roll(readings, every, hold_ms(readings, arithmetic), arithmetic)
        hours = [
            whole
            for hour, parts in groupby(fives, lambda one: one.start_ms // HOUR_MS)
            for whole in merge(parts, hour * HOUR_MS, arithmetic)
        ]
        history.put_rollups(number, HOUR_MS, start, end, hours)
        if arithmetic.holds:
            # What has two states can hold for weeks: the hours say so.
            fives = [five for five in fives if five.count]
        history.put_rollups(number, FIVE_MINUTES_MS, start, end, fives)
        for a, b in pairwise(bounds(start, end, "days", self.zone)):
            if b <= max(end, until):
                history.put_rollups(
                    number, DAY_MS, a, b, self._day(history, number, a, b, arithmetic)
                )

    def _day(
        self, history: HistoryPort, number: int, start: int, end: int, arithmetic: Arithmetic
    ) -> list[Rollup]:
        if start % HOUR_MS or end % HOUR_MS:
            # Where the house's clock is not whole hours away, one lies across midnight.
            readings = _with_before(history, number, start, end)
            return roll(readings, (start, end), hold_ms(readings, arithmetic), arithmetic)
        return merge(history.rollups(number, HOUR_MS, start, end), start, arithmetic)


def _with_before(history: HistoryPort, number: int, start: int, end: int) -> list[Reading]:
    """The readings of a span, and the one before it."""
    before = history.before(number, start)
    readings = history.single(number, start, end, MOST_READINGS)
    return readings if before is None else [before, *readings]


def _runs(hours: Sequence[tuple[int, int]]) -> list[tuple[int, int, int]]:
    """Hours of entities as runs of hours that follow one another: (entity, from,
    until)."""
    result: list[tuple[int, int, int]] = []
    for number, start in hours:
        if result and result[-1][0] == number and result[-1][2] == start:
            result[-1] = (number, result[-1][1], start + HOUR_MS)
        else:
            result.append((number, start, start + HOUR_MS))
    return result


def _as_far(
    history: HistoryPort, number: int, start: int, end: int
) -> tuple[int, Sequence[Reading]]:
    """As many hours of a span as are rolled up at once, one at least: their end, and
    their readings. The disk must not wait long for one entity."""
    readings = history.single(number, start, end, AT_ONCE_READINGS)
    if len(readings) < AT_ONCE_READINGS:
        return end, readings
    whole = readings[-1].at_ms // HOUR_MS * HOUR_MS
    if whole > start:
        return whole, [reading for reading in readings if reading.at_ms < whole]
    first = min(end, start + HOUR_MS)
    return first, history.single(number, start, first, MOST_READINGS)
