"""Backups of the whole house: made while the hub runs, proved by opening them, and
checked without it."""

from hombi.hub.backup.archive import (
    DATABASE,
    About,
    BackupError,
    is_sealed,
    kept_backups,
    proved,
    unpack,
)
from hombi.hub.backup.part import Backups, Made, MakeBackup

__all__ = [
    "DATABASE",
    "About",
    "BackupError",
    "Backups",
    "Made",
    "MakeBackup",
    "is_sealed",
    "kept_backups",
    "proved",
    "unpack",
]
