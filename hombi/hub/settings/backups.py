"""What can be set of backups."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class BackupSettings:
    """When, where, how many are kept, and what they are sealed with; no folder is the
    data folder's own `backups`."""

    at: int = 3 * 60 + 30
    keep: int = 3
    folder: str = ""
    passphrase: str = field(default="", repr=False)
    on: bool = True
