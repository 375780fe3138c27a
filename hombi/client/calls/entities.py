"""Entities: their readings, their history, and setting them."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.client.calls.base import Call, Pages, entity_path, given, unless_none
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
    SpanNumbers,
    Stretches,
)


def list_(
    *, room: str | None = None, node: str | None = None, kind: str | None = None
) -> Call[list[Entity]]:
    """All entities with their latest readings, or those of a room, a node, a kind."""
    params = given(room=room, node=node, kind=kind)
    return Call("GET", "/api/entities", list[Entity], params=params)


def get(address: str) -> Call[EntityDetail]:
    """One entity, by its address `node/entity`, with the automations that look at
    it."""
    return Call("GET", entity_path(address), EntityDetail)


def rename(address: str, title: str) -> Call[Entity]:
    """Rename an entity; its address stays."""
    body = EntityChange(title=title)
    return Call("PATCH", entity_path(address), Entity, body=body)


def hide(address: str, hidden: bool = True) -> Call[Entity]:
    """Hide an entity in its room, or show it again."""
    body = EntityChange(hidden=hidden)
    return Call("PATCH", entity_path(address), Entity, body=body)


def see(
    address: str, *, unit: str | None = None, decimals: int | None = None, keep: str | None = None
) -> Call[Entity]:
    """Say in which unit and with how many decimals an entity is seen, and how long its
    readings are kept; "" and -1 are as for all others."""
    body = EntityChange(
        seen_in=unless_none(unit), decimals=unless_none(decimals), keep=unless_none(keep)
    )
    return Call("PATCH", entity_path(address), Entity, body=body)


def change_kind(address: str, kind: str, unit: str = "") -> Call[Entity]:
    """Take an entity for another kind from now on; `unit` is the one that its node
    speaks, the kind's own unless given. Its past keeps what it was."""
    body = EntityChange(kind=kind, unit=unit)
    return Call("PATCH", entity_path(address), Entity, body=body)


def remove(address: str) -> Call[None]:
    """Take an entity that was picked, or is computed, away with its history."""
    return Call("DELETE", entity_path(address), None)


def history(
    address: str,
    span: str = "day",
    *,
    start: int | None = None,
    end: int | None = None,
    earlier: str | None = None,
    points: int = 600,
) -> Call[History]:
    """An entity's history: the last hour, day, week, month or year, or from `start` to
    `end` in ms; the same span a day, a week, a month or a year `earlier`."""
    params = given(span=span, start=start, end=end, earlier=earlier, points=points)
    return Call("GET", entity_path(address, "history"), History, params=params)


def numbers(
    address: str,
    span: str = "day",
    *,
    start: int | None = None,
    end: int | None = None,
    earlier: str | None = None,
    over: str | float | None = None,
) -> Call[SpanNumbers]:
    """What an entity comes to over a span: lowest, mean, median, highest, 5 and 95 %;
    for how long it was over a limit, like "82 %"."""
    params = given(span=span, start=start, end=end, earlier=earlier, over=over)
    return Call("GET", entity_path(address, "numbers"), SpanNumbers, params=params)


def doubts(
    address: str,
    span: str = "day",
    *,
    start: int | None = None,
    end: int | None = None,
) -> Call[Doubts]:
    """The readings of a span that are not good: when they were, and why."""
    params = given(span=span, start=start, end=end)
    return Call("GET", entity_path(address, "doubts"), Doubts, params=params)


def courses(
    addresses: Sequence[str],
    span: str = "day",
    *,
    start: int | None = None,
    end: int | None = None,
    earlier: str | None = None,
    points: int = 96,
) -> Call[list[History]]:
    """The histories of several entities over one span, in the same buckets."""
    params = given(
        entity=list(addresses), span=span, start=start, end=end, earlier=earlier, points=points
    )
    return Call("GET", "/api/courses", list[History], params=params)


def export(
    address: str,
    span: str = "day",
    *,
    start: int | None = None,
    end: int | None = None,
    format: str = "csv",
) -> Call[bytes]:
    """An entity's readings of a span as a file: csv, or senml (RFC 8428)."""
    params = given(span=span, start=start, end=end, format=format)
    return Call("GET", entity_path(address, "export"), bytes, params=params)


def rows(
    address: str,
    span: str = "day",
    *,
    start: int | None = None,
    end: int | None = None,
    earlier: str | None = None,
    rows: str | None = None,
) -> Call[list[Row]]:
    """An entity's history in rows of house time ("minutes", "hours", "days"; by the
    span unless given), the empty ones too."""
    params = given(span=span, start=start, end=end, earlier=earlier, rows=rows)
    return Call("GET", entity_path(address, "rows"), list[Row], params=params)


def stretches(
    address: str, span: str = "day", *, start: int | None = None, end: int | None = None
) -> Call[Stretches]:
    """How an entity with states stood: one stretch after the other, and shares of hours
    or days."""
    params = given(span=span, start=start, end=end)
    return Call("GET", entity_path(address, "stretches"), Stretches, params=params)


def readings(address: str, start: int, end: int | None = None) -> Pages[Readings, Reading]:
    """Single readings, oldest first, fetched page by page."""

    def page(at: int | None) -> Call[Readings]:
        params = given(start=start if at is None else at, end=end)
        return Call("GET", entity_path(address, "readings"), Readings, params=params)

    return Pages(page, lambda p: p.readings, lambda p: p.next)


def set_(address: str, to: str) -> Call[Command]:
    """Ask an entity to take a value ("on", "40 %"), and wait for its node. The answer's
    `state` says whether it did."""
    body = CommandRequest(to=to)
    # A blind takes a minute from one end to the other.
    return Call("POST", entity_path(address, "command"), Command, body=body, quiet_s=90.0)
