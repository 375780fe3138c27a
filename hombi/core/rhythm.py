"""How often something is heard, and for how long it may go unheard before it counts as
silent.

What is learned are gaps: the distances between one reading and the next. A gap counts
by its length, so that the question is how long the gap is in which a moment of the day
usually falls. Ten readings within a minute, then none for an hour, are one hour and one
minute: a burst teaches nothing.
"""

from __future__ import annotations

import math
from typing import Any

DAY_MS = 86_400_000
# What is remembered fades: a week counts at most.
MEMORY_MS = 7 * DAY_MS
SILENT_AFTER_GAPS = 3
SILENT_AT_LEAST_MS = 60_000
# Nothing is known before so many gaps over so long a time: what is sent each 5 s while
# somebody has a shower may be sent each hour at night.
GAPS_TO_KNOW = 5
KNOWN_AFTER_MS = DAY_MS
# So much of the time may be in longer gaps than the longest usual one.
LONGER = 0.02
# What is sent by a clock has gaps of about one length for so much of the time.
ABOUT = 0.7
MANY, SELDOM = 1_000, 16
BINS = 40  # of gaps in powers of two, from 1 ms to 35 years


class Rhythm:
    """The gaps of the last days, in bins by powers of two: how long they are in all,
    and how many."""

    __slots__ = (
        "_counts",
        "_fresh",
        "_longest_ms",
        "_regular",
        "_top",
        "_weights",
        "gaps",
        "span_ms",
    )

    def __init__(self) -> None:
        self._weights, self._counts = [0.0] * BINS, [0.0] * BINS
        self.span_ms, self.gaps, self._top = 0.0, 0, -1
        self._longest_ms, self._regular, self._fresh = 0.0, False, True

    @property
    def known(self) -> bool:
        """Whether enough was heard to say anything."""
        return self.gaps >= GAPS_TO_KNOW and self.span_ms >= KNOWN_AFTER_MS

    @property
    def regular(self) -> bool:
        """Whether most gaps are about as long as one another: it is sent by a clock.
        What is sent when it changes has gaps of all lengths."""
        self._work_out()
        return self._regular

    @property
    def patience_ms(self) -> float:
        """How long it may go unheard; 0 while that is not known."""
        longest_ms = self.longest_ms
        if not longest_ms:
            return 0.0
        least = SILENT_AT_LEAST_MS if self._regular else DAY_MS
        return max(least, SILENT_AFTER_GAPS * longest_ms)

    @property
    def longest_ms(self) -> float:
        """The longest usual gap; 0 while that is not known."""
        self._work_out()
        return self._longest_ms

    @property
    def so_far_ms(self) -> float:
        """Three times the longest gap that was heard, whether that is usual or not; 0
        before the first. Until more is known, a value holds for so long."""
        place = max((n for n, weight in enumerate(self._weights) if weight), default=-1)
        if place < 0:
            return 0.0
        return SILENT_AFTER_GAPS * self._weights[place] / self._counts[place]

    def learn(self, gap_ms: float) -> None:
        """One more reading came, this long after the one before."""
        if self.known:
            # It was away: that is not its rhythm, unless it comes again and again.
            gap_ms = min(gap_ms, SILENT_AFTER_GAPS * self.patience_ms)
        place = min(BINS - 1, int(gap_ms).bit_length())
        self._weights[place] += gap_ms
        self._counts[place] += 1.0
        self.gaps += 1
        self.span_ms += gap_ms
        # One more usual gap changes next to nothing: it is worked out now and then.
        if place > self._top or self.gaps % SELDOM == 0 or self.gaps < MANY:
            self._fresh = False
        if self.span_ms > 2 * MEMORY_MS:
            self._weights = [weight / 2 for weight in self._weights]
            self._counts = [count / 2 for count in self._counts]
            self.span_ms /= 2

    def copy(self) -> Rhythm:
        """The same, that learns by itself from now on."""
        return Rhythm.of(self.kept())

    def kept(self) -> dict[str, Any]:
        """It as plain data, to go on from after a restart."""
        bins = [
            [place, round(weight), round(count, 3)]
            for place, (weight, count) in enumerate(zip(self._weights, self._counts, strict=True))
            if weight
        ]
        return {"bins": bins, "gaps": self.gaps}

    @classmethod
    def of(cls, kept: dict[str, Any]) -> Rhythm:
        """The rhythm that was kept."""
        rhythm = cls()
        for place, weight, count in kept.get("bins", ()):
            rhythm._weights[int(place)] = float(weight)
            rhythm._counts[int(place)] = float(count)
        rhythm.span_ms, rhythm.gaps = sum(rhythm._weights), int(kept.get("gaps", 0))
        rhythm._fresh = False
        return rhythm

    def _work_out(self) -> None:
        if self._fresh:
            return
        self._fresh = True
        if not self.known:
            self._longest_ms, self._regular = 0.0, False
            return
        longest = self._top = self._place(1.0 - LONGER)
        self._longest_ms = self._weights[longest] / self._counts[longest]
        beside = (1.0 - ABOUT) / 2
        self._regular = self._place(1.0 - beside) - self._place(beside) <= 1

    def _place(self, share: float) -> int:
        """The bin below whose end this share of the time is."""
        wanted, seen = share * self.span_ms, 0.0
        for place, weight in enumerate(self._weights):
            seen += weight
            if weight and seen >= wanted:
                return place
        return max(place for place, weight in enumerate(self._weights) if weight)


# As long as its node is heard: by itself, a value that is sent when it changes is never
# silent.
WITH_ITS_NODE = math.inf


def alone_ms(rhythm: Rhythm, agreed_ms: float, *, learns: bool) -> float:
    """How long a value may go unheard before it counts as silent by itself: 0 while
    that is not known, `WITH_ITS_NODE` for one that is sent when it changes. `learns`
    says whether the gaps between its readings say anything: a state is sent when it
    changes, and what can be set when somebody sets it."""
    if agreed_ms:
        promised = 2 * agreed_ms + SILENT_AT_LEAST_MS  # one report may be lost
        return max(promised, SILENT_AFTER_GAPS * rhythm.longest_ms) if learns else promised
    if not learns:
        return WITH_ITS_NODE
    return WITH_ITS_NODE if rhythm.known and not rhythm.regular else rhythm.patience_ms
