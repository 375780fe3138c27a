"""What happens to values that are computed from others."""

from __future__ import annotations

from hombi.hub.readings.events import EntitiesChanged


class ComputedAdded(EntitiesChanged, frozen=True, kw_only=True):
    """A value is computed from others from now on, and for the past."""

    method: str
    sources: str

    @property
    def sentence(self) -> str:
        return f"{self.entity} is the {self.method.replace('-', ' ')} of {self.sources}"


class ComputedRemoved(EntitiesChanged, frozen=True, kw_only=True):
    """A computed value was taken away, with its history."""

    @property
    def sentence(self) -> str:
        return f"{self.entity} was removed"
