"""The history port: samples and readings, rollups, and changing the past."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

import msgspec

from hombi.core.quality import Quality
from hombi.core.series import Channel, Reading, Rollup
from hombi.core.series.past import Past
from hombi.core.series.standing import Stood
from hombi.core.series.statistics import Held

# (entity id, time in ms since 1970, channel, sample, value, quality); None for no value
Row = tuple[int, int, int, float | None, float | None, int]


class Point(msgspec.Struct, frozen=True):
    """What the readings in one bucket of time come to, the bad ones left out."""

    at_ms: int
    mean: float
    low: float
    high: float
    count: int


class Numbers(msgspec.Struct, frozen=True):
    """What the readings of a stretch of time come to; None where there are none."""

    mean: float | None
    low: float | None
    high: float | None
    count: int


class HistoryPort(Protocol):
    """What entities were sent, and what was made of it.

    Times are ms since 1970; a span has its start in it and its end not.
    """

    def begin_channel(self, entity: int, channel: Channel) -> None:
        """Store a channel; one that is there already is left as it is."""

    def store(self, rows: Sequence[Row]) -> None:
        """Have readings safe; one that is there already is left as it is, one of an
        entity that is gone is left out."""

    def settle(self) -> None:
        """Put all readings into their place that a crash kept from it, or that are only
        safe so far: it is done now and then, and before they are looked for."""

    def lost(self) -> str:
        """What of the newest readings could not be read at the start, in words; "" for
        nothing."""

    def series(
        self, entities: Sequence[Past], start_ms: int, end_ms: int, points: int
    ) -> tuple[list[list[Point]], int]:
        """The histories of entities as at most `points` buckets each, with means by
        time, and a bucket's width in ms. A stretch without good readings has no point.

        Where there are rollups that are narrow enough, or no readings any more, points
        come from those."""

    def numbers(self, past: Past, start_ms: int, end_ms: int) -> Numbers:
        """What the good readings of a span come to."""

    def held(self, past: Past, start_ms: int, end_ms: int) -> list[Held]:
        """The values of a span with how long each held, in no order; means of rollups
        where there are many readings."""

    def changes(
        self, past: Past, start_ms: int, end_ms: int, limit: int
    ) -> list[tuple[int, float]]:
        """When the good readings of a span became another value: (time, value), oldest
        first, `limit` at most. The first says what was so at the start, if that is
        known."""

    def stood(self, past: Past, start_ms: int, end_ms: int, *, days: bool) -> list[Stood]:
        """How a value with two states stood, also where its readings are forgotten:
        pieces that follow one another, oldest first. They are a day long at most, or an
        hour without `days`, but for the last, which is how it stands now."""

    def doubts(
        self, past: Past, start_ms: int, end_ms: int, limit: int
    ) -> list[tuple[int, Quality]]:
        """The readings of a span that are not good: (time, quality), oldest first,
        `limit` at most."""

    def single(self, entity: int, start_ms: int, end_ms: int, limit: int) -> list[Reading]:
        """Single readings of all channels, oldest first, `limit` at most."""

    def rewrite(self, entity: int, before: Sequence[Reading], after: Sequence[Reading]) -> None:
        """Put other values and qualities in the place of these readings of an entity,
        in one transaction. Times, channels and samples stay, whatever `after` says.

        Raises ValueError where there are more or fewer of them.
        """

    def replace(self, entity: int, start_ms: int, end_ms: int, rows: Sequence[Row]) -> None:
        """Store these rows in the place of all readings of an entity in a span, in one
        transaction. For what is computed: nothing that a node sent is replaced."""

    def shift(
        self, entity: int, start_ms: int, end_ms: int, by_ms: int, at_once: int = 2_000
    ) -> list[int]:
        """Date the last `at_once` readings of a span by so much later; when they were
        until then, oldest first. A time that is taken is left to what has it: the next
        one is theirs."""

    def forget(self, entity: int, before_ms: int, at_most: int = 1_000) -> int:
        """Delete the oldest readings of an entity from before a moment, in one small
        transaction; how many those were. Its latest reading stays: it says how the
        entity is."""

    def among(self, entity: int, times: Sequence[int]) -> set[int]:
        """Those of these moments, 10,000 at most, at which it has a reading."""

    def forget_some(self, entity: int, channel: int, from_ms: int) -> tuple[list[int], int | None]:
        """Delete some readings of a channel from a moment on: the hours, by when they
        begin, in which they were, and from when to go on (None: that was all)."""

    def forget_channel(self, entity: int, channel: int) -> None:
        """Delete a channel that has no readings any more, with its rollups."""

    def before(self, entity: int, at_ms: int) -> Reading | None:
        """The last reading from before a moment, whatever its channel and quality."""

    def since(self, past: Past, latest: Reading, from_ms: int) -> int:
        """Since when it has had the value of its latest reading; 0 when that was before
        a moment already."""

    def first_at(self, entity: int, from_ms: int) -> int | None:
        """When the first reading from a moment on was."""

    def put_rollups(
        self, entity: int, width_ms: int, start_ms: int, end_ms: int, rollups: Sequence[Rollup]
    ) -> None:
        """Store these rollups of a width in the place of all that begin in a span."""

    def rollups(self, entity: int, width_ms: int, start_ms: int, end_ms: int) -> list[Rollup]:
        """The rollups of a width that begin in a span, oldest first."""

    def heard(self, entity: int, start_ms: int, end_ms: int) -> list[int]:
        """When the five minutes of a span begin in which readings came, oldest first;
        of those that are rolled up."""

    def rolled_until(self, entity: int) -> int:
        """Until when there are rollups of hours; 0 where there are none."""

    def mark_stale(self, hours: Sequence[tuple[int, int]]) -> None:
        """Note that rollups are to be made again: (entity, when an hour begins)."""

    def stale(self, limit: int) -> list[tuple[int, int]]:
        """Some of the hours that are marked, by entity, oldest first."""

    def forget_stale(self, hours: Sequence[tuple[int, int]]) -> None:
        """These hours are in order again."""
