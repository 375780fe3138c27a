"""The history port on the ORM. Series are read as plain tuples, never as model
objects."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict
from itertools import starmap
from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import Avg, Count, F, IntegerField, Max, Min, Q, QuerySet, Window
from django.db.models.functions import Cast, Lag

from hombi.core.quality import Quality
from hombi.core.series import Channel, Reading
from hombi.hub.ports import Numbers, Point, Rollup, Row
from hombi.service.records import models as m

READING = ("at_ms", "channel", "sent", "value", "quality")
_NUMBERS = {
    "mean": Avg("value"),
    "least": Min("value"),
    "most": Max("value"),
    "number": Count("value"),
}


def reading_of(row: tuple[Any, ...]) -> Reading:
    """A reading as it was stored."""
    at_ms, channel, sent, value, quality = row
    return Reading(at_ms, channel, sent, value, Quality(quality))


class DatabaseHistory:
    """`hombi.hub.ports.HistoryPort`."""

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
            },
        )
        m.Entity.objects.filter(pk=entity).update(channel=channel.number)

    def store(self, rows: Sequence[Row]) -> None:
        try:
            self._insert(rows)
        except IntegrityError:
            # A node was taken out with its history while its last readings were on
            # their way.
            known = set(m.Entity.objects.values_list("pk", flat=True))
            self._insert([row for row in rows if row[0] in known])

    def _insert(self, rows: Sequence[Row]) -> None:
        if not rows:
            return
        with transaction.atomic():
            # A row has the order of the table's columns: filled by name, a reading
            # takes twice as long to make.
            made = starmap(m.Reading, rows)
            m.Reading.objects.bulk_create(made, ignore_conflicts=True, batch_size=len(rows))

    def series(
        self, entities: Sequence[tuple[int, Sequence[int]]], start_ms: int, end_ms: int, points: int
    ) -> tuple[list[list[Point]], int]:
        width = max(1, -(-(end_ms - start_ms) // points))
        return [self._series(*one, start_ms, end_ms, width) for one in entities], width

    def _series(
        self, entity: int, channels: Sequence[int], start_ms: int, end_ms: int, width: int
    ) -> list[Point]:
        bucket = Cast((F("at_ms") - start_ms) / width, IntegerField())
        rows = (
            _good(entity, channels, start_ms, end_ms)
            .annotate(bucket=bucket)
            .values("bucket")
            .annotate(**_NUMBERS)
            .order_by("bucket")
            .values_list("bucket", *_NUMBERS)
        )
        middle = start_ms + width // 2
        return [Point(middle + number * width, *numbers) for number, *numbers in rows]

    def numbers(self, entity: int, channels: Sequence[int], start_ms: int, end_ms: int) -> Numbers:
        found = _good(entity, channels, start_ms, end_ms).aggregate(**_NUMBERS)
        return Numbers(found["mean"], found["least"], found["most"], found["number"])

    def changes(
        self, entity: int, channels: Sequence[int], start_ms: int, end_ms: int, limit: int
    ) -> list[tuple[int, float]]:
        known = _good(entity, channels, 0, start_ms).exclude(value=None)
        first = known.order_by("-at_ms").values_list("value", flat=True)[:1]
        within = _good(entity, channels, start_ms, end_ms).exclude(value=None)
        before = Window(Lag("value"), order_by="at_ms")
        other = Q(before=None) | ~Q(before=F("value"))
        changed = within.annotate(before=before).filter(other)
        rows = changed.order_by("at_ms").values_list("at_ms", "value")[: limit + 1]
        found: list[tuple[int, float]] = []
        for at_ms, value in (*((start_ms, one) for one in first), *rows):
            if value is not None and (not found or found[-1][1] != value):
                found.append((at_ms, value))
        return found[:limit]

    def single(self, entity: int, start_ms: int, end_ms: int, limit: int) -> list[Reading]:
        rows = _of(entity, start_ms, end_ms).order_by("at_ms").values_list(*READING)
        return [reading_of(row) for row in rows[:limit]]

    def rewrite(
        self,
        entity: int,
        start_ms: int,
        end_ms: int,
        make: Callable[[Sequence[Reading]], Sequence[Reading]],
        at_once: int = 1_000,
    ) -> int | None:
        with transaction.atomic():
            before = self.single(entity, start_ms, end_ms, at_once)
            rows = [
                m.Reading(
                    entity_id=entity,
                    at_ms=old.at_ms,
                    channel=old.channel,
                    sent=old.sent,
                    value=new.value,
                    quality=new.quality,
                )
                for old, new in zip(before, make(before), strict=True)
            ]
            m.Reading.objects.bulk_create(
                rows,
                update_conflicts=True,
                unique_fields=["entity_id", "at_ms"],
                update_fields=["value", "quality"],
            )
        return before[-1].at_ms + 1 if len(before) == at_once else None

    def forget(self, entity: int, before_ms: int, at_most: int = 1_000) -> int:
        with transaction.atomic():
            oldest = m.Reading.objects.filter(entity_id=entity, at_ms__lt=before_ms)
            times = list(oldest.order_by("at_ms").values_list("at_ms", flat=True)[:at_most])
            if times:
                # One stretch of the table: the oldest lie together.
                oldest.filter(at_ms__lte=times[-1]).delete()
        return len(times)

    def write_rollups(self, rollups: Sequence[Rollup]) -> None:
        known = set(
            m.Entity.objects.filter(pk__in={one.entity for one in rollups}).values_list(
                "pk", flat=True
            )
        )
        rows = []
        for one in rollups:
            if one.entity in known:
                values = asdict(one)
                rows.append(m.Rollup(entity_id=values.pop("entity"), **values))
        m.Rollup.objects.bulk_create(
            rows,
            update_conflicts=True,
            unique_fields=["entity_id", "width_ms", "start_ms"],
            update_fields=["count", "low", "mean", "high", "last", "on_ms"],
        )

    def rollups(self, entity: int, width_ms: int, start_ms: int, end_ms: int) -> list[Rollup]:
        rows = m.Rollup.objects.filter(
            entity_id=entity, width_ms=width_ms, start_ms__gte=start_ms, start_ms__lt=end_ms
        ).order_by("start_ms")
        names = ("entity_id", "width_ms", "start_ms", "count", "low", "mean", "high", "last")
        return [Rollup(*row) for row in rows.values_list(*names, "on_ms")]


def _of(entity: int, start_ms: int, end_ms: int) -> QuerySet[m.Reading]:
    return m.Reading.objects.filter(entity_id=entity, at_ms__gte=start_ms, at_ms__lt=end_ms)


def _good(entity: int, channels: Sequence[int], start_ms: int, end_ms: int) -> QuerySet[m.Reading]:
    good = _of(entity, start_ms, end_ms).filter(quality__lt=Quality.STUCK)
    return good.filter(channel__in=channels)
