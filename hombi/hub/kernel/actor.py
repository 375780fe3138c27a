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


class Role(StrEnum):
    """What a person is in the house. A `wall` is a screen that hangs in it."""

    OWNER = "owner"
    ADULT = "adult"
    GUEST = "guest"
    WALL = "wall"


class Limit(StrEnum):
    """What a program that acts for a person may do at most."""

    READ = "read"
    SWITCH = "switch"
    CHANGE = "change"


@dataclass(frozen=True, slots=True)
class Actor:
    """One actor, by the name that stands in the journal.

    A person has a role. A guest sees and switches what is in their `rooms`; a wall
    shows a `dashboard`, and switches what is on it if it `switches`. An automation has
    an `address`.
    """

    kind: ActorKind
    name: str
    role: Role = Role.OWNER
    rooms: frozenset[str] = frozenset()
    dashboard: str = ""
    switches: bool = True
    limit: Limit = Limit.CHANGE
    address: str = ""

    def __str__(self) -> str:
        return self.name

    @property
    def scoped(self) -> bool:
        """Whether they see a part of the house only."""
        return self.kind is ActorKind.PERSON and self.role in (Role.GUEST, Role.WALL)

    @classmethod
    def person(cls, name: str) -> Actor:
        """An owner of the house, or the command line on the hub's own machine."""
        return cls(ActorKind.PERSON, name)

    @classmethod
    def automation(cls, name: str, address: str = "") -> Actor:
        """An automation, by its name and its address."""
        return cls(ActorKind.AUTOMATION, name, address=address)

    @classmethod
    def node(cls, address: str) -> Actor:
        """A node, by its address."""
        return cls(ActorKind.NODE, address)


HOUSE = Actor(ActorKind.HOUSE, "the house")
STRANGER = Actor(ActorKind.STRANGER, "a stranger")
