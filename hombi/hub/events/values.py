"""What happens to how values are made: conditioning, and values that are computed from
others."""

from __future__ import annotations

from hombi.hub.events.nodes import EntitiesChanged
from hombi.hub.kernel.events import Event, Quiet


class EntityConditioned(Event, frozen=True, kw_only=True):
    """An entity's values are conditioned otherwise: from now on, or its past too."""

    words: str
    past: bool
    undone: bool = False

    @property
    def sentence(self) -> str:
        since = "over its whole past" if self.past else "from now on"
        how = "is conditioned as before" if self.undone else "is conditioned"
        return f"{self.entity} {how}, {since}: {self.words}"


class ImportBegun(Quiet, frozen=True, kw_only=True):
    """A file is being imported."""


class PastImported(Event, frozen=True, kw_only=True):
    """Readings of the past were imported from a file."""

    file: str
    count: int

    @property
    def sentence(self) -> str:
        return f"{self.count} readings of {self.entity} were imported from {self.file}"


class ImportTakenBack(Event, frozen=True, kw_only=True):
    """What a file had brought was deleted."""

    file: str

    @property
    def sentence(self) -> str:
        return f"what {self.file} had brought of {self.entity} was taken back"


class PastConditioned(Event, frozen=True, kw_only=True):
    """The past of an entity was made again by its present conditioning."""

    count: int

    @property
    def sentence(self) -> str:
        return f"{self.count} past readings of {self.entity} were conditioned again"


class EntityDerived(EntitiesChanged, frozen=True, kw_only=True):
    """A value is computed from others from now on, and for the past."""

    method: str
    sources: str

    @property
    def sentence(self) -> str:
        return f"{self.entity} is the {self.method.replace('-', ' ')} of {self.sources}"


class DerivedRemoved(EntitiesChanged, frozen=True, kw_only=True):
    """A derived value was taken away, with its history."""

    @property
    def sentence(self) -> str:
        return f"{self.entity} was removed"
