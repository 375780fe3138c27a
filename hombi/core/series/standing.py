"""How a value with two states stood: for how long of each stretch of time it was at its
second one."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from hombi.core.series.reading import Reading
from hombi.core.series.rollup import holding


class Stood(NamedTuple):
    """For how much of a stretch a value with two states was at its second one: `on_ms`
    of the `known_ms` for which it is known how it stood."""

    start_ms: int
    end_ms: int
    on_ms: float
    known_ms: float


def by_rows(pieces: Iterable[Stood], bounds: Sequence[int]) -> list[Stood]:
    """Pieces, oldest first, as one for each two of these moments between which
    something is known. One that lies across a moment is parted there, as if it had been
    the same throughout."""
    sums = [[0.0, 0.0] for _ in bounds[1:]]
    for start, end, on, known in pieces:
        at = max(start, bounds[0])
        while at < min(end, bounds[-1]):
            row = bisect_right(bounds, at) - 1
            until = min(end, bounds[row + 1])
            part = (until - at) / (end - start)
            sums[row][0] += on * part
            sums[row][1] += known * part
            at = until
    return [Stood(bounds[n], bounds[n + 1], *one) for n, one in enumerate(sums) if one[1]]


def standing(
    readings: Sequence[Reading], channels: Sequence[int], start_ms: int, end_ms: int
) -> Iterator[Stood]:
    """How a value with two states stood from one reading to the next, within a span."""
    for reading, value, until in holding(readings, end_ms, math.inf):
        if reading.channel in channels and until > start_ms:
            start = max(start_ms, reading.at_ms)
            known = until - start
            yield Stood(start, round(until), value * known, known)
