"""History in memory."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from hombi.core.quality import Quality
from hombi.core.series import FIVE_MINUTES_MS, HOUR_MS, Channel, Reading, Rollup
from hombi.core.series.past import Past
from hombi.core.series.rollup import bucket_ms, hold_ms, holding, roll, together
from hombi.core.series.standing import Stood, standing
from hombi.core.series.statistics import Held
from hombi.hub.readings.port import Numbers, Point, Row


class MemoryHistory:
    """`HistoryPort` without a disk. Its series are always made of readings."""

    def __init__(self) -> None:
        self.entities: set[int] = set()
        self.readings: dict[tuple[int, int], Reading] = {}
        self.channels: dict[int, dict[int, Channel]] = {}
        self._rollups: dict[tuple[int, int, int, int], Rollup] = {}
        self._stale: dict[tuple[int, int], None] = {}

    def begin_channel(self, entity: int, channel: Channel) -> None:
        self.channels.setdefault(entity, {}).setdefault(channel.number, channel)

    def store(self, rows: Sequence[Row]) -> None:
        for entity, at_ms, channel, sent, value, quality in rows:
            if entity in self.entities:
                reading = Reading(at_ms, channel, sent, value, Quality(quality))
                self.readings.setdefault((entity, at_ms), reading)

    def settle(self) -> None:
        """They are in their place."""

    def lost(self) -> str:
        return ""

    def series(
        self, entities: Sequence[Past], start_ms: int, end_ms: int, points: int
    ) -> tuple[list[list[Point]], int]:
        width = bucket_ms(end_ms - start_ms, points)
        return [self._series(past, start_ms, end_ms, width) for past in entities], width

    def _series(self, past: Past, start_ms: int, end_ms: int, width: int) -> list[Point]:
        bounds = [*range(start_ms, end_ms, width), end_ms]
        return [
            Point(
                begin + width // 2,
                *together(rollups, past.arithmetic),
                sum(rollup.count for rollup in rollups),
            )
            for begin, rollups in self._rolled(past, bounds)
        ]

    def _rolled(self, past: Past, bounds: Sequence[int]) -> list[tuple[int, list[Rollup]]]:
        before = self.before(past.entity, bounds[0])
        readings = [
            *([before] if before else []),
            *self._of(past.entity, bounds[0], bounds[-1]),
        ]
        rollups = [
            rollup
            for rollup in roll(
                readings, bounds, hold_ms(readings, past.arithmetic), past.arithmetic
            )
            if rollup.count and rollup.channel in past.channels
        ]
        return [(begin, list(some)) for begin, some in groupby(rollups, lambda one: one.start_ms)]

    def numbers(self, past: Past, start_ms: int, end_ms: int) -> Numbers:
        for _, rollups in self._rolled(past, (start_ms, end_ms)):
            count = sum(rollup.count for rollup in rollups)
            return Numbers(*together(rollups, past.arithmetic), count)
        return Numbers(None, None, None, 0)

    def held(self, past: Past, start_ms: int, end_ms: int) -> list[Held]:
        before = self.before(past.entity, start_ms)
        readings = [*([before] if before else []), *self._of(past.entity, start_ms, end_ms)]
        hold = hold_ms(readings, past.arithmetic)
        return [
            (value, until - max(start_ms, reading.at_ms))
            for reading, value, until in holding(readings, end_ms, hold)
            if reading.channel in past.channels and until > start_ms
        ]

    def stood(self, past: Past, start_ms: int, end_ms: int, *, days: bool) -> list[Stood]:
        return list(standing(self._of(past.entity, 0, end_ms), past.channels, start_ms, end_ms))

    def _good(
        self, entity: int, channels: Sequence[int], start_ms: int, end_ms: int
    ) -> list[tuple[int, float]]:
        return [
            (r.at_ms, r.value)
            for r in self._of(entity, start_ms, end_ms)
            if r.channel in channels and r.quality < Quality.STUCK and r.value is not None
        ]

    def readings_of(self, entity: int) -> list[Reading]:
        """All readings of an entity, oldest first."""
        return self._of(entity, -(2**63), 2**63)

    def _of(self, entity: int, start_ms: int, end_ms: int) -> list[Reading]:
        # A job writes in its own thread while another reads; as in SQLite, who reads
        # has a snapshot. The copy of a dictionary is one step of the interpreter.
        return [
            reading
            for (owner, at_ms), reading in sorted(self.readings.copy().items())
            if owner == entity and start_ms <= at_ms < end_ms
        ]

    def changes(
        self, past: Past, start_ms: int, end_ms: int, limit: int
    ) -> list[tuple[int, float]]:
        before = self._good(past.entity, past.channels, -(2**63), start_ms)
        result = [(start_ms, value) for _, value in before[-1:]]
        for at_ms, value in self._good(past.entity, past.channels, start_ms, end_ms):
            if not result or result[-1][1] != value:
                result.append((at_ms, value))
        return result[:limit]

    def doubts(
        self, past: Past, start_ms: int, end_ms: int, limit: int
    ) -> list[tuple[int, Quality]]:
        return [
            (one.at_ms, one.quality)
            for one in self._of(past.entity, start_ms, end_ms)
            if one.channel in past.channels and one.quality > Quality.GOOD
        ][:limit]

    def single(self, entity: int, start_ms: int, end_ms: int, limit: int) -> list[Reading]:
        return self._of(entity, start_ms, end_ms)[:limit]

    def rewrite(self, entity: int, before: Sequence[Reading], after: Sequence[Reading]) -> None:
        for old, new in list(zip(before, after, strict=True)):
            kept = Reading(old.at_ms, old.channel, old.sent, new.value, new.quality)
            self.readings[(entity, old.at_ms)] = kept

    def replace(self, entity: int, start_ms: int, end_ms: int, rows: Sequence[Row]) -> None:
        for one in self._of(entity, start_ms, end_ms):
            del self.readings[(entity, one.at_ms)]
        self.store(rows)

    def shift(
        self, entity: int, start_ms: int, end_ms: int, by_ms: int, at_once: int = 2_000
    ) -> list[int]:
        result = [one for one in self.readings_of(entity) if start_ms <= one.at_ms < end_ms]
        result = result[-at_once:]
        for one in result:
            del self.readings[entity, one.at_ms]
        for one in result:
            at_ms = one.at_ms + by_ms
            while (entity, at_ms) in self.readings:
                at_ms += 1
            moved = Reading(at_ms, one.channel, one.sent, one.value, one.quality)
            self.readings[entity, at_ms] = moved
        return [one.at_ms for one in result]

    def forget(self, entity: int, before_ms: int, at_most: int = 1_000) -> int:
        latest = max((r.at_ms for r in self.readings_of(entity)), default=0)
        gone = self.single(entity, -(2**63), min(before_ms, latest), at_most)
        for reading in gone:
            del self.readings[(entity, reading.at_ms)]
        return len(gone)

    def forget_channel(self, entity: int, channel: int) -> list[int]:
        gone = [at for (owner, at), r in self.readings.copy().items()
                if owner == entity and r.channel == channel]  # fmt: skip
        for at in gone:
            del self.readings[(entity, at)]
        self._rollups = {
            key: r
            for key, r in self._rollups.copy().items()
            if (key[0], key[3]) != (entity, channel)
        }
        self.channels.get(entity, {}).pop(channel, None)
        return sorted({at // HOUR_MS * HOUR_MS for at in gone})

    def before(self, entity: int, at_ms: int) -> Reading | None:
        return next(reversed(self._of(entity, -(2**63), at_ms)), None)

    def since(self, past: Past, latest: Reading, from_ms: int) -> int:
        result = latest.at_ms
        readings = self._of(past.entity, -(2**63), latest.at_ms + 1)
        for reading in reversed([r for r in readings if r.channel in past.channels]):
            if reading.value != latest.value:
                return result
            if reading.at_ms < from_ms:
                return 0
            result = reading.at_ms
        return result

    def first_at(self, entity: int, from_ms: int) -> int | None:
        return next((r.at_ms for r in self._of(entity, from_ms, 2**63)), None)

    def forget_entity(self, entity: int) -> None:
        """All of an entity's history."""
        self.entities.discard(entity)
        self.channels.pop(entity, None)
        self.readings = {key: r for key, r in self.readings.copy().items() if key[0] != entity}
        self._rollups = {key: r for key, r in self._rollups.copy().items() if key[0] != entity}
        self.forget_stale([one for one in self._stale if one[0] == entity])

    def put_rollups(
        self, entity: int, width_ms: int, start_ms: int, end_ms: int, rollups: Sequence[Rollup]
    ) -> None:
        if entity not in self.entities:
            return
        for rollup in self.rollups(entity, width_ms, start_ms, end_ms):
            del self._rollups[(entity, width_ms, rollup.start_ms, rollup.channel)]
        for rollup in rollups:
            self._rollups[(entity, width_ms, rollup.start_ms, rollup.channel)] = rollup

    def rollups(self, entity: int, width_ms: int, start_ms: int, end_ms: int) -> list[Rollup]:
        return [
            one
            for key, one in sorted(self._rollups.copy().items(), key=lambda item: item[0])
            if key[:2] == (entity, width_ms) and start_ms <= one.start_ms < end_ms
        ]

    def heard(self, entity: int, start_ms: int, end_ms: int) -> list[int]:
        some = self.rollups(entity, FIVE_MINUTES_MS, start_ms, end_ms)
        return [one.start_ms for one in some if one.count]

    def rolled_until(self, entity: int) -> int:
        hours = self.rollups(entity, HOUR_MS, -(2**63), 2**63)
        return hours[-1].start_ms + HOUR_MS if hours else 0

    def mark_stale(self, hours: Sequence[tuple[int, int]]) -> None:
        self._stale.update(dict.fromkeys(hour for hour in hours if hour[0] in self.entities))

    def stale(self, limit: int) -> list[tuple[int, int]]:
        return sorted(self._stale)[:limit]

    def forget_stale(self, hours: Sequence[tuple[int, int]]) -> None:
        for hour in hours:
            self._stale.pop(hour, None)
