"""Rehearsal: pretend values, and what an automation would do with them. The house is
not touched.

What was said of an entity stands until something else is: it counts as heard all the
while.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import tzinfo
from typing import Literal

import msgspec

from hombi.core.automation.actions import Effect
from hombi.core.automation.lanes import Lane, lanes
from hombi.core.automation.program import Program
from hombi.core.automation.replay import Course, Move, replay
from hombi.core.automation.state import EdgeKind
from hombi.core.kinds import Kind
from hombi.core.quality import Quality
from hombi.core.series.reading import Reading

EVERY_MS = 20_000
_WORDS: Mapping[EdgeKind, Literal["start", "end", "lost"]] = {
    EdgeKind.START: "start", EdgeKind.END: "end", EdgeKind.LOST: "lost",
}  # fmt: skip
LONGEST_MS = 2 * 86_400_000


class Said(msgspec.Struct, frozen=True):
    """A pretend value from a moment on; None for one that is bad."""

    at_ms: int
    entity: str
    value: float | None


class Rehearsed(msgspec.Struct, frozen=True):
    """What happened at a moment: an edge with its account, or (`edge` is "") something
    that had waited; and what was to be done."""

    at_ms: int
    edge: Literal["", "start", "end", "lost"]
    text: str
    effects: tuple[Effect, ...]


class Rehearsal(msgspec.Struct, frozen=True):
    """What happens, in its order, where the automation stands meanwhile, and what each
    part says."""

    steps: list[Rehearsed]
    moves: list[Move]
    lanes: list[Lane]


class Named(msgspec.Struct, frozen=True):
    """What a rehearsal must know of an entity."""

    spoken: str
    room: str
    kind: Kind


def rehearse(
    program: Program,
    entities: Mapping[str, Named],
    saids: Sequence[Said],
    span: tuple[int, int],
    zone: tzinfo,
) -> Rehearsal:
    """What an automation does with pretend values over a span."""
    start, end_ms = span
    courses = {
        address: Course(
            named.spoken,
            named.room,
            named.kind,
            _readings([s for s in saids if s.entity == address], end_ms, named.kind),
        )
        for address, named in entities.items()
    }
    replayed = replay(program, courses, start, end_ms, zone)
    edges = [
        Rehearsed(acted.why.at_ms, _WORDS[acted.why.edge], acted.why.text, acted.effects)
        for acted in replayed.acted
    ]
    later = [Rehearsed(at, "", "", effects) for at, effects in replayed.later]
    steps = sorted([*edges, *later], key=lambda one: one.at_ms)
    return Rehearsal(steps, replayed.moves, lanes(program, courses, span, zone))


def _readings(saids: Sequence[Said], end_ms: int, kind: Kind) -> list[Reading]:
    """Each value again and again, until the next one; what happens, once."""
    ordered = sorted(saids, key=lambda one: one.at_ms)
    readings = []
    for place, one in enumerate(ordered):
        until = ordered[place + 1].at_ms if place + 1 < len(ordered) else end_ms
        until = one.at_ms if kind.moment else until
        quality = Quality.GOOD if one.value is not None else Quality.NO_VALUE
        readings += [
            Reading(at, 0, one.value, one.value, quality)
            for at in range(one.at_ms, max(until, one.at_ms + 1), EVERY_MS)
        ]
    return readings
