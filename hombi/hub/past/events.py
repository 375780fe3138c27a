"""What happens to imported pasts."""

from __future__ import annotations

from hombi.hub.kernel.events import Event, Quiet


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
