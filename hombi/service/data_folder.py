"""The data folder, looked at before the hub opens it: what is wrong with it is said in
words, and nothing is changed."""

from __future__ import annotations

import os
import secrets
import sqlite3
import stat
from pathlib import Path

DATABASE, SECRET = "hub.sqlite3", "secret.key"  # the names of files
# Made of 50 random bytes; what is much shorter was cut.
SECRET_LENGTH = 40
# Up to this size the whole database is looked through at each start.
LOOKED_THROUGH = 64 << 20


class DataError(Exception):
    """The data folder cannot be used; the message says why and what to do."""


def prepare(data: Path) -> None:
    """Make the folder and its key, and shut it off from other users of the machine.
    Raises DataError."""
    os.umask(0o077)
    try:
        data.mkdir(parents=True, exist_ok=True, mode=0o700)
        _owners_only(data)
    except OSError as error:
        raise DataError(
            f"the data folder {data} cannot be used ({error.strerror or error}); set "
            f"HOMBI_DATA to another"
        ) from error
    _secret(data)
    _database(data / DATABASE)


def read_secret(data: Path) -> str:
    """The hub's own key, made when there is none. Raises DataError for one that is no
    key."""
    path = data / SECRET
    if not path.exists():
        fresh = path.with_name(f"{SECRET}.{os.getpid()}")
        with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
            file.write(secrets.token_urlsafe(50))
            file.flush()
            os.fsync(file.fileno())
        fresh.rename(path)  # it is there whole, or not at all
    try:
        found = path.read_text().strip()
    except (OSError, UnicodeDecodeError) as error:
        raise DataError(f"{path} cannot be read ({error}); put it back from a backup") from error
    if len(found) < SECRET_LENGTH:
        raise DataError(
            f"{path} is empty or cut short. Put it back from a backup. Without one, "
            f"delete it and start once with "
            "`hombi serve --new-secrets`: what was sealed with it is forgotten and must "
            "be set up again"
        )
    return found


def _secret(data: Path) -> None:
    try:
        read_secret(data)
    except OSError as error:
        raise DataError(f"{data / SECRET} cannot be made ({error.strerror or error})") from error


def _owners_only(data: Path) -> None:
    """Take away what others may do with the folder and the files in it, also those of
    before."""
    for path in (data, *data.iterdir()):
        mode = path.stat().st_mode
        if (
            not path.is_symlink()
            and stat.S_IMODE(mode) & 0o077
            and (stat.S_ISREG(mode) or stat.S_ISDIR(mode))
        ):
            path.chmod(stat.S_IMODE(mode) & ~0o077)


def _database(path: Path) -> None:
    if not path.exists():
        return
    again = f"Put a backup in its place, or move {path} away to begin with an empty house"
    try:
        with sqlite3.connect(f"file:{path}?mode=rw", uri=True, timeout=10) as found:
            found.execute("BEGIN IMMEDIATE")
            found.execute("SELECT count(*) FROM sqlite_master").fetchone()
            small = path.stat().st_size <= LOOKED_THROUGH
            problem = found.execute("PRAGMA quick_check(1)").fetchone()[0] if small else "ok"
            found.execute("ROLLBACK")
        found.close()
    except sqlite3.OperationalError as error:
        if "malformed" in str(error):
            raise DataError(f"the database {path} is damaged ({error}). {again}") from error
        raise DataError(
            f"the database {path} cannot be written ({error}); see to whom it belongs, "
            f"and whether its disk is read-only or full"
        ) from error
    except sqlite3.DatabaseError as error:
        raise DataError(f"the database {path} is damaged ({error}). {again}") from error
    if problem != "ok":
        raise DataError(f"the database {path} is damaged ({problem}). {again}")
