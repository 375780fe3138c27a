"""The history port on the ORM. Series are read as plain tuples, never as model
objects."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Sequence
from functools import partial, reduce
from itertools import groupby
from typing import Any, NamedTuple

from django.db import OperationalError, connection, transaction
from django.db.models import F, Max, Q, QuerySet, Window
from django.db.models.functions import Lag
from msgspec.structs import astuple

from hombi.core.arithmetic import Arithmetic
from hombi.core.quality import Quality
from hombi.core.series import DAY_MS, FIVE_MINUTES_MS, HOUR_MS, Channel, Reading, Rollup
from hombi.core.series.past import Past
from hombi.core.series.rollup import (
    bucket_ms,
    hold_ms,
    holding,
    narrow_enough,
    roll,
    together,
)
from hombi.core.series.standing import Stood, standing
from hombi.core.series.statistics import Held
from hombi.hub.readings.port import Numbers, Point, Row
from hombi.service.bridge import written
from hombi.service.records import models as m
from hombi.service.records import queries
from hombi.service.records.newest.readings import Newest

# From this length on, numbers are made of hours.
MONTHS_MS = 40 * 86_400_000
MOST_HELD = 200_000
# Readings from which buckets are made at once: a week of one each second is too many.
AT_ONCE = 20_000
FORGOTTEN_AT_ONCE = 5_000
ROLLUP = Rollup.__struct_fields__
# Looked up: to make one of its number takes ten times as long.
QUALITIES = {int(one): one for one in Quality}
READING = ("at_ms", "channel", "sent", "value", "quality")


def reading_of(row: tuple[Any, ...]) -> Reading:
    """A reading as it was stored: without a sample of its own, that is its value."""
    at_ms, channel, sent, value, quality = row
    return Reading(at_ms, channel, value if sent is None else sent, value, QUALITIES[quality])


class DatabaseHistory:
    """`hombi.hub.readings.port.HistoryPort`. With `newest`, readings are safe there
    first, and taken over many at a time: when somebody looks for them, and by
    `settle`."""

    def __init__(self, newest: Newest | None = None) -> None:
        self._newest = newest

    def begin_channel(self, entity: int, channel: Channel) -> None:
        if not m.Entity.objects.filter(pk=entity).exists():
            return  # it was taken out while its readings were on their way
        m.Channel.objects.get_or_create(
            entity_id=entity,
            number=channel.number,
            defaults={
                "kind": channel.kind.name,
                "unit": channel.unit,
                "since_ms": channel.since_ms,
                "file": channel.file,
            },
        )
        if not channel.file:
            m.Entity.objects.filter(pk=entity).update(channel=channel.number)

    def store(self, rows: Sequence[Row]) -> None:
        newest = self._newest
        if newest is None:
            self._insert(rows)
            return
        # What is stored with something else is committed with it.
        alone = not connection.in_atomic_block
        if alone and newest.add(rows):
            return
        with transaction.atomic(savepoint=False):
            # There is no room for more, or one is there already: that is the one that
            # stays.
            if alone or newest.has_any(rows):
                self.settle()
            self._insert(rows)

    def settle(self) -> None:
        newest = self._newest
        if newest is None:
            return
        with transaction.atomic(), connection.cursor() as cursor:
            (taken,) = cursor.execute("PRAGMA user_version").fetchone()
            if not newest.round:
                newest.open(taken)
            # It was taken over before in this transaction, perhaps, and readings of it
            # were deleted since.
            if taken < newest.round and (rows := newest.rows()):
                self._insert(rows)
                cursor.execute(f"PRAGMA user_version = {newest.round:d}")
                transaction.on_commit(partial(newest.begin, newest.round))

    def lost(self) -> str:
        return "" if self._newest is None else self._newest.lost

    def _of(
        self, entity: int, start_ms: float = -math.inf, end_ms: float = math.inf
    ) -> QuerySet[m.Reading]:
        """The readings of an entity in a span, those that came a moment ago among them.
        Whatever looks for readings, or changes them, does it through this."""
        self._in_place(entity, end_ms)
        result = m.Reading.objects.filter(entity_id=entity)
        if start_ms > -math.inf:
            result = result.filter(at_ms__gte=start_ms)
        return result if end_ms == math.inf else result.filter(at_ms__lt=end_ms)

    def _good(self, past: Past, start_ms: int, end_ms: int) -> QuerySet[m.Reading]:
        good = self._of(past.entity, start_ms, end_ms).filter(quality__lt=Quality.STUCK)
        return good.filter(channel__in=past.channels)

    def _in_place(self, entity: int, end_ms: float) -> None:
        """Have what there is of an entity from before a moment in its table."""
        if self._newest is not None and self._newest.holds(entity, end_ms):
            # With a full disk, what is there can be looked at all the same; the writer
            # says what is wrong. What is about to be changed is not left half seen.
            changes = connection.in_atomic_block
            with contextlib.nullcontext() if changes else contextlib.suppress(OperationalError):
                written(self.settle)

    def _insert(self, rows: Sequence[Row]) -> None:
        if not rows:
            return
        # A node may have been taken out with its history while its last readings were
        # on their way.
        numbers = {row[0] for row in rows}
        with transaction.atomic(savepoint=False), connection.cursor() as cursor:
            stored = m.Entity.objects.filter(pk__in=numbers)
            known = set(stored.values_list("pk", flat=True))
            if len(known) < len(numbers):
                rows = [row for row in rows if row[0] in known]
            # A sample that is its value takes no place.
            made = [(*row[:3], None if row[3] == row[4] else row[3], *row[4:]) for row in rows]
            cursor.executemany(queries.STORE, made)

    def series(
        self, entities: Sequence[Past], start_ms: int, end_ms: int, points: int
    ) -> tuple[list[list[Point]], int]:
        width = bucket_ms(end_ms - start_ms, points)
        return [self._series(past, start_ms, end_ms, width) for past in entities], width

    def _series(self, past: Past, start_ms: int, end_ms: int, width: int) -> list[Point]:
        base, split = self._rolled(past.entity, start_ms, end_ms, narrow_enough(width))
        buckets = _of_rollups(past, base, (start_ms, split), start_ms, width)
        for number, result in self._of_readings(past, (split, end_ms), start_ms, width).items():
            before = buckets.get(number)
            if before is not None:
                buckets[number] = before.and_(result, past.arithmetic)
            elif result.number:
                buckets[number] = result
        middle = start_ms + width // 2
        return [
            Point(middle + at * width, bucket.mean, bucket.low, bucket.high, bucket.number)
            for at, bucket in sorted(buckets.items())
        ]

    def _of_readings(
        self, past: Past, piece: tuple[int, int], start_ms: int, width: int
    ) -> dict[int, _Bucket]:
        """The buckets that the good readings in a piece come to, and those in which one
        from before still held."""
        begin, end = piece
        result: dict[int, _Bucket] = {}
        known = self.before(past.entity, begin) if begin < end else None
        while begin < end:
            readings = self.single(past.entity, begin, end, AT_ONCE)
            # What comes after the last of these decides for how long it holds.
            until = readings[-1].at_ms if len(readings) == AT_ONCE else end
            first = (begin - start_ms) // width
            bounds = [
                begin,
                *range(start_ms + (first + 1) * width, until, width),
                max(until, begin + 1),
            ]
            heard = readings if known is None else [known, *readings]
            hold = hold_ms(heard, past.arithmetic)
            for rollup in roll(heard, bounds, hold, past.arithmetic):
                if rollup.channel in past.channels:
                    number = (rollup.start_ms - start_ms) // width
                    bucket, before = _Bucket.of(rollup), result.get(number)
                    result[number] = (
                        bucket if before is None else before.and_(bucket, past.arithmetic)
                    )
            known = readings[-2] if until < end else known
            begin = until
        return result

    def _rolled(self, entity: int, start_ms: int, end_ms: int, base: int) -> tuple[int, int]:
        """(width, until when) the rollups of which make up the first part of a span;
        the rest is made of readings. Without a width, that part is the one whose
        readings were forgotten."""
        if base:
            return base, min(end_ms, max(start_ms, self.rolled_until(entity)))
        first = self.first_at(entity, start_ms)
        kept_from = (end_ms if first is None else min(first, end_ms)) // HOUR_MS * HOUR_MS
        return FIVE_MINUTES_MS, max(start_ms, kept_from)

    def numbers(self, past: Past, start_ms: int, end_ms: int) -> Numbers:
        span = max(1, end_ms - start_ms)
        base, split = self._rolled(past.entity, start_ms, end_ms, _base_of_numbers(span))
        edge = min(split, -(-start_ms // base) * base)
        last = max(edge, split // base * base)
        buckets = [
            *self._of_readings(past, (start_ms, edge), start_ms, span).values(),
            *_of_rollups(past, base, (edge, last), start_ms, span).values(),
            *self._of_readings(past, (last, end_ms), start_ms, span).values(),
        ]
        if not any(bucket.number for bucket in buckets):
            return Numbers(None, None, None, 0)
        result = reduce(lambda one, other: one.and_(other, past.arithmetic), buckets)
        return Numbers(result.mean, result.low, result.high, result.number)

    def held(self, past: Past, start_ms: int, end_ms: int) -> list[Held]:
        base, split = self._rolled(
            past.entity, start_ms, end_ms, _base_of_held(end_ms - start_ms, past.arithmetic)
        )
        rows = _rollups(past.entity, base, start_ms, split).filter(channel__in=past.channels)
        result: list[Held] = list(rows.values_list("mean", "held_ms"))
        if split >= end_ms:
            return result
        before = self.before(past.entity, split)
        readings = [
            *([before] if before else []),
            *self.single(past.entity, split, end_ms, MOST_HELD),
        ]
        hold = hold_ms(readings, past.arithmetic)
        for reading, value, until in holding(readings, end_ms, hold):
            if reading.channel in past.channels and until > split:
                result.append((value, until - max(split, reading.at_ms)))
        return result

    def stood(self, past: Past, start_ms: int, end_ms: int, *, days: bool) -> list[Stood]:
        stoods: list[Stood] = []
        at = start_ms
        for base in (DAY_MS, HOUR_MS) if days else (HOUR_MS,):
            rows = _rollups(past.entity, base, at, end_ms).filter(channel__in=past.channels)
            some = list(rows.order_by("start_ms").values_list("start_ms", "mean", "held_ms"))
            if base == DAY_MS and some:
                # When its last day ends is not told; its hours do.
                at = some.pop()[0]
            elif some:
                at = some[-1][0] + base
            # A day has 23 hours at least: so long, it does not reach into the next.
            length = HOUR_MS if base == HOUR_MS else 23 * HOUR_MS
            stoods += [
                Stood(start, start + length, mean * held, held) for start, mean, held in some
            ]
        before = self.before(past.entity, at)
        readings = [*([before] if before else []), *self.single(past.entity, at, end_ms, MOST_HELD)]
        return [*stoods, *standing(readings, past.channels, at, end_ms)]

    def changes(
        self, past: Past, start_ms: int, end_ms: int, limit: int
    ) -> list[tuple[int, float]]:
        known = self._good(past, 0, start_ms).exclude(value=None)
        first = known.order_by("-at_ms").values_list("value", flat=True)[:1]
        within = self._good(past, start_ms, end_ms).exclude(value=None)
        before = Window(Lag("value"), order_by="at_ms")
        other = Q(before=None) | ~Q(before=F("value"))
        changed = within.annotate(before=before).filter(other)
        rows = changed.order_by("at_ms").values_list("at_ms", "value")[: limit + 1]
        result: list[tuple[int, float]] = []
        for at_ms, value in (*((start_ms, one) for one in first), *rows):
            if value is not None and (not result or result[-1][1] != value):
                result.append((at_ms, value))
        return result[:limit]

    def doubts(
        self, past: Past, start_ms: int, end_ms: int, limit: int
    ) -> list[tuple[int, Quality]]:
        rows = self._of(past.entity, start_ms, end_ms).filter(
            channel__in=past.channels, quality__gt=Quality.GOOD
        )
        result = rows.order_by("at_ms").values_list("at_ms", "quality")[:limit]
        return [(at_ms, Quality(quality)) for at_ms, quality in result]

    def single(self, entity: int, start_ms: int, end_ms: int, limit: int) -> list[Reading]:
        self._in_place(entity, end_ms)
        with connection.cursor() as cursor:
            rows = cursor.execute(queries.SINGLE, (entity, start_ms, end_ms, limit)).fetchall()
        return [
            Reading(at_ms, channel, value if sent is None else sent, value, QUALITIES[quality])
            for at_ms, channel, sent, value, quality in rows
        ]

    def rewrite(self, entity: int, before: Sequence[Reading], after: Sequence[Reading]) -> None:
        rows = [
            # What was sent is kept apart only where it is another value.
            (
                None if old.sent == new.value else old.sent,
                new.value,
                int(new.quality),
                entity,
                old.at_ms,
            )
            for old, new in zip(before, after, strict=True)
            if new.value != old.value or new.quality is not old.quality
        ]
        # One statement for all: as model objects, a past takes eight times as long.
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.executemany(queries.REWRITE, rows)

    def replace(self, entity: int, start_ms: int, end_ms: int, rows: Sequence[Row]) -> None:
        with transaction.atomic():
            self._of(entity, start_ms, end_ms).delete()
            self.store(rows)

    def shift(
        self, entity: int, start_ms: int, end_ms: int, by_ms: int, at_once: int = 2_000
    ) -> list[int]:
        with transaction.atomic():
            some = self._of(entity, start_ms, end_ms).order_by("-at_ms")
            last = some.values_list(*READING)[:at_once]
            readings = [reading_of(row) for row in reversed(last)]
            if not readings:
                return []
            times = [reading.at_ms for reading in readings]
            self._of(entity, times[0], times[-1] + 1).delete()
            after = self._of(entity, times[0] + by_ms, times[-1] + by_ms + len(times) + 1)
            taken = set(after.values_list("at_ms", flat=True))
            rows: list[Row] = []
            for reading in readings:
                at_ms = reading.at_ms + by_ms
                while at_ms in taken:
                    at_ms += 1
                taken.add(at_ms)
                rows.append(
                    (
                        entity,
                        at_ms,
                        reading.channel,
                        reading.sent,
                        reading.value,
                        int(reading.quality),
                    )
                )
            self._insert(rows)
        return times

    def forget(self, entity: int, before_ms: int, at_most: int = 1_000) -> int:
        with transaction.atomic():
            all_of_it = self._of(entity)
            latest = all_of_it.aggregate(at=Max("at_ms"))["at"]
            if latest is None:
                return 0
            oldest = all_of_it.filter(at_ms__lt=min(before_ms, latest))
            times = list(oldest.order_by("at_ms").values_list("at_ms", flat=True)[:at_most])
            if times:
                # One stretch of the table: the oldest lie together.
                oldest.filter(at_ms__lte=times[-1]).delete()
        return len(times)

    def among(self, entity: int, times: Sequence[int]) -> set[int]:
        rows = self._of(entity).filter(at_ms__in=times)
        return set(rows.values_list("at_ms", flat=True))

    def forget_some(self, entity: int, channel: int, from_ms: int) -> tuple[list[int], int | None]:
        with transaction.atomic():
            rows = self._of(entity, from_ms).filter(channel=channel)
            times = list(rows.order_by("at_ms").values_list("at_ms", flat=True)[:FORGOTTEN_AT_ONCE])
            if times:
                rows.filter(at_ms__lte=times[-1]).delete()
        hours = sorted({time // HOUR_MS * HOUR_MS for time in times})
        return hours, times[-1] + 1 if len(times) == FORGOTTEN_AT_ONCE else None

    def forget_channel(self, entity: int, channel: int) -> None:
        with transaction.atomic():
            m.Rollup.objects.filter(entity_id=entity, channel=channel).delete()
            m.Channel.objects.filter(entity_id=entity, number=channel).delete()

    def before(self, entity: int, at_ms: int) -> Reading | None:
        rows = self._of(entity, end_ms=at_ms)
        row = rows.order_by("-at_ms").values_list(*READING).first()
        return None if row is None else reading_of(row)

    def since(self, past: Past, latest: Reading, from_ms: int) -> int:
        readings = self._of(past.entity, from_ms, latest.at_ms + 1)
        known = readings.filter(channel__in=past.channels).values_list("at_ms", flat=True)
        others = known.filter(~Q(value=latest.value) | Q(value=None))
        other = others.order_by("-at_ms").first()
        if other is not None:
            return known.filter(at_ms__gt=other).order_by("at_ms").first() or latest.at_ms
        if self.before(past.entity, from_ms) is not None:
            return 0
        return known.order_by("at_ms").first() or latest.at_ms

    def first_at(self, entity: int, from_ms: int) -> int | None:
        rows = self._of(entity, from_ms)
        return rows.order_by("at_ms").values_list("at_ms", flat=True).first()

    def put_rollups(
        self, entity: int, width_ms: int, start_ms: int, end_ms: int, rollups: Sequence[Rollup]
    ) -> None:
        if not m.Entity.objects.filter(pk=entity).exists():
            return
        rows = [(entity, width_ms, *astuple(rollup)) for rollup in rollups]
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute(queries.FORGET_ROLLUPS, (entity, width_ms, start_ms, end_ms))
            cursor.executemany(queries.PUT_ROLLUP, rows)

    def rollups(self, entity: int, width_ms: int, start_ms: int, end_ms: int) -> list[Rollup]:
        with connection.cursor() as cursor:
            span = (entity, width_ms, start_ms, end_ms)
            rows = cursor.execute(queries.ROLLUPS, span).fetchall()
        return [Rollup(*row) for row in rows]

    def heard(self, entity: int, start_ms: int, end_ms: int) -> list[int]:
        rows = _rollups(entity, FIVE_MINUTES_MS, start_ms, end_ms).filter(count__gt=0)
        return list(rows.order_by("start_ms").values_list("start_ms", flat=True).distinct())

    def rolled_until(self, entity: int) -> int:
        rows = m.Rollup.objects.filter(entity_id=entity, width_ms=HOUR_MS)
        last = rows.order_by("-start_ms").values_list("start_ms", flat=True).first()
        return 0 if last is None else last + HOUR_MS

    def mark_stale(self, hours: Sequence[tuple[int, int]]) -> None:
        known = set(
            m.Entity.objects.filter(pk__in={entity for entity, _ in hours}).values_list(
                "pk", flat=True
            )
        )
        rows = [m.Stale(entity_id=one, start_ms=at) for one, at in hours if one in known]
        m.Stale.objects.bulk_create(rows, ignore_conflicts=True)

    def stale(self, limit: int) -> list[tuple[int, int]]:
        rows = m.Stale.objects.order_by("entity_id", "start_ms")
        return list(rows.values_list("entity_id", "start_ms")[:limit])

    def forget_stale(self, hours: Sequence[tuple[int, int]]) -> None:
        for entity, some in groupby(sorted(hours), lambda one: one[0]):
            times = [at_ms for _, at_ms in some]
            m.Stale.objects.filter(entity_id=entity, start_ms__in=times).delete()


class _Bucket(NamedTuple):
    """What one bucket comes to, while it is put together. `weight` is for how long its
    values held; where none held for any time, 1 for each."""

    mean: float
    low: float
    high: float
    number: int
    weight: float

    @classmethod
    def of(cls, rollup: Rollup) -> _Bucket:
        """A bucket of one rollup."""
        weight = rollup.held_ms or 1
        return cls(rollup.mean, rollup.low, rollup.high, rollup.count, weight)

    def and_(self, other: _Bucket, arithmetic: Arithmetic) -> _Bucket:
        """Both as one."""
        mean = arithmetic.mean((bucket.mean, bucket.weight) for bucket in (self, other))
        return _Bucket(
            other.mean if mean is None else mean,
            *arithmetic.extent((bucket.low, bucket.high) for bucket in (self, other)),
            self.number + other.number,
            self.weight + other.weight,
        )


def _base_of_numbers(span_ms: int) -> int:
    """The rollups that numbers over a span are made of."""
    if span_ms < 2 * HOUR_MS:
        return 0
    return FIVE_MINUTES_MS if span_ms < MONTHS_MS else HOUR_MS


def _base_of_held(span_ms: int, arithmetic: Arithmetic) -> int:
    """The rollups that how long a value held is taken from: none up to a day."""
    if span_ms <= 30 * HOUR_MS:
        return 0
    return HOUR_MS if arithmetic.holds or span_ms >= MONTHS_MS else FIVE_MINUTES_MS


def _of_rollups(
    past: Past, base: int, piece: tuple[int, int], start_ms: int, width: int
) -> dict[int, _Bucket]:
    """The buckets that rollups come to; each falls into that of its middle."""
    if piece[0] >= piece[1]:
        return {}
    half = base // 2
    span = (past.entity, base, piece[0] - half, piece[1] - half, *past.channels)
    if past.arithmetic.ordered:
        with connection.cursor() as cursor:
            text = queries.BUCKETS.format(_places(past.channels))
            rows = cursor.execute(text, (start_ms - half, width, *span)).fetchall()
        return {number: _Bucket(*numbers) for number, *numbers in rows}
    rollups = _rollups(past.entity, base, *span[2:4]).filter(channel__in=past.channels)
    some = [Rollup(*row) for row in rollups.order_by("start_ms").values_list(*ROLLUP)]
    result = {}
    for number, of_bucket in groupby(
        some, lambda rollup: (rollup.start_ms + half - start_ms) // width
    ):
        parts = list(of_bucket)
        count, weight = (
            sum(getattr(part, name) for part in parts) for name in ("count", "held_ms")
        )
        result[number] = _Bucket(*together(parts, past.arithmetic), count, weight or 1)
    return result


def _places(values: Sequence[int]) -> str:
    return ", ".join(["%s"] * len(values))


def _rollups(entity: int, width_ms: int, start_ms: int, end_ms: int) -> QuerySet[m.Rollup]:
    return m.Rollup.objects.filter(
        entity_id=entity, width_ms=width_ms, start_ms__gte=start_ms, start_ms__lt=end_ms
    )
