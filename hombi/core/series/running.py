"""Values that run on: each follows from all that came before, not from one moment.

Live and over the past they are given the same readings and asked at the same moments,
so they come to the same. Times are ms since 1970.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from datetime import datetime, tzinfo
from statistics import median
from typing import Literal, Protocol

from hombi.core.arithmetic import LINE, Arithmetic
from hombi.core.house_time import calendar_span, moment_ms
from hombi.core.series.rollup import (
    GAPS_TO_KNOW,
    HOLDS_AT_LEAST_MS,
    HOLDS_INTERVALS,
    HOLDS_UNKNOWN_MS,
    HOUR_MS,
)

# When what moves by itself is looked at, between readings: at each whole five minutes.
MARK_MS = 300_000
Period = Literal["hour", "day", "week", "month", "year"]
PERIODS: tuple[Period, ...] = ("hour", "day", "week", "month", "year")
GAPS = 15


# A moment, and the value then; None for none.
Known = tuple[int, float | None]


class Rhythm:
    """How long a reading holds when no other follows, from the distances at which the
    latest ones came (facts: a silence of three usual intervals is a gap)."""

    def __init__(self) -> None:
        self._last_ms: int | None = None
        self._gaps: deque[int] = deque(maxlen=GAPS)

    def heard(self, at_ms: int) -> None:
        """A reading came."""
        if self._last_ms is not None:
            self._gaps.append(at_ms - self._last_ms)
        self._last_ms = at_ms

    @property
    def hold_ms(self) -> float:
        """So long."""
        if len(self._gaps) < GAPS_TO_KNOW:
            return HOLDS_UNKNOWN_MS
        return max(HOLDS_AT_LEAST_MS, HOLDS_INTERVALS * median(self._gaps))

    def holds(self, at_ms: int) -> bool:
        """Whether the latest reading still says something at a moment."""
        return self._last_ms is not None and at_ms - self._last_ms <= self.hold_ms


class Running(Protocol):
    """A value that runs on with the readings of one source."""

    @property
    def warm_ms(self) -> int:
        """How much of its source's past it must know to go on."""

    def resume(self, own: Sequence[Known], before: Sequence[Known]) -> None:
        """Go on from its own latest values, the last of them above all, and from what
        its source was until then, both oldest first."""

    def take(self, at_ms: int, value: float | None, *, gap: bool = False) -> None:
        """A reading of its source, None for a bad one; times never go back. `gap` says
        that the one before did not hold until now."""

    def at(self, at_ms: int) -> float | None:
        """Its value at a moment after all that was taken; None where there is none."""


def _last(before: Sequence[Known]) -> float | None:
    return before[-1][1] if before else None


class Hysteresis:
    """One of two states: on once the value is over `on`, off once it is under `off`.
    With `on` under `off` it is the other way round. A state lasts for `least_on_ms` or
    `least_off_ms` at least."""

    # A first state is taken to have lasted for long.
    LONG_MS = 10 * 24 * HOUR_MS

    def __init__(self, on: float, off: float, least_on_ms: float, least_off_ms: float) -> None:
        self._sign = 1 if on >= off else -1
        self._on, self._off = self._sign * on, self._sign * off
        self._least = (least_off_ms, least_on_ms)
        self.warm_ms = round(max(self._least))
        self._state: bool | None = None
        self._since_ms = 0
        self._value: float | None = None

    def resume(self, own: Sequence[Known], before: Sequence[Known]) -> None:
        states = [(at_ms, value >= 0.5) for at_ms, value in own if value is not None]
        for at_ms, state in states:
            if state != self._state:
                known = self._state is not None
                self._state, self._since_ms = state, at_ms if known else at_ms - self.LONG_MS
        self._value = _last(before)

    def take(self, at_ms: int, value: float | None, *, gap: bool = False) -> None:
        self._settle(at_ms)
        self._value = value
        self._settle(at_ms)

    def at(self, at_ms: int) -> float | None:
        self._settle(at_ms)
        return None if self._state is None else float(self._state)

    def _settle(self, at_ms: int) -> None:
        if self._value is None:
            return
        value = self._sign * self._value
        if self._state is None:
            self._state, self._since_ms = value > self._on, at_ms - self.LONG_MS
            return
        wanted = value > self._on if not self._state else not value < self._off
        if wanted != self._state and at_ms - self._since_ms >= self._least[self._state]:
            self._state, self._since_ms = wanted, at_ms


class ChangeOver:
    """By how much the value changed within the last `window_ms`; none before so much
    is known."""

    def __init__(self, window_ms: float, arithmetic: Arithmetic = LINE) -> None:
        if window_ms <= 0:
            raise ValueError("the window must be longer than nothing")
        self._window_ms, self._arithmetic = window_ms, arithmetic
        self.warm_ms = round(2 * window_ms)
        self._come: deque[tuple[int, float]] = deque()

    def resume(self, own: Sequence[Known], before: Sequence[Known]) -> None:
        for at_ms, value in before:
            self.take(at_ms, value)

    def take(self, at_ms: int, value: float | None, *, gap: bool = False) -> None:
        if value is None:
            return
        self._come.append((at_ms, value))
        before = at_ms - self._window_ms
        while len(self._come) > 1 and self._come[1][0] <= before:
            self._come.popleft()

    def at(self, at_ms: int) -> float | None:
        if not self._come:
            return None
        first_ms, first = self._come[0]
        # A gap longer than the window says nothing of its beginning.
        if not self._window_ms <= self._come[-1][0] - first_ms <= 2 * self._window_ms:
            return None
        return self._arithmetic.difference(self._come[-1][1], first)


class Integral:
    """The sum over time, by the trapezoid: power becomes energy. `per_ms` is what one
    of the source's unit makes in a millisecond. Nothing is added over a gap."""

    warm_ms = 0

    def __init__(self, per_ms: float) -> None:
        self._per_ms = per_ms
        self._sum = 0.0
        self._last: tuple[int, float] | None = None

    def resume(self, own: Sequence[Known], before: Sequence[Known]) -> None:
        self._sum = own[-1][1] or 0.0
        if before:
            self.take(*before[-1])

    def take(self, at_ms: int, value: float | None, *, gap: bool = False) -> None:
        if value is None:
            self._last = None
            return
        if self._last is not None and not gap:
            before_ms, before = self._last
            self._sum += (before + value) / 2 * (at_ms - before_ms) * self._per_ms
        self._last = (at_ms, value)

    def at(self, at_ms: int) -> float | None:
        return self._sum


class MovingMean:
    """The mean of the last `window_ms`, each value weighted by how long it held; none
    while less than half of it is known."""

    def __init__(self, window_ms: float, arithmetic: Arithmetic = LINE) -> None:
        if window_ms <= 0:
            raise ValueError("the window must be longer than nothing")
        self._window_ms, self._arithmetic = window_ms, arithmetic
        self.warm_ms = round(window_ms)
        self._held: deque[tuple[int, int, float]] = deque()  # from when until when
        # The sums of the parts of its values, each by how long it held.
        self._sums = [0.0 for _ in arithmetic.parts(0.0)]
        self._known_ms = 0.0
        self._last: tuple[int, float] | None = None

    def resume(self, own: Sequence[Known], before: Sequence[Known]) -> None:
        for at_ms, value in before:
            self.take(at_ms, value)

    def take(self, at_ms: int, value: float | None, *, gap: bool = False) -> None:
        if gap:
            self._last = None
        self._go_to(at_ms)
        self._last = None if value is None else (at_ms, value)

    def at(self, at_ms: int) -> float | None:
        self._go_to(at_ms)
        if 2 * self._known_ms < self._window_ms:
            return None
        return self._arithmetic.whole([part / self._known_ms for part in self._sums])

    def _go_to(self, at_ms: int) -> None:
        if self._last is not None and at_ms > self._last[0]:
            since_ms, value = self._last
            self._add((since_ms, at_ms, value), 1)
            self._held.append((since_ms, at_ms, value))
            self._last = (at_ms, value)
        begin = round(at_ms - self._window_ms)
        while self._held and self._held[0][0] < begin:
            first_ms, until_ms, value = self._held.popleft()
            self._add((first_ms, min(until_ms, begin), value), -1)
            if until_ms > begin:
                self._held.appendleft((begin, until_ms, value))

    def _add(self, piece: tuple[int, int, float], sign: int) -> None:
        since_ms, until_ms, value = piece
        ms = sign * (until_ms - since_ms)
        self._known_ms += ms
        for place, part in enumerate(self._arithmetic.parts(value)):
            self._sums[place] += part * ms


class Counter:
    """A total that goes on where its counter begins anew: after its highest number
    (`size` of them, 0 for none), or from nothing after a restart."""

    warm_ms = 0
    # It was that near to its end, and is that near to its beginning.
    NEAR = 0.25

    def __init__(self, size: float) -> None:
        if size < 0:
            raise ValueError("the size is less than nothing")
        self._size = size
        self._sum: float | None = None
        self._last: float | None = None

    def resume(self, own: Sequence[Known], before: Sequence[Known]) -> None:
        self._sum = own[-1][1]
        self._last = _last([one for one in before if one[1] is not None])

    def take(self, at_ms: int, value: float | None, *, gap: bool = False) -> None:
        if value is None:
            return
        before, self._last = self._last, value
        if self._sum is None or before is None:
            self._sum = value if self._sum is None else self._sum
        elif value >= before:
            self._sum += value - before
        elif before > (1 - self.NEAR) * self._size > 0 and value < self.NEAR * self._size:
            self._sum += value + self._size - before
        else:
            self._sum += max(0.0, value)

    def at(self, at_ms: int) -> float | None:
        return self._sum


class TimeSince:
    """How many seconds ago a state began: the second one ("on"), the first one ("off"),
    or either ("change")."""

    warm_ms = 0

    def __init__(self, event: str) -> None:
        self._event = event
        self._state: bool | None = None
        self._began_ms: int | None = None

    def resume(self, own: Sequence[Known], before: Sequence[Known]) -> None:
        at_ms, value = own[-1]
        self._began_ms = None if value is None else at_ms - round(value * 1000)
        last = _last(before)
        self._state = None if last is None else last >= 0.5

    def take(self, at_ms: int, value: float | None, *, gap: bool = False) -> None:
        if value is None:
            return
        state = value >= 0.5
        counts = self._event == "change" or state == (self._event == "on")
        if counts and self._state is not None and state != self._state:
            self._began_ms = at_ms
        self._state = state

    def at(self, at_ms: int) -> float | None:
        return None if self._began_ms is None else max(0.0, (at_ms - self._began_ms) / 1000)


class Tally:
    """What happened since the calendar's hour, day, week, month or year began, by the
    house's clock: how often a state began ("starts"), for how many seconds it lasted
    ("time"), or by how much a counter rose ("amount"; a fall is a restart from
    nothing)."""

    warm_ms = 0

    def __init__(self, what: str, per: Period, zone: tzinfo) -> None:
        self._what, self._per, self._zone = what, per, zone
        # When the period ends, and until when all is counted.
        self._end_ms = self._at_ms = 0
        self._count = 0.0
        self._source: float | None = None
        self._known = False

    def resume(self, own: Sequence[Known], before: Sequence[Known]) -> None:
        at_ms, value = own[-1]
        self._go_to(at_ms)
        self._count, self._source, self._known = value or 0.0, _last(before), True

    def take(self, at_ms: int, value: float | None, *, gap: bool = False) -> None:
        self._go_to(at_ms)
        before, self._known = self._source, True
        if value is None:
            if self._what == "time":
                self._source = None  # as in all sums, a bad reading ends what held
            return
        self._source = value
        if before is None:
            return
        if self._what == "starts":
            self._count += value >= 0.5 > before
        elif self._what == "amount":
            self._count += value - before if value >= before else max(0.0, value)

    def at(self, at_ms: int) -> float | None:
        self._go_to(at_ms)
        return self._count if self._known else None

    def _go_to(self, at_ms: int) -> None:
        at_ms = max(at_ms, self._at_ms)
        if at_ms >= self._end_ms:
            # What is still on is on since the new period began.
            self._at_ms, self._end_ms = period_of(at_ms, self._per, self._zone)
            self._count = 0.0
        if self._on:
            self._count += (at_ms - self._at_ms) / 1000
        self._at_ms = at_ms

    @property
    def _on(self) -> bool:
        return self._what == "time" and self._source is not None and self._source >= 0.5


def period_of(at_ms: int, per: Period, zone: tzinfo) -> tuple[int, int]:
    """The calendar's hour, day, week, month or year that holds a moment, by the house's
    clock, from when until when."""
    wall = datetime.fromtimestamp(at_ms / 1000, zone)
    if per == "hour":
        offset = round((wall.utcoffset() or wall - wall).total_seconds() * 1000)
        start = (at_ms + offset) // HOUR_MS * HOUR_MS - offset
        return start, start + HOUR_MS
    first, after = calendar_span(wall.date(), per)
    return moment_ms(first, 0, zone), moment_ms(after, 0, zone)
