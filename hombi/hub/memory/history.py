"""History in memory."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from hombi.core.quality import Quality
from hombi.core.series import Channel, Reading
from hombi.hub.ports import Numbers, Point, Rollup, Row


class MemoryHistory:
    """`HistoryPort` without a disk."""

    def __init__(self) -> None:
        self.entities: set[int] = set()
        self.readings: dict[tuple[int, int], Reading] = {}
        self.channels: dict[int, dict[int, Channel]] = {}
        self._rollups: dict[tuple[int, int, int], Rollup] = {}

    def begin_channel(self, entity: int, channel: Channel) -> None:
        self.channels.setdefault(entity, {}).setdefault(channel.number, channel)

    def store(self, rows: Sequence[Row]) -> None:
        for entity, at_ms, channel, sent, value, quality in rows:
            if entity in self.entities:
                reading = Reading(at_ms, channel, sent, value, Quality(quality))
                self.readings.setdefault((entity, at_ms), reading)

    def series(
        self, entities: Sequence[tuple[int, Sequence[int]]], start_ms: int, end_ms: int, points: int
    ) -> tuple[list[list[Point]], int]:
        width = max(1, -(-(end_ms - start_ms) // points))
        found = []
        for entity, channels in entities:
            buckets: dict[int, list[float]] = {}
            for at_ms, value in self._good(entity, channels, start_ms, end_ms):
                buckets.setdefault((at_ms - start_ms) // width, []).append(value)
            found.append(
                [
                    Point(
                        start_ms + number * width + width // 2,
                        sum(values) / len(values),
                        min(values),
                        max(values),
                        len(values),
                    )
                    for number, values in sorted(buckets.items())
                ]
            )
        return found, width

    def numbers(self, entity: int, channels: Sequence[int], start_ms: int, end_ms: int) -> Numbers:
        values = [value for _, value in self._good(entity, channels, start_ms, end_ms)]
        if not values:
            return Numbers(None, None, None, 0)
        return Numbers(sum(values) / len(values), min(values), max(values), len(values))

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
        return [
            reading
            for (owner, at_ms), reading in sorted(self.readings.items())
            if owner == entity and start_ms <= at_ms < end_ms
        ]

    def changes(
        self, entity: int, channels: Sequence[int], start_ms: int, end_ms: int, limit: int
    ) -> list[tuple[int, float]]:
        before = self._good(entity, channels, -(2**63), start_ms)
        found = [(start_ms, value) for _, value in before[-1:]]
        for at_ms, value in self._good(entity, channels, start_ms, end_ms):
            if not found or found[-1][1] != value:
                found.append((at_ms, value))
        return found[:limit]

    def single(self, entity: int, start_ms: int, end_ms: int, limit: int) -> list[Reading]:
        return self._of(entity, start_ms, end_ms)[:limit]

    def rewrite(
        self,
        entity: int,
        start_ms: int,
        end_ms: int,
        make: Callable[[Sequence[Reading]], Sequence[Reading]],
        at_once: int = 1_000,
    ) -> int | None:
        before = self.single(entity, start_ms, end_ms, at_once)
        for old, new in zip(before, make(before), strict=True):
            kept = Reading(old.at_ms, old.channel, old.sent, new.value, new.quality)
            self.readings[(entity, old.at_ms)] = kept
        return before[-1].at_ms + 1 if len(before) == at_once else None

    def forget(self, entity: int, before_ms: int, at_most: int = 1_000) -> int:
        gone = self.single(entity, -(2**63), before_ms, at_most)
        for reading in gone:
            del self.readings[(entity, reading.at_ms)]
        return len(gone)

    def forget_entity(self, entity: int) -> None:
        """All of an entity's history."""
        self.entities.discard(entity)
        self.channels.pop(entity, None)
        self.readings = {key: r for key, r in self.readings.items() if key[0] != entity}
        self._rollups = {key: r for key, r in self._rollups.items() if key[0] != entity}

    def write_rollups(self, rollups: Sequence[Rollup]) -> None:
        for one in rollups:
            if one.entity in self.entities:
                self._rollups[(one.entity, one.width_ms, one.start_ms)] = one

    def rollups(self, entity: int, width_ms: int, start_ms: int, end_ms: int) -> list[Rollup]:
        return [
            one
            for key, one in sorted(self._rollups.items())
            if key[:2] == (entity, width_ms) and start_ms <= one.start_ms < end_ms
        ]
