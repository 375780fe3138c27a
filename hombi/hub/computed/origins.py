"""From what a value is computed, and what is read of its sources."""

from __future__ import annotations

from hombi.core.kinds import Kind
from hombi.core.series import Derivation, Reading
from hombi.core.series.methods import kind_given, kind_wanted
from hombi.hub.house import Entity
from hombi.hub.readings.port import HistoryPort

MOST_AT_ONCE = 200_000


def how_of(entity: Entity) -> Derivation | None:
    """How an entity is computed; None for one that a node sends."""
    return entity.origin if isinstance(entity.origin, Derivation) else None


def derivation(entity: Entity) -> Derivation:
    """How a computed value is computed."""
    assert isinstance(entity.origin, Derivation)
    return entity.origin


def readings_of(history: HistoryPort, entity: Entity, start: int, end: int) -> list[Reading]:
    """The readings of a span that make up an entity's history, oldest first."""
    channels = set(entity.history_channels())
    return [
        reading
        for reading in history.single(entity.id, start, end, MOST_AT_ONCE)
        if reading.channel in channels
    ]


def takes(entity: Entity, place: int, kind: Kind) -> bool:
    """Whether the source at a place can be of this kind."""
    how = derivation(entity)
    wanted = kind_wanted(how.method, how.parameters, place)
    return kind.name == wanted if wanted else kind_given(how.method, kind) is entity.kind
