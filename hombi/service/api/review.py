"""The look back, as an answer and as a table for other programs."""

from __future__ import annotations

import csv
import io
from datetime import date, datetime

from django.http import HttpResponse
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.house_time import calendar_span, looked_back_at, moment_ms
from hombi.core.kinds import Kind
from hombi.hub.errors import Invalid
from hombi.hub.hub import Hub
from hombi.hub.past.review import Line, Subject, reviewed, subjects
from hombi.service.api.entities import LATEST_MS
from hombi.service.api.schema import Query, operation
from hombi.service.api.views import View
from hombi.service.bridge import hub, read
from hombi.wire.review import (
    BatteryTrend,
    BeyondLimit,
    Finding,
    HourOfDay,
    NodeSilence,
    Review,
    ReviewedEntity,
    ReviewedKind,
)

SPANS = ("month", "week")
_WHICH = [
    Query("span", str, enum=list(SPANS), default="month"),
    Query(
        "on",
        str,
        description="a day in it, as 2026-11-27; today, or the last whole one while "
        "this one has only begun, unless given",
    ),
]


class ReviewView(View):
    """The rooms side by side."""

    @operation(gives=Review, parameters=_WHICH)
    def get(self, request: Request) -> Response:
        """A month or a week of the calendar: each kind's usual day by room, what stands
        out, hours beyond limits, silences and batteries."""
        return Response(review_of(request))


class ReviewTableView(View):
    """The rooms side by side, for a spreadsheet."""

    @operation(name="review_table", gives=None, parameters=_WHICH)
    def get(self, request: Request) -> HttpResponse:
        """The same as CSV: for each entity a row of the whole span, then one for each
        hour of the day."""
        review = review_of(request)
        text = io.StringIO()
        csv.writer(text).writerows(review.rows())
        response = HttpResponse(text.getvalue(), content_type="text/csv; charset=utf-8")
        name = f"review-{review.span}-{review.first}.csv"
        response["Content-Disposition"] = f'attachment; filename="{name}"'
        return response


def review_of(request: Request) -> Review:
    """The review that a request asks for. Raises Invalid."""
    span = request.query_params.get("span", "month")
    if span not in SPANS:
        raise Invalid(f"span={span} is not known; use {' or '.join(SPANS)}")
    text = request.query_params.get("on", "").strip()
    if text:
        return _review(span, text)
    zone, now = hub().config.zone, hub().context.clock.now_ms()
    today = datetime.fromtimestamp(now / 1000, zone).date()
    if (meant := looked_back_at(today, span)) != today:
        before = _review(span, meant.isoformat())
        if before.kinds:  # the house was there already
            return before
    return _review(span, today.isoformat())


def _review(span: str, text: str) -> Review:
    zone, now = hub().config.zone, hub().context.clock.now_ms()
    try:
        on = date.fromisoformat(text)
        first, after = calendar_span(on, span)
        start, end = moment_ms(first, 0, zone), moment_ms(after, 0, zone)
    except (ValueError, OverflowError) as error:
        raise Invalid(f"on={text[:40]} is not a day; write it like 2026-11-27") from error
    if start > now:
        raise Invalid(f"on={text} is still to come")
    if not 0 <= start < LATEST_MS:
        raise Invalid(f"on={text} is before there was anything to look back at")
    end = min(end, now)
    result = reviewed(
        hub().context.records.history,
        read(_subjects),
        (start, max(end, start + 1)),
        zone,
        hub().config.units,
    )
    return Review(
        span=span,
        first=first.isoformat(),
        start=start,
        end=end,
        findings=[Finding(entity=finding.entity, text=finding.text) for finding in result.findings],
        kinds=[
            ReviewedKind(
                kind=kind.name,
                title=kind.shown,
                unit=kind.as_seen.unit,
                decimals=kind.as_seen.decimals,
                entities=[_entity(line, kind) for line in lines],
            )
            for kind, lines in result.kinds
        ],
        silences=[
            NodeSilence(
                node=subject.node,
                title=subject.node_title,
                start=silence.start_ms if silence else None,
                end=silence.end_ms if silence else None,
            )
            for subject, silence in result.silences
        ],
        batteries=[
            BatteryTrend(
                entity=subject.address,
                spoken=subject.spoken,
                percent=trend.last,
                a_day=trend.a_day,
                low_at=trend.low_ms,
            )
            for subject, trend in result.batteries
        ],
    )


def _subjects(h: Hub) -> list[Subject]:
    return subjects(h.house, h.automations)


def _entity(line: Line, kind: Kind) -> ReviewedEntity:
    subject, came_to = line.subject, line.summary

    def seen(value: float) -> float:
        return kind.as_seen.of(value) or 0.0

    return ReviewedEntity(
        entity=subject.address,
        room=subject.room,
        place=subject.place,
        mean=seen(came_to.mean),
        low=seen(came_to.low),
        high=seen(came_to.high),
        known=came_to.known_h,
        outside=subject.outside,
        day=[
            HourOfDay(hour=at.hour, low=seen(at.low), median=seen(at.median), high=seen(at.high))
            for at in came_to.day
        ],
        beyond=[
            BeyondLimit(
                automation=limit.automation,
                name=limit.name,
                limit=limit.comparison.sentence(kind),
                hours=hours,
            )
            for limit, hours in line.beyond
        ],
    )
