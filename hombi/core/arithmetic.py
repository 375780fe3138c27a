"""How values of a kind are calculated with: on a line, as states, on a circle, or
not at all.

A kind has its arithmetic; history, sums, charts, steps and computed values ask it.
"""

from __future__ import annotations

import math
import operator
from collections.abc import Iterable, Sequence
from typing import Literal

Drawn = Literal["line", "states", "needle", "marks"]
# What several values come to, each with its weight, which is mostly how long it held.
Weighted = tuple[float, float]
FULL_CIRCLE = 360.0


class Arithmetic:
    """How values are calculated with: on a line, like temperatures, unless a subclass
    says otherwise."""

    # How a page draws a value.
    drawn: Drawn = "line"
    # Whether a value holds until the next one, however long that takes.
    holds = False
    # Whether one value is higher than another.
    ordered = True
    # Whether a value is so for a while; not so for what only happens.
    lasts = True

    def parts(self, value: float) -> tuple[float, ...]:
        """The numbers that stand for a value where it is averaged: each part has a mean
        of its own."""
        return (value,)

    def whole(self, parts: Sequence[float]) -> float | None:
        """The value that means of parts stand for; None where they cancel out."""
        return parts[0]

    def mean(self, weighted: Iterable[Weighted]) -> float | None:
        """The weighted mean; None where nothing has a weight, or directions cancel
        out."""
        pairs = list(weighted)
        total = sum([weight for _, weight in pairs])
        return sum([value * weight for value, weight in pairs]) / total if total else None

    def difference(self, value: float, other: float) -> float:
        """By how much a value is more than another."""
        return value - other

    def extent(self, ranges: Iterable[tuple[float, float]]) -> tuple[float, float]:
        """The narrowest range that has all of these ranges in it."""
        lows, highs = zip(*ranges, strict=True)
        return min(lows), max(highs)

    def spread(self, values: Sequence[float]) -> float:
        """How wide the narrowest range is that has all of these values in it."""
        low, high = self.extent((value, value) for value in values)
        return high - low

    def between(self, value: float, low: float, high: float) -> bool:
        """Whether a value lies in a range; its ends do."""
        return low <= value <= high

    def settled(self, value: float) -> float:
        """The one of all ways to write a value in which it is kept."""
        return value


class States(Arithmetic):
    """Two states, 0 and 1: a mean is the part of the time that the second one had."""

    drawn: Drawn = "states"
    holds = True


class Choices(States):
    """States that are numbered and have no order: the mean is the one that had most of
    the time."""

    ordered = False

    def mean(self, weighted: Iterable[Weighted]) -> float | None:
        held: dict[float, float] = {}
        for value, weight in weighted:
            held[value] = held.get(value, 0.0) + weight
        return max(held, key=held.__getitem__) if any(held.values()) else None


class Moments(Choices):
    """What happens and does not last: nothing of it is averaged."""

    drawn: Drawn = "marks"
    holds = False
    lasts = False


class Circle(Arithmetic):
    """Directions in degrees, clockwise: 350 and 10 lie 20 apart, and their mean is 0.

    A range goes clockwise from its first end to its second, so it may have north in
    it: 350 to 10. Means are those of unit vectors (Mardia and Jupp, "Directional
    Statistics", 2.2), the way in which wind directions are averaged.
    """

    drawn: Drawn = "needle"
    ordered = False
    # Of unit vectors that cancel out, this much is left by rounding.
    NOTHING = 1e-9

    def parts(self, value: float) -> tuple[float, ...]:
        angle = math.radians(value)
        return math.cos(angle), math.sin(angle)

    def mean(self, weighted: Iterable[Weighted]) -> float | None:
        pairs = list(weighted)
        if not any(weight for _, weight in pairs):
            return None
        parts = zip(*(self.parts(value) for value, _ in pairs), strict=True)
        weights = [weight for _, weight in pairs]
        total = sum(weights)
        return self.whole([sum(map(operator.mul, part, weights)) / total for part in parts])

    def whole(self, parts: Sequence[float]) -> float | None:
        north, east = parts
        if math.hypot(north, east) < self.NOTHING:
            return None
        return self.settled(math.degrees(math.atan2(east, north)))

    def difference(self, value: float, other: float) -> float:
        """From -180 (not included) to 180, clockwise."""
        turned = (value - other) % FULL_CIRCLE
        return turned - FULL_CIRCLE if turned > FULL_CIRCLE / 2 else turned

    def extent(self, ranges: Iterable[tuple[float, float]]) -> tuple[float, float]:
        ordered = sorted((self.settled(low), (high - low) % FULL_CIRCLE) for low, high in ranges)
        begin = ordered[0][0]
        # A range that goes over north covers the beginning of the circle, too.
        over = max(start + length for start, length in ordered) - FULL_CIRCLE
        reached = max(begin + ordered[0][1], over)
        widest, low, high = 0.0, 0.0, math.nextafter(FULL_CIRCLE, 0.0)
        # The widest gap is what the range leaves out; the last one goes over north.
        for start, length in (*ordered[1:], (begin + FULL_CIRCLE, 0.0)):
            if start - reached > widest:
                widest, high = start - reached, self.settled(reached)
                low = start if start < FULL_CIRCLE else begin
            reached = max(reached, start + length)
        return low, high

    def spread(self, values: Sequence[float]) -> float:
        low, high = self.extent((value, value) for value in values)
        return (high - low) % FULL_CIRCLE

    def between(self, value: float, low: float, high: float) -> bool:
        return (value - low) % FULL_CIRCLE <= (high - low) % FULL_CIRCLE

    def settled(self, value: float) -> float:
        """From 0 to 360 (not included)."""
        # Of the smallest negative number, the remainder is rounded to a whole turn.
        return value % FULL_CIRCLE % FULL_CIRCLE


LINE, STATES, CIRCLE = Arithmetic(), States(), Circle()
CHOICES, MOMENTS = Choices(), Moments()
