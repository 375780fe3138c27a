"""What a text that names entities is checked against: the entities and the people there
are."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from hombi.core.kinds import Kind


@dataclass(frozen=True, slots=True)
class EntityFacts:
    """What a check needs to know of an entity."""

    kind: Kind
    writable: bool


@dataclass(frozen=True, slots=True)
class SceneFacts:
    """What a check needs to know of a scene: its title and its states, each (entity,
    value in its kind's unit)."""

    title: str
    states: tuple[tuple[str, float], ...]


@dataclass(frozen=True, slots=True)
class HouseFacts:
    """The entities and the scenes by address, and the names of the household's
    people."""

    entities: Mapping[str, EntityFacts] = field(default_factory=dict)
    people: frozenset[str] = frozenset()
    scenes: Mapping[str, SceneFacts] = field(default_factory=dict)


def did_you_mean(word: str, known: Iterable[str]) -> str:
    """The hint that goes with an unknown word: the nearest known one, or nothing."""
    near = difflib.get_close_matches(word, list(known), n=1, cutoff=0.6)
    return f"did you mean {near[0]}?" if near else ""
