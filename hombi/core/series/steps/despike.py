"""The step that finds spikes."""

from __future__ import annotations

from bisect import bisect_left, bisect_right

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
            far = abs(value - middle) / self._times
            if far > self._floor and _steadier(window.ordered, middle, far / NORMAL):
                quality = Quality.SPIKE
        self._last = (at_ms, value, quality)

    def get(self) -> Measured | None:
        return self._last


def _steadier(ordered: list[float], middle: float, than: float) -> bool:
    """Whether the median of the distances from `middle` is less: more than half of the
    values lie nearer. The list is in order, so it need not be walked through."""
    nearer = bisect_left(ordered, middle + than) - bisect_right(ordered, middle - than)
    half, odd = divmod(len(ordered), 2)
    if odd or nearer != half:
        return nearer > half
    # Of an even number, one of the two in the middle lies nearer, the other does not.
    distances = sorted(abs(one - middle) for one in ordered)
    return (distances[half - 1] + distances[half]) / 2 < than
