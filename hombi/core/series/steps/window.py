"""The values of the last while, in order: what steps over a window of time work on."""

from __future__ import annotations

from bisect import bisect_left, insort
from collections import deque


class TimeWindow:
    """The values of the last `length_ms`. Adding one costs as much as finding its
    place."""

    def __init__(self, length_ms: float) -> None:
        if length_ms <= 0:
            raise ValueError("the window must be longer than nothing")
        self._length_ms = length_ms
        self._come: deque[tuple[int, float]] = deque()
        self.ordered: list[float] = []

    def add(self, at_ms: int, value: float) -> None:
        """Take a value in, and let those go that are too old."""
        self._come.append((at_ms, value))
        insort(self.ordered, value)
        oldest = at_ms - self._length_ms
        while self._come[0][0] <= oldest:
            gone = self._come.popleft()[1]
            del self.ordered[bisect_left(self.ordered, gone)]

    @property
    def median(self) -> float:
        """The middle value; of an even number, the mean of the two in the middle."""
        middle, odd = divmod(len(self.ordered), 2)
        if odd:
            return self.ordered[middle]
        return (self.ordered[middle - 1] + self.ordered[middle]) / 2
