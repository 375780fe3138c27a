"""By how much one sensor follows later than another beside it: its case is thick, or it
is sent seldom."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from statistics import fmean, median

from hombi.core.series.reading import Reading
from hombi.core.series.rollup import hold_ms

LONGEST_MS = 2 * 3_600_000
STEP_MS = 60_000
MOST_STEPS = 1_500
LEAST_STEPS = 60
# It is said where what is left shrinks to this part of what is left without it.
BETTER = 0.8


class Between:
    """What an entity was at any moment, from its good readings, oldest first: on the
    line between two of them, where they are no further apart than one usually holds."""

    def __init__(self, readings: Sequence[Reading]) -> None:
        self._known = [(r.at_ms, r.value) for r in readings if r.value is not None]
        self._times = [at for at, _ in self._known]
        self._reach = hold_ms(readings)

    def at(self, at_ms: int) -> float | None:
        """None before the first, after the last, and in a gap."""
        place = bisect_left(self._times, at_ms)
        if place == len(self._times):
            return None
        after_at, after = self._known[place]
        if after_at == at_ms:
            return after
        before_at, before = self._known[place - 1]
        if place == 0 or after_at - before_at > self._reach:
            return None
        return before + (at_ms - before_at) / (after_at - before_at) * (after - before)


def behind_ms(sensor: Sequence[Reading], reference: Sequence[Reading]) -> int:
    """How many ms a sensor is behind a reference (less than nothing: ahead), up to two
    hours: the shift at which the two differ by the steadiest amount, by the mean
    deviation of the differences from their median. 0 where no shift is clearly better
    than none. Readings oldest first, good ones only."""
    if not sensor or not reference:
        return 0
    start = max(sensor[0].at_ms, reference[0].at_ms)
    end = min(sensor[-1].at_ms, reference[-1].at_ms)
    step = max(STEP_MS, -(-(end - start) // MOST_STEPS))
    if end - start < LEAST_STEPS * step:
        return 0
    times = range(start, end + 1, step)
    ours, theirs = (list(map(Between(readings).at, times)) for readings in (sensor, reference))
    most = min(LONGEST_MS // step, len(ours) // 4)
    left = {shift: _left(ours, theirs, shift) for shift in range(-most, most + 1)}
    best = min(left, key=lambda shift: (left[shift], abs(shift)))
    return best * step if left[best] < BETTER * left[0] else 0


def _left(ours: Sequence[float | None], theirs: Sequence[float | None], shift: int) -> float:
    """How unsteady the differences are with the sensor moved back by some steps."""
    moved = ours[shift:] if shift >= 0 else ours
    fixed = theirs if shift >= 0 else theirs[-shift:]
    pairs = zip(moved, fixed, strict=False)
    differences = [a - b for a, b in pairs if a is not None and b is not None]
    if len(differences) < LEAST_STEPS:
        return float("inf")
    middle = median(differences)
    return fmean(abs(difference - middle) for difference in differences)
