"""What a text that names entities is checked against: the entities and the people there
are."""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass, field

from hombi.core.kinds import Kind
from hombi.core.sun import Position

_READ_ANEW = r"\b(?:run|do|set)\b\W{0,3}="


@dataclass(frozen=True, slots=True)
class EntityFacts:
    """What a check needs to know of an entity."""

    kind: Kind
    writable: bool
    room: str = ""


@dataclass(frozen=True, slots=True)
class SceneFacts:
    """What a check needs to know of a scene: its title and its states, each (entity,
    value in its kind's unit)."""

    title: str
    states: tuple[tuple[str, float], ...]


@dataclass(frozen=True, slots=True)
class HouseFacts:
    """The entities and the scenes by address, the names of the household's people,
    where the house stands, if that is known, and the addresses of the automations,
    where it is asked for them."""

    entities: Mapping[str, EntityFacts] = field(default_factory=dict)
    people: frozenset[str] = frozenset()
    scenes: Mapping[str, SceneFacts] = field(default_factory=dict)
    position: Position | None = None
    automations: frozenset[str] | None = None
    # The contacts of people, like `ada/mail`.
    contacts: frozenset[str] = frozenset()
    # The entities that say whether somebody is home, by person.
    homes: Mapping[str, str] = field(default_factory=dict)
    # The texts of the sequences, by address; and those that are being read.
    sequences: Mapping[str, str] = field(default_factory=dict)
    within: tuple[str, ...] = ()
    # How many steps may still be read of sequences, for all that one text runs.
    steps_left: list[int] | None = None
    # What nodes can be asked to do, as node/action, and their own settings, as
    # node/setting; each with what finds out whether it can be so: "" where it can.
    doings: Mapping[str, Callable[[Collection[str], Mapping[str, str]], str]] = field(
        default_factory=dict
    )
    settings: Mapping[str, Callable[[str], str]] = field(default_factory=dict)
    # The moving means that there are, by (what of, over how many ms).
    means: Mapping[tuple[str, int], str] = field(default_factory=dict)


def differs(before: HouseFacts, after: HouseFacts) -> Callable[[str], bool]:
    """Whether a text is to be read again because the house is another: whether it names
    something that came, went or changed."""
    words: set[str] = set()
    for one, other in (
        (before.entities, after.entities),
        (before.scenes, after.scenes),
        (before.homes, after.homes),
    ):
        names = one.keys() | other.keys()
        words |= {name for name in names if one.get(name) != other.get(name)}
    words |= before.people ^ after.people
    words |= {contact.partition("/")[0] for contact in before.contacts ^ after.contacts}
    if before.position != after.position:
        words.add("sun")
    if before.means != after.means:
        words.add("mean")
    # What a sequence names does not stand in the text that runs it, and what a node can
    # be asked to do is not compared.
    parts = [re.escape(word) for word in sorted(words)] + [_READ_ANEW]
    return lambda text: re.search("|".join(parts), text) is not None


def did_you_mean(word: str, known: Iterable[str]) -> str:
    """The hint that goes with an unknown word: the nearest known one, or nothing."""
    near = difflib.get_close_matches(word, list(known), n=1, cutoff=0.6)
    return f"did you mean {near[0]}?" if near else ""
