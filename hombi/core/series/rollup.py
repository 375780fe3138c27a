"""Rollups: what the readings of a stretch of time come to."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby, islice, pairwise, zip_longest
from operator import attrgetter
from statistics import median

import msgspec

from hombi.core.arithmetic import LINE, Arithmetic
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


class Rollup(msgspec.Struct, frozen=True):
    """What the good readings over one channel came to from `start_ms` on.

    All of it is by time: a value that came before and still held is among them, so that
    the mean, over the `held_ms` for which a value was known, lies between `low` and
    `high`. `count` is how many readings came. Of directions, `low` to `high` is the
    range clockwise.
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


def hold_ms(readings: Sequence[Reading], arithmetic: Arithmetic = LINE) -> float:
    """How long a reading holds when no other follows, from the distances at which these
    came: three times the usual one (facts: a longer silence is a gap). A state holds
    for ever: it is told when it changes. What happens holds for no time."""
    if arithmetic.holds:
        return math.inf
    if not arithmetic.lasts:
        return 0.0
    gaps = [b.at_ms - a.at_ms for a, b in pairwise(readings)]
    if len(gaps) < GAPS_TO_KNOW:
        return HOLDS_UNKNOWN_MS
    return max(HOLDS_AT_LEAST_MS, HOLDS_INTERVALS * median(gaps))


def roll(
    readings: Sequence[Reading], bounds: Sequence[int], hold: float, arithmetic: Arithmetic = LINE
) -> list[Rollup]:
    """The rollups of the stretches between these moments, one for each channel that has
    something to say there; oldest first.

    `readings` are oldest first, and may begin with some from before the first moment: a
    value holds until the next reading, `hold` ms at most (see `hold_ms`). A bad reading
    ends what held before it.
    """
    rollups = _rolled(readings, bounds, hold)
    return (
        rollups if arithmetic.ordered else _unordered(rollups, readings, bounds, hold, arithmetic)
    )


def _unordered(
    rollups: Sequence[Rollup],
    readings: Sequence[Reading],
    bounds: Sequence[int],
    hold: float,
    arithmetic: Arithmetic,
) -> list[Rollup]:
    """Rollups with the means and the ranges that values without an order have."""
    held: dict[tuple[int, int], list[tuple[float, float]]] = {}
    for reading, value, until in holding(readings, bounds[-1], hold):
        place = max(0, bisect_right(bounds, reading.at_ms) - 1)
        while place < len(bounds) - 1 and bounds[place] <= max(until - 1, reading.at_ms):
            ms = min(until, bounds[place + 1]) - max(reading.at_ms, bounds[place])
            held.setdefault((bounds[place], reading.channel), []).append((value, ms))
            place += 1
    result = []
    for rollup in rollups:
        weighted = held[(rollup.start_ms, rollup.channel)]
        mean = arithmetic.mean(weighted)
        low, high = arithmetic.extent((value, value) for value, _ in weighted)
        result.append(
            msgspec.structs.replace(
                rollup, low=low, mean=rollup.last if mean is None else mean, high=high
            )
        )
    return result


def _rolled(readings: Sequence[Reading], bounds: Sequence[int], hold: float) -> list[Rollup]:
    result: dict[tuple[int, int], _Sum] = {}
    place, last = 0, len(bounds) - 1
    begin, end = bounds[0], bounds[min(1, last)]
    sums: _Sum | None = None
    channel = -1
    for reading, value, until in holding(readings, bounds[-1], hold):
        start: float = reading.at_ms
        if start >= end:
            while place < last and bounds[place + 1] <= start:
                place += 1
            begin, end, sums = bounds[place], bounds[min(place + 1, last)], None
        at = place
        if start >= begin:
            if sums is None or reading.channel != channel:
                channel = reading.channel
                sums = _sums(result, begin, channel, value)
            # Here, and not in methods: it is done for each reading that there ever was.
            if value < sums.low:
                sums.low = value
            elif value > sums.high:
                sums.high = value
            sums.count += 1
            stop = until if until <= end else end
            ms = stop - start
            sums.held_ms += ms
            sums.weighted += value * ms
            sums.last = value
            start, at = stop, place + 1
        else:
            start = begin
        while start < until:
            stop = min(until, bounds[at + 1])
            _sums(result, bounds[at], reading.channel, value).held(value, stop - start)
            start, at = stop, at + 1
    return [made.rollup(*key) for key, made in sorted(result.items())]


def _sums(table: dict[tuple[int, int], _Sum], start_ms: int, channel: int, value: float) -> _Sum:
    key = (start_ms, channel)
    sums = table.get(key)
    if sums is None:
        sums = table[key] = _Sum(value)
    return sums


def holding(
    readings: Sequence[Reading], end_ms: int, hold: float
) -> Iterator[tuple[Reading, float, float]]:
    """Each good reading with its value and until when it holds."""
    stuck = Quality.STUCK
    for reading, after in zip_longest(readings, islice(readings, 1, None)):
        value, at_ms = reading.value, reading.at_ms
        if at_ms >= end_ms:
            return
        if value is None or reading.quality >= stuck:
            continue
        until: float = min(at_ms + hold, end_ms)
        if after is not None and after.at_ms < until:
            until = after.at_ms
        yield reading, value, until


def merge(parts: Iterable[Rollup], start_ms: int, arithmetic: Arithmetic = LINE) -> list[Rollup]:
    """Rollups of stretches that follow one another as one for each channel. Of
    directions, each of them counts as one direction."""
    ordered = sorted(parts, key=attrgetter("channel"))
    return [
        _merged(list(of_channel), start_ms, arithmetic)
        for _, of_channel in groupby(ordered, attrgetter("channel"))
    ]


def _merged(parts: Sequence[Rollup], start_ms: int, arithmetic: Arithmetic) -> Rollup:
    mean, low, high = together(parts, arithmetic)
    return Rollup(
        start_ms,
        parts[0].channel,
        sum([part.count for part in parts]),
        low,
        mean,
        high,
        parts[-1].last,
        sum([part.held_ms for part in parts]),
    )


def together(parts: Sequence[Rollup], arithmetic: Arithmetic = LINE) -> tuple[float, float, float]:
    """(mean, lowest, highest) of some rollups, one at least."""
    mean = arithmetic.mean((part.mean, part.held_ms) for part in parts)
    if mean is None:
        # None of them held for any time, or directions cancel out.
        mean = arithmetic.mean((part.mean, 1) for part in parts)
    low, high = arithmetic.extent((part.low, part.high) for part in parts)
    return parts[-1].last if mean is None else mean, low, high


class _Sum:
    """A rollup while it is made."""

    __slots__ = ("count", "held_ms", "high", "last", "low", "weighted")

    def __init__(self, value: float) -> None:
        self.count = 0
        self.held_ms = self.weighted = 0.0
        self.low = self.high = self.last = value

    def held(self, value: float, ms: float) -> None:
        self.low, self.high = min(self.low, value), max(self.high, value)
        self.held_ms += ms
        self.weighted += value * ms
        self.last = value

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
