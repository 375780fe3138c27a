"""The look back over a month or a week, from the rollups of hours."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import tzinfo

import msgspec

from hombi.core.automation.comparisons import Comparison
from hombi.core.kinds import KINDS, Kind
from hombi.core.seen import as_seen
from hombi.core.series import HOUR_MS, Derivation, Rollup
from hombi.core.series.review import (
    Finding,
    Looked,
    Silence,
    Summary,
    Trend,
    battery_trend,
    beyond_h,
    longest_silence,
    mould,
    standing_out,
    summary,
)
from hombi.hub.automations.feature import Automations
from hombi.hub.house import Entity, House
from hombi.hub.readings.port import HistoryPort

# What runs up, or says how the radio is: no two rooms are compared by it.
NOT_COMPARED = frozenset(
    {"battery", "signal", "reception", "energy", "volume", "rain", "duration", "number"}
)
SURFACE = "surface-humidity"
OUTSIDE_OF = {SURFACE: 2}


class Watched(msgspec.Struct, frozen=True):
    """An automation's limit on an entity."""

    automation: str
    name: str
    comparison: Comparison


class Subject(msgspec.Struct, frozen=True):
    """One entity that is looked back at, as it is now."""

    number: int
    address: str
    channels: frozenset[int]
    kind: Kind
    room: str
    place: str
    spoken: str
    node: str
    node_title: str
    outside: bool
    method: str
    limits: tuple[Watched, ...]


class Line(msgspec.Struct, frozen=True):
    """What one entity came to."""

    subject: Subject
    summary: Summary
    beyond: tuple[tuple[Watched, float], ...]


@dataclass(slots=True)
class Reviewed:
    """What a span came to: kinds with their entities, what stands out, silences and
    batteries by what they are of."""

    kinds: list[tuple[Kind, list[Line]]] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    silences: list[tuple[Subject, Silence | None]] = field(default_factory=list)
    batteries: list[tuple[Subject, Trend]] = field(default_factory=list)


def subjects(house: House, automations: Automations) -> list[Subject]:
    """What is looked back at, in the order of floors and rooms; in the hub's loop."""
    places = {
        room.slug: (room.floor.position, room.position, room.slug) for room in house.rooms.values()
    }
    last = (len(house.floors), 0, "")
    outside = {
        how.sources[place]
        for how in (entity.origin for entity in house.entities.values())
        if isinstance(how, Derivation)
        for method, place in OUTSIDE_OF.items()
        if how.method == method
    }
    watched: dict[str, list[Watched]] = {}
    for name, runner in automations.runners.items():
        program = runner.program
        if program is None or not runner.record.enabled:
            continue
        for part in program.parts:
            if part.kind.a_number and part.moving is None:
                limit = Watched(name, program.name, part.comparison)
                watched.setdefault(part.entity, []).append(limit)
    some = [
        entity for entity in house.entities.values() if entity.kind.a_number and not entity.hidden
    ]
    some.sort(key=lambda e: (places.get(e.room.slug, last) if e.room else last, e.address))
    several: dict[tuple[str, str], int] = {}
    for entity in some:
        if isinstance(entity.origin, Derivation):
            continue  # what is computed has a name of its own
        key = (entity.room.slug if entity.room else "", entity.kind.name)
        several[key] = several.get(key, 0) + 1
    return [_subject(entity, several, outside, watched.get(entity.address, [])) for entity in some]


def _subject(
    entity: Entity,
    several: dict[tuple[str, str], int],
    outside: set[str],
    limits: Iterable[Watched],
) -> Subject:
    room, how = entity.room, entity.origin
    derived = isinstance(how, Derivation)
    alone = room is not None and not derived and several[room.slug, entity.kind.name] == 1
    return Subject(
        number=entity.id,
        address=entity.address,
        channels=frozenset(entity.history_channels()),
        kind=entity.kind,
        room=room.slug if room else "",
        # Where a room has one value of a kind, the room's name says it.
        place=room.name if room is not None and alone else entity.spoken,
        spoken=entity.spoken,
        node=entity.node.address if entity.node else "",
        node_title=entity.node.title if entity.node else "",
        outside=entity.address in outside,
        method=how.method if isinstance(how, Derivation) else "",
        limits=tuple(limits),
    )


def reviewed(
    history: HistoryPort,
    subjects: Sequence[Subject],
    span: tuple[int, int],
    zone: tzinfo,
    units: tuple[str, ...] = (),
) -> Reviewed:
    """Look back over a span, which ends now at the latest, as a household with these
    units sees it."""
    start_ms, end_ms = span
    made = Reviewed()
    hours = {subject.address: _hours(history, subject, start_ms, end_ms) for subject in subjects}
    by_kind: dict[str, list[Subject]] = {}
    for subject in subjects:
        if subject.kind.name == "battery":
            trend = battery_trend(hours[subject.address])
            if trend is not None:
                made.batteries.append((subject, trend))
        elif subject.method == SURFACE:
            risk = mould(Looked(subject.address, subject.spoken, hours[subject.address]))
            made.findings += [risk] if risk else []
        elif (
            not subject.method
            and subject.kind.name not in NOT_COMPARED
            # Rooms are compared by what is higher and lower.
            and subject.kind.arithmetic.ordered
        ):
            by_kind.setdefault(subject.kind.name, []).append(subject)
    for name in (kind for kind in KINDS if kind in by_kind):
        kind, some = as_seen(KINDS[name], units), by_kind[name]
        lines = [
            Line(subject, came_to, _beyond(subject, hours[subject.address]))
            for subject in some
            if (came_to := summary(hours[subject.address], zone)) is not None
        ]
        if lines:
            made.kinds.append((kind, lines))
        looked = [
            Looked(subject.address, subject.place, hours[subject.address], subject.outside)
            for subject in some
        ]
        made.findings += standing_out(name, kind.as_seen, looked, zone)
    made.silences = _silences(history, subjects, hours, start_ms, end_ms)
    return made


def _hours(history: HistoryPort, subject: Subject, start_ms: int, end_ms: int) -> list[Rollup]:
    rows = history.rollups(subject.number, HOUR_MS, start_ms, end_ms)
    return [row for row in rows if row.channel in subject.channels]


def _beyond(subject: Subject, hours: Sequence[Rollup]) -> tuple[tuple[Watched, float], ...]:
    return tuple((limit, beyond_h(hours, limit.comparison.starts_with)) for limit in subject.limits)


def _silences(
    history: HistoryPort,
    subjects: Sequence[Subject],
    hours: dict[str, list[Rollup]],
    start_ms: int,
    end_ms: int,
) -> list[tuple[Subject, Silence | None]]:
    """Of each node that measures: that of the value it sends most often."""
    most: dict[str, tuple[int, Subject]] = {}
    for subject in subjects:
        count = sum(row.count for row in hours[subject.address])
        if subject.node and count > most.get(subject.node, (0, subject))[0]:
            most[subject.node] = (count, subject)
    return [
        (subject, longest_silence(history.heard(subject.number, start_ms, end_ms), end_ms))
        for _, (_, subject) in sorted(most.items())
    ]
