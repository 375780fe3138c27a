"""What becomes of backups."""

from __future__ import annotations

from hombi.hub.kernel.events import Event


class BackupMade(Event, frozen=True, kw_only=True):
    """A backup was made and proved; without a path, for somebody who asked for it."""

    path: str
    size: int

    @property
    def sentence(self) -> str:
        where = f" at {self.path}" if self.path else ""
        return f"a backup of {self.size / 1e6:.1f} MB was made{where}"


class BackupFailed(Event, frozen=True, kw_only=True):
    """The night's backup could not be made."""

    problem: str

    @property
    def sentence(self) -> str:
        return f"no backup was made: {self.problem}"
