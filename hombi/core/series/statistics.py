"""Numbers of a stretch of time, each value weighted by how long it held."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Sequence
from statistics import median
from typing import NamedTuple

# A value, and for how many ms it held.
Held = tuple[float, float]
# Theil-Sen looks at all pairs; more points than this are thinned.
MOST_POINTS = 200


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


def quantiles(held: Sequence[Held], parts: Sequence[float]) -> list[float]:
    """The values that were not exceeded for these parts (0 to 1) of the time; the
    median is that of 0.5. Raises ValueError where nothing held.

    The lowest value for which the time up to it reaches the part: the inverse of the
    empirical distribution (Hyndman and Fan 1996, type 1), with weights.
    """
    ordered = sorted(one for one in held if one[1] > 0)
    total = sum(ms for _, ms in ordered)
    if not total:
        raise ValueError("no value held for any time")
    found, place, until = [], 0, ordered[0][1]
    for part in sorted(parts):
        while until < part * total and place < len(ordered) - 1:
            place += 1
            until += ordered[place][1]
        found.append(ordered[place][0])
    back = dict(zip(sorted(parts), found, strict=True))
    return [back[part] for part in parts]


def time_over(held: Sequence[Held], limit: float) -> float:
    """For how many ms the value was over a limit."""
    return sum(ms for value, ms in held if value > limit)


def slope_of(points: Sequence[tuple[float, float]], otherwise: float = 0.0) -> float:
    """The slope of (x, y) points: the median of the slopes of all pairs (Theil 1950,
    Sen 1968), which some wrong points do not move. `otherwise` where all x are one."""
    some = points[:: -(-len(points) // MOST_POINTS)] if points else points
    slopes = [
        (y2 - y1) / (x2 - x1)
        for n, (x1, y1) in enumerate(some)
        for x2, y2 in some[n + 1 :]
        if abs(x2 - x1) > 1e-12
    ]
    return median(slopes) if slopes else otherwise
