"""What happens to how values are made: conditioning, and values that are computed from
others."""

from __future__ import annotations

from dataclasses import dataclass

from hombi.hub.events.nodes import EntitiesChanged
from hombi.hub.kernel.events import Event, Quiet


@dataclass(frozen=True, slots=True, kw_only=True)
class EntityConditioned(Event):
    """An entity's values are conditioned otherwise: from now on, or its past too."""

    words: str
    past: bool
    undone: bool = False

    @property
    def sentence(self) -> str:
        since = "over its whole past" if self.past else "from now on"
        how = "is conditioned as before" if self.undone else "is conditioned"
        return f"{self.entity} {how}, {since}: {self.words}"


@dataclass(frozen=True, slots=True, kw_only=True)
class ImportBegun(Quiet):
    """A file is being imported."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PastImported(Event):
    """Readings of the past were imported from a file."""

    file: str
    count: int

    @property
    def sentence(self) -> str:
        return f"{self.count} readings of {self.entity} were imported from {self.file}"


@dataclass(frozen=True, slots=True, kw_only=True)
class ImportTakenBack(Event):
    """What a file had brought was deleted."""

    file: str

    @property
    def sentence(self) -> str:
        return f"what {self.file} had brought of {self.entity} was taken back"


@dataclass(frozen=True, slots=True, kw_only=True)
class PastConditioned(Event):
    """The past of an entity was made again by its present conditioning."""

    count: int

    @property
    def sentence(self) -> str:
        return f"{self.count} past readings of {self.entity} were conditioned again"


@dataclass(frozen=True, slots=True, kw_only=True)
class EntityDerived(EntitiesChanged):
    """A value is computed from others from now on, and for the past."""

    method: str
    sources: str

    @property
    def sentence(self) -> str:
        return f"{self.entity} is the {self.method.replace('-', ' ')} of {self.sources}"


@dataclass(frozen=True, slots=True, kw_only=True)
class DerivedRemoved(EntitiesChanged):
    """A derived value was taken away, with its history."""

    @property
    def sentence(self) -> str:
        return f"{self.entity} was removed"
