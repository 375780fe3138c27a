"""Numbers of a stretch of time, each value weighted by how long it held."""

from __future__ import annotations

from collections.abc import Sequence

# A value, and for how many ms it held.
Held = tuple[float, float]


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
