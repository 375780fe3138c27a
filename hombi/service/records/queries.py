"""The queries that the API asks. Series are read as plain tuples, never as model
objects."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Avg, Count, F, IntegerField, Max, Min, QuerySet
from django.db.models.functions import Cast

from hombi.core.quality import Quality
from hombi.service.records.models import Delivery, JournalEntry, Reading


@dataclass(frozen=True, slots=True)
class Point:
    """What the readings in one bucket of time come to, the bad ones left out."""

    at_ms: int
    mean: float
    low: float
    high: float
    count: int


def series(entity_id: int, from_ms: int, to_ms: int, points: int) -> tuple[list[Point], int]:
    """An entity's history from `from_ms` up to `to_ms` (excluded) as at most `points`
    buckets, and the bucket's width in ms.

    A stretch without good readings has no point.
    """
    width = max(1, -(-(to_ms - from_ms) // points))
    bucket = Cast((F("at_ms") - from_ms) / width, IntegerField())
    rows = (
        Reading.objects.filter(
            entity_id=entity_id, at_ms__gte=from_ms, at_ms__lt=to_ms, quality__lt=Quality.STUCK
        )
        .annotate(bucket=bucket)
        .values("bucket")
        .annotate(mean=Avg("value"), low=Min("value"), high=Max("value"), count=Count("at_ms"))
        .order_by("bucket")
        .values_list("bucket", "mean", "low", "high", "count")
    )
    return [
        Point(from_ms + number * width + width // 2, mean, low, high, count)
        for number, mean, low, high, count in rows
    ], width


def row(
    entity_id: int, from_ms: int, to_ms: int
) -> tuple[float | None, float | None, float | None, int]:
    """Mean, lowest and highest of the good readings from `from_ms` up to `to_ms`
    (excluded), None without any, and their count."""
    found = Reading.objects.filter(
        entity_id=entity_id, at_ms__gte=from_ms, at_ms__lt=to_ms, quality__lt=Quality.STUCK
    )
    numbers = found.aggregate(
        mean=Avg("value"), low=Min("value"), high=Max("value"), count=Count("at_ms")
    )
    return numbers["mean"], numbers["low"], numbers["high"], numbers["count"]


def readings(
    entity_id: int, from_ms: int, to_ms: int, limit: int
) -> list[tuple[int, float, float, int]]:
    """Single readings as (time, raw value, value, quality), oldest first, `limit` at
    most."""
    found = Reading.objects.filter(
        entity_id=entity_id, at_ms__gte=from_ms, at_ms__lt=to_ms
    ).order_by("at_ms")
    return list(found.values_list("at_ms", "raw", "value", "quality")[:limit])


def journal(
    *,
    before: int | None = None,
    after: int | None = None,
    since_ms: int | None = None,
    event: str = "",
    node: str = "",
    automation: str = "",
) -> QuerySet[JournalEntry]:
    """Entries, newest first: those with an id below `before` and above `after`, of one
    event, node or automation."""
    found = JournalEntry.objects.order_by("-id")
    if before is not None:
        found = found.filter(id__lt=before)
    if after is not None:
        found = found.filter(id__gt=after)
    if since_ms is not None:
        found = found.filter(at_ms__gte=since_ms)
    for field, value in (("event", event), ("node", node), ("automation", automation)):
        if value:
            found = found.filter(**{field: value})
    return found


def deliveries() -> QuerySet[Delivery]:
    """Notices and what became of them, newest first."""
    return Delivery.objects.select_related("notice", "phone").order_by("-id")
