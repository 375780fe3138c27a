"""Who is behind a change: a person, an automation, a node, or the house itself."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class ActorKind(StrEnum):
    """What sort of actor it is. A `stranger` has not said yet who it is."""

    PERSON = "person"
    AUTOMATION = "automation"
    NODE = "node"
    HOUSE = "house"
    STRANGER = "stranger"


@dataclass(frozen=True, slots=True)
class Actor:
    """One actor, by the name that stands in the journal."""

    kind: ActorKind
    name: str

    def __str__(self) -> str:
        return self.name

    @classmethod
    def person(cls, name: str) -> Actor:
        """A person of the household, or the command line on the hub's own machine."""
        return cls(ActorKind.PERSON, name)

    @classmethod
    def automation(cls, name: str) -> Actor:
        """An automation, by its name."""
        return cls(ActorKind.AUTOMATION, name)

    @classmethod
    def node(cls, address: str) -> Actor:
        """A node, by its address."""
        return cls(ActorKind.NODE, address)


HOUSE = Actor(ActorKind.HOUSE, "the house")
STRANGER = Actor(ActorKind.STRANGER, "a stranger")
