"""Entities: their latest readings, their history, and commands."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.core.house_time import MOST_ROWS, ROWS_MS, bounds, rows_of
from hombi.core.units import conversion
from hombi.hub.actuation import command_data
from hombi.hub.errors import Invalid
from hombi.hub.house import Entity, Reading
from hombi.service.api.shapes import (
    CommandShape,
    EntityShape,
    LimitShape,
    Shape,
    checked,
    entity_data,
    limit_data,
)
from hombi.service.bridge import call, hub
from hombi.service.records import queries

SPANS_MS = {"hour": 3_600_000, "day": 86_400_000, "week": 7 * 86_400_000, "month": 30 * 86_400_000}
MAX_POINTS = 2_000
# The year 3000: a calendar has days only so far.
LATEST_MS = 32_503_680_000_000
PAGE = 1_000


class WatcherShape(LimitShape):
    """An automation's limit on an entity."""

    automation = s.CharField()
    name = s.CharField()


class EntityDetailShape(EntityShape):
    """An entity with the automations that look at it."""

    watchers = WatcherShape(many=True)
    converted = s.BooleanField(
        help_text="whether the node's unit is another than the "
        "kind's, and not only called differently"
    )


class HistoryShape(Shape):
    """An entity's history: five columns of the same length, and the width of a bucket.
    Bad readings are left out."""

    entity = s.CharField()
    unit = s.CharField(allow_blank=True)
    start = s.IntegerField(help_text="ms")
    end = s.IntegerField(help_text="ms")
    width_ms = s.IntegerField()
    at = s.ListField(child=s.IntegerField(), help_text="the middle of each bucket, ms")
    mean = s.ListField(child=s.FloatField())
    low = s.ListField(child=s.FloatField())
    high = s.ListField(child=s.FloatField())
    count = s.ListField(child=s.IntegerField())


class RowShape(Shape):
    """What the readings of a stretch of house time come to, the bad ones left out; null
    where there are none."""

    start = s.IntegerField(help_text="ms")
    end = s.IntegerField(help_text="ms; excluded")
    mean = s.FloatField(allow_null=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    count = s.IntegerField()


class ReadingShape(Shape):
    """One reading."""

    at = s.IntegerField()
    raw = s.FloatField(allow_null=True)
    value = s.FloatField(allow_null=True)
    quality = s.CharField()
    reason = s.CharField(allow_blank=True)


class ReadingsShape(Shape):
    """A page of readings; `next` is the `start` of the next page, null on the last
    one."""

    readings = ReadingShape(many=True)
    next = s.IntegerField(allow_null=True)


class EntityChange(Shape):
    """What to change of an entity."""

    title = s.CharField(max_length=60, required=False)
    hidden = s.BooleanField(required=False)


class CommandRequest(Shape):
    """The value wanted, as people write it: "on", "40 %"."""

    to = s.CharField()


def whole_number(request: Request, name: str, otherwise: int) -> int:
    """A query parameter as a whole number. Raises Invalid."""
    text = request.query_params.get(name)
    if text is None or text == "":
        return otherwise
    try:
        number = int(text)
    except ValueError as error:
        raise Invalid(f"{name}={text} is no whole number") from error
    if not 0 <= number < 2**53:
        raise Invalid(f"{name}={text} is out of range")
    return number


def _span(request: Request) -> tuple[int, int]:
    """From `span` (ending now), or from `start` and `end` in ms."""
    span, now = request.query_params.get("span", "day"), hub().clock.now_ms()
    if span not in SPANS_MS:
        raise Invalid(f"span={span} is not known; use {', '.join(SPANS_MS)}")
    end = whole_number(request, "end", now)
    start = whole_number(request, "start", max(0, end - SPANS_MS[span]))
    if start >= end:
        raise Invalid("start must come before end")
    if end > LATEST_MS:
        raise Invalid(f"end={end} is out of range; it is ms since 1970")
    return start, end


_SPAN_PARAMETERS = [
    OpenApiParameter("span", str, enum=list(SPANS_MS), default="day"),
    OpenApiParameter("start", int, description="ms; instead of span"),
    OpenApiParameter("end", int, description="ms; now unless given"),
]


class EntitiesView(APIView):
    """All entities."""

    @extend_schema(
        parameters=[OpenApiParameter(name, str) for name in ("room", "node", "kind")],
        responses=EntityShape(many=True),
    )
    def get(self, request: Request) -> Response:
        """All entities, or those of a room, a node, a kind."""
        wanted = {
            name: request.query_params[name]
            for name in ("room", "node", "kind")
            if name in request.query_params
        }
        if "room" in wanted:
            hub().house.room(wanted["room"])
        if "node" in wanted:
            hub().house.node(wanted["node"])
        found = (entity_data(e) for _, e in sorted(hub().house.entities.items()))
        return Response(
            [e for e in found if all(e[name] == value for name, value in wanted.items())]
        )


class EntityView(APIView):
    """One entity."""

    @extend_schema(responses=EntityDetailShape)
    def get(self, request: Request, node: str, name: str) -> Response:
        """The entity, and the automations that look at it."""
        entity = hub().house.entity(f"{node}/{name}")
        watchers: list[dict[str, Any]] = []
        for slug, runner in list(hub().engine.runners.items()):
            automation = runner.automation
            if (
                automation is not None
                and runner.record.enabled
                and automation.watch.entity == entity.address
            ):
                watchers.append(
                    {"automation": slug, "name": automation.name, **limit_data(automation)}
                )
        unit = entity.kind.unit
        converted = bool(unit) and conversion(entity.wire_unit, unit) != (1.0, 0.0)
        return Response({**entity_data(entity), "watchers": watchers, "converted": converted})

    @extend_schema(request=EntityChange, responses=EntityShape)
    def patch(self, request: Request, node: str, name: str) -> Response:
        """Rename it (its address stays), hide it or show it."""
        given = checked(request, EntityChange)
        entity = call(
            hub().foreign.change_entity(f"{node}/{name}", given.get("title"), given.get("hidden"))
        )
        return Response(entity_data(entity))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, node: str, name: str) -> Response:
        """Take one that was picked from messages away, with its history."""
        call(hub().foreign.remove_entity(f"{node}/{name}"))
        return Response(status=204)


class HistoryView(APIView):
    """An entity's history for a chart."""

    @extend_schema(
        parameters=[*_SPAN_PARAMETERS, OpenApiParameter("points", int, default=600)],
        responses=HistoryShape,
    )
    def get(self, request: Request, node: str, name: str) -> Response:
        """At most `points` buckets with their mean, lowest and highest value."""
        entity = hub().house.entity(f"{node}/{name}")
        start, end = _span(request)
        points = whole_number(request, "points", 600)
        if not 1 <= points <= MAX_POINTS:
            raise Invalid(f"points must be 1 to {MAX_POINTS}")
        found, width = queries.series(entity.id, start, end, points)
        return Response(
            {
                "entity": entity.address,
                "unit": entity.kind.unit,
                "start": start,
                "end": end,
                "width_ms": width,
                "at": [p.at_ms for p in found],
                "mean": [p.mean for p in found],
                "low": [p.low for p in found],
                "high": [p.high for p in found],
                "count": [p.count for p in found],
            }
        )


class RowsView(APIView):
    """An entity's history for a table."""

    @extend_schema(
        parameters=[
            *_SPAN_PARAMETERS,
            OpenApiParameter(
                "rows", str, enum=list(ROWS_MS), description="by the span unless given"
            ),
        ],
        responses=RowShape(many=True),
    )
    def get(self, request: Request, node: str, name: str) -> Response:
        """Rows of five minutes, hours or days as the house's clock shows them; one
        without readings is there and empty."""
        entity = hub().house.entity(f"{node}/{name}")
        start, end = _span(request)
        rows = request.query_params.get("rows") or rows_of(end - start)
        if rows not in ROWS_MS:
            raise Invalid(f"rows={rows} is not known; use {', '.join(ROWS_MS)}")
        if (end - start) / ROWS_MS[rows] > MOST_ROWS:
            raise Invalid(
                f"that is more than {MOST_ROWS} rows; ask for a shorter span, or for rows=days"
            )
        parted = pairwise(bounds(start, end, rows, hub().config.zone))
        # What was asked for bounds the first row and the last: they hold no readings
        # from outside.
        found = [(a, b, *queries.row(entity.id, max(a, start), min(b, end))) for a, b in parted]
        return Response(
            [
                dict(zip(("start", "end", "mean", "low", "high", "count"), row, strict=True))
                for row in found
            ]
        )


class ReadingsView(APIView):
    """An entity's single readings."""

    @extend_schema(parameters=_SPAN_PARAMETERS, responses=ReadingsShape)
    def get(self, request: Request, node: str, name: str) -> Response:
        """Single readings, oldest first, a thousand a page; the bad ones too."""
        entity: Entity = hub().house.entity(f"{node}/{name}")
        start, end = _span(request)
        rows = queries.readings(entity.id, start, end, PAGE)
        readings = [
            {
                "at": at,
                "raw": (reading := Reading.of(at, raw, value, q)).known_raw,
                "value": reading.known_value,
                "quality": reading.quality.level,
                "reason": reading.quality.reason,
            }
            for at, raw, value, q in rows
        ]
        return Response(
            {"readings": readings, "next": rows[-1][0] + 1 if len(rows) == PAGE else None}
        )


class CommandView(APIView):
    """Commands to an entity."""

    @extend_schema(request=CommandRequest, responses=CommandShape)
    def post(self, request: Request, node: str, name: str) -> Response:
        """Ask the entity to take a value, and wait until its node confirms it or time
        is up. The answer's `state` says which."""
        given = checked(request, CommandRequest)
        entity, value = hub().actuation.check(f"{node}/{name}", given["to"])
        return Response(
            command_data(call(hub().actuation.command(entity, value, request.user.username)))
        )
