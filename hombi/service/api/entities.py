"""Entities: their latest readings, their history, and commands."""

from __future__ import annotations

from itertools import pairwise

import msgspec
from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.errors import ValueTextError
from hombi.core.house_time import EARLIER, MOST_ROWS, ROWS_MS, bounds, earlier_span, rows_of
from hombi.core.kinds import Kind, Seen
from hombi.core.series import Derivation
from hombi.core.series.past import Past
from hombi.core.series.standing import by_rows
from hombi.core.values import parse_value
from hombi.hub.acting.actuation import CommandEntity
from hombi.hub.computed.changes import RemoveComputed
from hombi.hub.errors import Invalid
from hombi.hub.hub import Hub
from hombi.hub.kernel import Actor, Right
from hombi.hub.lookup import find
from hombi.hub.nodes.described import ChangeKind
from hombi.hub.nodes.entities import ChangeEntity, RemoveEntity
from hombi.hub.nodes.picks import kind_of
from hombi.service.accounts.who import meant_by, sees, sees_room
from hombi.service.api import answers, courses
from hombi.service.api.parsing import body
from hombi.service.api.schema import Query, operation
from hombi.service.api.views import View, actor, done, given, whole_number
from hombi.service.bridge import change, hub, read
from hombi.wire.entities import (
    Command,
    CommandRequest,
    Doubts,
    Entity,
    EntityChange,
    EntityDetail,
    History,
    Reading,
    Readings,
    Row,
    Share,
    SpanNumbers,
    Stretch,
    Stretches,
)

SPANS_MS = {
    "hour": 3_600_000,
    "day": 86_400_000,
    "week": 7 * 86_400_000,
    "month": 30 * 86_400_000,
    "year": 365 * 86_400_000,
}
MAX_POINTS = 2_000
MAX_COURSES, MOST_TOGETHER = 100, 20_000
MAX_STRETCHES = 2_000
# Up to this long, a span is told by hours, and else by days.
MOST_HOURS_MS = 14 * 86_400_000
MOST_DOUBTS = 2_000
# The year 3000: a calendar has days only so far.
LATEST_MS = 32_503_680_000_000
# A year before this there was no time to count.
EARLIEST_MS = 2 * 366 * 86_400_000
PAGE = 1_000

_SPAN = [
    Query("span", str, enum=list(SPANS_MS), default="day"),
    Query("start", int, description="ms; instead of span"),
    Query("end", int, description="ms; now unless given"),
    Query("earlier", str, enum=list(EARLIER), description="the same span, so much earlier"),
]
_WHICH = [Query(name, str) for name in ("room", "node", "kind")]


def span_of(request: Request) -> tuple[int, int]:
    """From `span` (ending now), or from `start` and `end` in ms."""
    span, now = request.query_params.get("span", "day"), hub().context.clock.now_ms()
    if span not in SPANS_MS:
        raise Invalid(f"span={span} is not known; use {', '.join(SPANS_MS)}")
    end = whole_number(request, "end", now)
    start = whole_number(request, "start", max(0, end - SPANS_MS[span]))
    if start >= end:
        raise Invalid("start must come before end")
    if end > LATEST_MS:
        raise Invalid(f"end={end} is out of range; it is ms since 1970")
    by = request.query_params.get("earlier", "")
    if by and by not in EARLIER:
        raise Invalid(f"earlier={by} is not known; use {', '.join(EARLIER)}")
    if by and start > EARLIEST_MS:
        zone = hub().config.zone
        start, end = earlier_span(start, end, by, zone)
        end = max(end, start + 1)
    return start, end


def _series(address: str) -> tuple[Past, Seen]:
    """The past of an entity, and how it is seen. Raises NotFound."""

    past, kind = read(lambda h: _past_and_kind(h, address))
    return past, kind.as_seen


def _past_and_kind(h: Hub, address: str) -> tuple[Past, Kind]:
    """The past of an entity, and its kind as the household sees it."""
    entity = h.house.entity(address)
    return entity.past, h.house.seen(entity)


class EntitiesView(View):
    """All entities."""

    reads = Right.LOOK

    @operation(name="entities_list", gives=list[Entity], parameters=_WHICH)
    def get(self, request: Request) -> Response:
        """All entities, or those of a room, a node, a kind."""
        names = ("room", "node", "kind")
        wanted = {n: request.query_params[n] for n in names if n in request.query_params}
        who = actor(request)

        def look(h: Hub) -> list[Entity]:
            if "room" in wanted:
                rooms = {s: r for s, r in h.house.rooms.items() if sees_room(who, s)}
                room = find(rooms, wanted["room"], "room", lambda one: (one.name,))
                wanted["room"] = room.slug
            if "node" in wanted:
                wanted["node"] = _node_of(h, who, wanted["node"])
            if "kind" in wanted:
                wanted["kind"] = kind_of(wanted["kind"]).name
            theirs = (e for _, e in sorted(h.house.entities.items()) if sees(h, who, e))
            result = (answers.entity(h, e) for e in theirs)
            return [e for e in result if all(getattr(e, n) == v for n, v in wanted.items())]

        return Response(read(look))


def _node_of(h: Hub, who: Actor, name: str) -> str:
    """The address of the node that somebody means; for guests and walls, of those that
    have something of theirs. Raises NotFound, Refused."""
    if not who.scoped:
        return h.house.node(name).address
    nodes = {
        a: n for a, n in h.house.nodes.items() if any(sees(h, who, e) for e in n.entities.values())
    }
    return find(nodes, name, "node", lambda one: (one.title,)).address


def _detail(h: Hub, who: Actor, name: str) -> EntityDetail:
    """An entity as somebody sees it: what else is in the house is not told to guests
    and walls."""
    detail = answers.entity_detail(h, meant_by(h, who, name))
    return msgspec.structs.replace(detail, watchers=[]) if who.scoped else detail


class NamedEntityView(View):
    """One entity by what it is called."""

    reads = Right.LOOK

    @operation(name="entities_called", gives=EntityDetail)
    def get(self, request: Request, name: str) -> Response:
        """The entity with this name, like "Cellar rack humidity"; its `entity` is its
        address."""
        who = actor(request)
        return Response(read(lambda h: _detail(h, who, name)))


class EntityView(View):
    """One entity."""

    reads = Right.LOOK

    @operation(gives=EntityDetail)
    def get(self, request: Request, node: str, name: str) -> Response:
        """The entity, and the automations that look at it."""
        who, address = actor(request), f"{node}/{name}"
        return Response(read(lambda h: _detail(h, who, address)))

    @operation(takes=EntityChange, gives=Entity)
    def patch(self, request: Request, node: str, name: str) -> Response:
        """Rename it (its address stays), hide it or show it, or say what it is."""
        payload = body(request, EntityChange)
        address, kind = f"{node}/{name}", given(payload.kind)
        rest = ChangeEntity(
            address,
            given(payload.title),
            given(payload.hidden),
            given(payload.seen_in),
            given(payload.decimals),
            given(payload.keep),
        )
        if kind is None:
            return Response(change(actor(request), rest, answers.entity))
        more = None if rest == ChangeEntity(address) else rest
        wanted = ChangeKind(address, kind, payload.unit, more)
        return Response(change(actor(request), wanted, answers.entity))

    @operation()
    def delete(self, request: Request, node: str, name: str) -> Response:
        """Take one that was picked from messages, or that is computed, away with its
        history."""
        address = f"{node}/{name}"
        derived = read(lambda h: isinstance(h.house.entity(address).origin, Derivation))
        return done(request, RemoveComputed(address) if derived else RemoveEntity(address))


class HistoryView(View):
    """An entity's history for a chart."""

    reads = Right.LOOK

    @operation(gives=History, parameters=[*_SPAN, Query("points", int, default=600)])
    def get(self, request: Request, node: str, name: str) -> Response:
        """At most `points` buckets with their mean, lowest and highest value."""
        past, seen = _series(f"{node}/{name}")
        start, end = span_of(request)
        points = whole_number(request, "points", 600)
        if not 1 <= points <= MAX_POINTS:
            raise Invalid(f"points must be 1 to {MAX_POINTS}")
        history = hub().context.records.history
        (result,), width = history.series([past], start, end, points)
        about = (f"{node}/{name}", seen, start, end, width)
        return Response(courses.history(result, *about))


class NumbersView(View):
    """What an entity comes to over a span."""

    reads = Right.LOOK

    @operation(
        gives=SpanNumbers,
        parameters=[
            *_SPAN,
            Query("over", str, description='a limit, like "82 %", or a number'),
        ],
    )
    def get(self, request: Request, node: str, name: str) -> Response:
        """Lowest, mean, median, highest, and how long it was over a limit."""
        address = f"{node}/{name}"
        past, kind = read(lambda h: _past_and_kind(h, address))
        start, end = span_of(request)
        asked = request.query_params.get("over", "").strip()
        if asked and not kind.arithmetic.ordered:
            raise Invalid(f"over: a {kind.shown} has no higher and lower values")
        try:
            over = parse_value(asked, kind, bare=True) if asked else None
        except ValueTextError as error:
            raise Invalid(f"over: {error}") from error
        history = hub().context.records.history
        now = hub().context.clock.now_ms()
        sums = history.numbers(past, start, end)
        # What is still to come holds no value.
        held = history.held(past, start, min(end, max(now, start + 1)))
        return Response(courses.span_numbers(sums, held, address, kind, (start, end), over))


class DoubtsView(View):
    """The readings of a span that are not good."""

    @operation(gives=Doubts, parameters=_SPAN)
    def get(self, request: Request, node: str, name: str) -> Response:
        """When they were, and why they are uncertain or bad."""
        address = f"{node}/{name}"
        past, _ = _series(address)
        start, end = span_of(request)
        history = hub().context.records.history
        result = history.doubts(past, start, end, MOST_DOUBTS + 1)
        some = result[:MOST_DOUBTS]
        return Response(
            Doubts(
                entity=address,
                start=start,
                end=end,
                at=[at for at, _ in some],
                quality=[quality.level for _, quality in some],
                reason=[quality.reason for _, quality in some],
                cut=len(result) > MOST_DOUBTS,
            )
        )


class StretchesView(View):
    """How an entity with states stood."""

    reads = Right.LOOK

    @operation(gives=Stretches, parameters=_SPAN)
    def get(self, request: Request, node: str, name: str) -> Response:
        """One stretch for each state, oldest first; it is so until it says otherwise.
        And for how much of each hour or day it was at its second state, also where its
        readings are forgotten."""
        past, _ = _series(f"{node}/{name}")
        start, end = span_of(request)
        history = hub().context.records.history
        result = history.changes(past, start, end, MAX_STRETCHES + 1)
        cut = len(result) > MAX_STRETCHES
        last = max(start, min(end, hub().context.clock.now_ms()))
        ends = [at for at, _ in result[1:]] + [last]
        made = [
            Stretch(start=at, end=max(at, until), value=value)
            for (at, value), until in zip(result, ends, strict=False)
        ][:MAX_STRETCHES]
        return Response(
            Stretches(
                entity=f"{node}/{name}",
                start=start,
                end=end,
                stretches=made,
                shares=_shares(past, start, last),
                cut=cut,
            )
        )


def _shares(past: Past, start: int, end: int) -> list[Share]:
    """How much of each hour of the house, or day of a longer span, it was at its second
    state."""
    if start >= end:
        return []
    zone = hub().config.zone
    rows = "hours" if end - start <= MOST_HOURS_MS else "days"
    first = bounds(start, start + 1, rows, zone)[0]
    history = hub().context.records.history
    pieces = history.stood(past, first, end, days=rows == "days")
    if not pieces:
        return []
    parts = [*bounds(pieces[0].start_ms, end, rows, zone)[:-1], end]
    return [
        Share(
            start=max(start, row.start_ms),
            end=row.end_ms,
            on_ms=round(row.on_ms),
            known_ms=round(row.known_ms),
        )
        for row in by_rows(pieces, parts)
    ]


class CoursesView(View):
    """The histories of several entities at once, for a page of tiles."""

    reads = Right.LOOK

    @operation(
        name="courses",
        gives=list[History],
        parameters=[
            *_SPAN,
            Query("entity", str, many=True, required=True),
            Query("points", int, default=96),
        ],
    )
    def get(self, request: Request) -> Response:
        """One history for each `entity`, in the order in which they are named."""
        named = request.query_params.getlist("entity")
        points = whole_number(request, "points", 96)
        if not 1 <= len(named) <= MAX_COURSES:
            raise Invalid(f"name 1 to {MAX_COURSES} entities, not {len(named)}")
        most = min(MAX_POINTS, MOST_TOGETHER // len(named))
        if not 1 <= points <= most:
            raise Invalid(f"points={points} is not between 1 and {most} for {len(named)} entities")
        start, end = span_of(request)
        who = actor(request)
        named = read(lambda h: [meant_by(h, who, one).address for one in named])
        about = [_series(one) for one in named]
        series, width = hub().context.records.history.series(
            [past for past, _ in about], start, end, points
        )
        all_seen = [seen for _, seen in about]
        return Response(
            [
                courses.history(found, one, seen, start, end, width)
                for found, one, seen in zip(series, named, all_seen, strict=True)
            ]
        )


class RowsView(View):
    """An entity's history for a table."""

    reads = Right.LOOK

    @operation(
        gives=list[Row],
        parameters=[
            *_SPAN,
            Query("rows", str, enum=list(ROWS_MS), description="by the span unless given"),
        ],
    )
    def get(self, request: Request, node: str, name: str) -> Response:
        """Rows of five minutes or hours as the house's clock shows them, or of the
        calendar's days, weeks, months, years; one without readings is empty."""
        past, seen = _series(f"{node}/{name}")
        start, end = span_of(request)
        rows = request.query_params.get("rows") or rows_of(end - start)
        if rows not in ROWS_MS:
            raise Invalid(f"rows={rows} is not known; use {', '.join(ROWS_MS)}")
        if (end - start) / ROWS_MS[rows] > MOST_ROWS:
            raise Invalid(
                f"that is more than {MOST_ROWS} rows; ask for a shorter span, or for rows=days"
            )
        history, result = hub().context.records.history, []
        for a, b in pairwise(bounds(start, end, rows, hub().config.zone)):
            # What was asked for bounds the first row and the last: they hold no
            # readings from outside.
            numbers = history.numbers(past, max(a, start), min(b, end))
            result.append(
                Row(
                    start=a,
                    end=b,
                    mean=seen.of(numbers.mean),
                    low=seen.of(numbers.low),
                    high=seen.of(numbers.high),
                    count=numbers.count,
                )
            )
        return Response(result)


class ReadingsView(View):
    """An entity's single readings."""

    @operation(gives=Readings, parameters=_SPAN)
    def get(self, request: Request, node: str, name: str) -> Response:
        """Single readings, oldest first, a thousand a page; the bad ones too."""
        past, seen = _series(f"{node}/{name}")
        start, end = span_of(request)
        result = hub().context.records.history.single(past.entity, start, end, PAGE)
        readings = [
            Reading(
                at=reading.at_ms,
                raw=reading.sent,
                value=seen.of(reading.value),
                quality=reading.quality.level,
                reason=reading.quality.reason,
            )
            for reading in result
            if reading.channel in past.channels
        ]
        following = result[-1].at_ms + 1 if len(result) == PAGE else None
        return Response(Readings(readings=readings, next=following))


class CommandView(View):
    """Commands to an entity."""

    does = Right.SWITCH

    @operation(takes=CommandRequest, gives=Command)
    def post(self, request: Request, node: str, name: str) -> Response:
        """Ask the entity to take a value, and wait until its node confirms it or time
        is up. The answer's `state` says which."""
        wanted = CommandEntity(f"{node}/{name}", body(request, CommandRequest).to)
        return Response(change(actor(request), wanted, lambda _, c: answers.command(c)))
