"""The step that finds spikes."""

from __future__ import annotations

from bisect import bisect_left

from hombi.core.quality import Quality
from hombi.core.series.steps.base import Measured
from hombi.core.series.steps.window import TimeWindow

# Makes the median of the deviations a standard deviation, where those are normal.
NORMAL = 1.4826
# Of fewer values, none can be told to be odd.
LEAST = 3


class Despike:
    """Hampel's identifier (Davies and Gather 1993) over the last `window_ms`: a value
    further from their median than `times` scaled median deviations is bad, a spike.

    `floor` is the least deviation that counts, in the kind's unit: where the value
    stands still the median deviation is 0, and each flicker would be a spike. A spike
    still enters the window, so a level that stays is believed after half of it.
    """

    def __init__(self, window_ms: float, times: float = 3.0, floor: float = 0.0) -> None:
        if times <= 0:
            raise ValueError("the number of deviations must be more than nothing")
        if floor < 0:
            raise ValueError("the least deviation cannot be less than nothing")
        self._window = TimeWindow(window_ms)
        self._times, self._floor = times, floor
        self.warm_ms = round(window_ms)
        self._last: Measured | None = None

    def update(self, measured: Measured) -> None:
        at_ms, value, quality = measured
        if value is None or quality >= Quality.STUCK:
            self._last = measured
            return
        window = self._window
        window.add(at_ms, value)
        if len(window.ordered) >= LEAST:
            middle = window.median
            spread = max(NORMAL * _median_deviation(window.ordered, middle), self._floor)
            if abs(value - middle) > self._times * spread:
                quality = Quality.SPIKE
        self._last = Measured(at_ms, value, quality)

    def get(self) -> Measured | None:
        return self._last


def _median_deviation(ordered: list[float], middle: float) -> float:
    """The median of the distances from `middle`, by walking outwards from it: the list
    is in order already."""
    above = bisect_left(ordered, middle)
    below, count = above - 1, len(ordered)
    wanted, even = count // 2, count % 2 == 0
    found = before = 0.0
    for _ in range(wanted + 1):
        before = found
        left = middle - ordered[below] if below >= 0 else None
        right = ordered[above] - middle if above < count else None
        if right is None or (left is not None and left <= right):
            assert left is not None
            found, below = left, below - 1
        else:
            found, above = right, above + 1
    return (before + found) / 2 if even else found
