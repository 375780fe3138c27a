"""The course of a value that runs on: the readings that it makes of those of its
source, live and over the past by the same rule."""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Sequence

from hombi.core.quality import Quality
from hombi.core.series.reading import Reading
from hombi.core.series.running import MARK_MS, Known, Rhythm, Running

# So much of the past says how often its source is usually heard.
RHYTHM_MS = 6 * 3_600_000


class Course:
    """It makes a reading where its value changes, and at each mark (a whole five
    minutes), for as long as its source says something. A source that `holds`, as states
    do, says the same until it says otherwise."""

    def __init__(self, machine: Running, *, holds: bool) -> None:
        self._machine, self._holds = machine, holds
        self._rhythm = Rhythm()
        self._quality = Quality.INPUT_MISSING
        self._made: Reading | None = None
        # The latest reading of its source; what came before it is known.
        self.last_ms = 0

    @property
    def warm_ms(self) -> int:
        """How much of its source's past it must know to go on."""
        return max(self._machine.warm_ms, RHYTHM_MS)

    def resume(self, own: Sequence[Reading], before: Sequence[Reading]) -> None:
        """Go on from its own latest readings, and what its source was until then, both
        oldest first."""
        self._made = own[-1]
        known: list[Known] = []
        for reading in before:
            if known and not self._rhythm.holds(reading.at_ms):
                # A gap: the reading before it held until the last mark that it had.
                last_ms = known[-1][0]
                holds_until_ms = min(last_ms + int(self._rhythm.hold_ms), reading.at_ms - 1)
                mark_ms = holds_until_ms // MARK_MS * MARK_MS
                known.append((max(last_ms, mark_ms), None))
            known.append((reading.at_ms, reading.value if reading.usable else None))
            self._rhythm.heard(reading.at_ms)
        self._machine.resume([(reading.at_ms, reading.value) for reading in own], known)
        # Its latest reading may be of a mark, until which the last of these held.
        self._machine.at(own[-1].at_ms)
        if before:
            self.last_ms = before[-1].at_ms
            self._quality = _quality(before[-1])

    def hear(self, reading: Reading) -> Reading | None:
        """A reading of its source; what follows from it."""
        at_ms = reading.at_ms
        if at_ms <= self.last_ms:
            return None
        self.last_ms = at_ms
        gap = not self._rhythm.holds(at_ms)
        self._machine.take(at_ms, reading.value if reading.usable else None, gap=gap)
        self._rhythm.heard(at_ms)
        self._quality = _quality(reading)
        return self._at(at_ms, self._quality)

    def mark(self, at_ms: int, *, heard: bool = True) -> Reading | None:
        """Its reading at a mark; `heard` says whether its source still is."""
        if self._made is not None and self._made.at_ms >= at_ms:
            return None  # it has been said
        if not self._holds and not self._rhythm.holds(at_ms):
            return None
        return self._at(at_ms, self._quality if heard else Quality.INPUT_MISSING)

    def _at(self, at_ms: int, quality: Quality) -> Reading | None:
        value, before = self._machine.at(at_ms), self._made
        if value is None:
            return None
        if before is not None:
            if (value, quality) == (before.value, before.quality) and at_ms % MARK_MS:
                return None
            # Two of one moment would be one.
            at_ms = max(at_ms, before.at_ms + 1)
        self._made = Reading(at_ms, 0, None, value, quality)
        return self._made


def made_by(course: Course, readings: Sequence[Reading], marks: Iterable[int]) -> list[Reading]:
    """What follows from some readings and marks, in their order."""
    heard = ((one.at_ms, 0, one) for one in readings)
    marked = ((at, 1, None) for at in marks)
    result = []
    for at_ms, _, reading in heapq.merge(heard, marked, key=lambda one: one[:2]):
        result.append(course.mark(at_ms) if reading is None else course.hear(reading))
    return [one for one in result if one is not None]


def marks_in(start_ms: int, end_ms: int) -> range:
    """The marks of a span."""
    return range(-(-start_ms // MARK_MS) * MARK_MS, end_ms, MARK_MS)


def _quality(source: Reading) -> Quality:
    return source.quality if source.usable else Quality.INPUT_MISSING
