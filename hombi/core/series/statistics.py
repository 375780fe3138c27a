"""Numbers of a stretch of time, each value weighted by how long it held."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import median

# A value, and for how many ms it held.
Held = tuple[float, float]
# Theil-Sen looks at all pairs; more points than this are thinned.
MOST_POINTS = 200


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
    result, place, until = [], 0, ordered[0][1]
    for part in sorted(parts):
        while until < part * total and place < len(ordered) - 1:
            place += 1
            until += ordered[place][1]
        result.append(ordered[place][0])
    back = dict(zip(sorted(parts), result, strict=True))
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
