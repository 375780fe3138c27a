"""Rollups: what the readings of a stretch of time come to."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from statistics import median

from hombi.core.quality import Quality
from hombi.core.series.reading import Reading

FIVE_MINUTES_MS = 300_000
HOUR_MS = 3_600_000
# The name of a day's width. A day begins at the house's midnight, so it can have 23 or
# 25 hours.
DAY_MS = 86_400_000
# The rollups of which buckets are made, and how wide these are, of that, at least.
BASES_MS = (FIVE_MINUTES_MS, HOUR_MS)
NEARLY = 0.75

# A reading counts until the next one, but no longer than this many usual intervals.
HOLDS_INTERVALS = 3
HOLDS_AT_LEAST_MS = 60_000
HOLDS_UNKNOWN_MS = 30 * 60_000
GAPS_TO_KNOW = 3


@dataclass(frozen=True, slots=True)
class Rollup:
    """What the good readings over one channel came to from `start_ms` on.

    `mean` is weighted by time, over the `held_ms` for which a value was known. `count`
    is 0 where a value that came before still held: `low`, `high` and `last` are that
    value then.
    """

    start_ms: int
    channel: int
    count: int
    low: float
    mean: float
    high: float
    last: float
    held_ms: int

    @property
    def on_ms(self) -> int:
        """How long a kind with two states was in its second one."""
        return round(self.mean * self.held_ms)


def narrow_enough(width_ms: float) -> int:
    """The widest rollup from which buckets of a width can be made; 0 where it takes the
    readings themselves."""
    return max((base for base in BASES_MS if base <= width_ms), default=0)


def bucket_ms(span_ms: int, points: int) -> int:
    """How wide buckets are, for a span in `points` of them at most. Where a rollup is
    only a little wider, it is as wide as that: a month has an hour for each of 800."""
    width = max(1, -(-span_ms // points))
    return next((base for base in BASES_MS if NEARLY * base <= width < base), width)


def hold_ms(readings: Sequence[Reading]) -> float:
    """How long a reading holds when no other follows, from the distances at which these
    came: three times the usual one (facts: a longer silence is a gap)."""
    gaps = [b.at_ms - a.at_ms for a, b in pairwise(readings)]
    if len(gaps) < GAPS_TO_KNOW:
        return HOLDS_UNKNOWN_MS
    return max(HOLDS_AT_LEAST_MS, HOLDS_INTERVALS * median(gaps))


def roll(readings: Sequence[Reading], bounds: Sequence[int], hold: float) -> list[Rollup]:
    """The rollups of the stretches between these moments, one for each channel that has
    something to say there; oldest first.

    `readings` are oldest first, and may begin with some from before the first moment: a
    value holds until the next reading, `hold` ms at most (infinite for a kind with two
    states, which is told when it changes). A bad reading ends what held before it.
    """
    found: dict[tuple[int, int], _Sum] = {}
    place = 0
    for reading, value, until in holding(readings, bounds[-1], hold):
        at_ms = reading.at_ms
        while place < len(bounds) - 1 and bounds[place + 1] <= at_ms:
            place += 1
        if at_ms >= bounds[place] and until <= bounds[place + 1]:
            # Most readings begin and end within one stretch.
            sums = found.get((bounds[place], reading.channel))
            if sums is not None:
                ms = until - at_ms
                sums.held_ms += ms
                sums.weighted += value * ms
                sums.last = value
                sums.counted(value)
                continue
        at, start = place, float(at_ms)
        while start < until:
            stop = min(until, bounds[at + 1])
            if stop > bounds[at]:
                key = (bounds[at], reading.channel)
                sums = found.get(key)
                if sums is None:
                    sums = found[key] = _Sum(value)
                sums.held(value, stop - max(start, bounds[at]))
                if at == place and at_ms >= bounds[at]:
                    sums.counted(value)
            start, at = stop, at + 1
    return [sums.rollup(*key) for key, sums in sorted(found.items())]


def holding(
    readings: Sequence[Reading], end_ms: int, hold: float
) -> Iterator[tuple[Reading, float, float]]:
    """Each good reading with its value and until when it holds."""
    for number, reading in enumerate(readings):
        value = reading.value
        if reading.at_ms >= end_ms:
            return
        if value is None or reading.quality >= Quality.STUCK:
            continue
        until: float = min(reading.at_ms + hold, end_ms)
        if number + 1 < len(readings):
            until = min(until, readings[number + 1].at_ms)
        yield reading, value, until


def merge(parts: Iterable[Rollup], start_ms: int) -> list[Rollup]:
    """Rollups of stretches that follow one another as one for each channel."""
    found: dict[int, Rollup] = {}
    for one in parts:
        before = found.get(one.channel)
        whole = replace(one, start_ms=start_ms) if before is None else _two(before, one)
        found[one.channel] = whole
    return [found[channel] for channel in sorted(found)]


def _two(a: Rollup, b: Rollup) -> Rollup:
    held = a.held_ms + b.held_ms
    # What only held says nothing of lowest and highest where there are readings.
    said = [one for one in (a, b) if one.count] or [a, b]
    mean = (a.mean * a.held_ms + b.mean * b.held_ms) / held if held else (a.mean + b.mean) / 2
    return Rollup(
        a.start_ms,
        a.channel,
        a.count + b.count,
        min(one.low for one in said),
        mean,
        max(one.high for one in said),
        b.last,
        held,
    )


class _Sum:
    """A rollup while it is made."""

    __slots__ = ("count", "held_ms", "high", "last", "low", "weighted")

    def __init__(self, value: float) -> None:
        self.count = 0
        self.held_ms = self.weighted = 0.0
        self.low = self.high = self.last = value

    def held(self, value: float, ms: float) -> None:
        self.held_ms += ms
        self.weighted += value * ms
        self.last = value

    def counted(self, value: float) -> None:
        if not self.count:
            self.low = self.high = value
        self.count += 1
        if value < self.low:
            self.low = value
        elif value > self.high:
            self.high = value

    def rollup(self, start_ms: int, channel: int) -> Rollup:
        mean = self.weighted / self.held_ms if self.held_ms else self.last
        return Rollup(
            start_ms,
            channel,
            self.count,
            self.low,
            mean,
            self.high,
            self.last,
            round(self.held_ms),
        )
