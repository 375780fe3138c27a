"""The data folder, looked at before the hub opens it: what is wrong with it is said in
words, and nothing is changed."""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
import sqlite3
import stat
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

from hombi.hub.backup.archive import kept_backups
from hombi.hub.machine.private_file import write_private
from hombi.hub.machine.workspace import left_over

DATABASE, SECRET, LOCK = "hub.sqlite3", "secret.key", "hub.lock"  # the names of files
NEWEST = "newest.sqlite3"
# In its place up to version 0.3.
FORMER_NEWEST = "newest.readings"
# What is the house's beside the database.
HOUSE_FILES = (
    "hombi.toml",
    SECRET,
    "authority.pem",
    "https.pem",
    "profiles",
    NEWEST,
    FORMER_NEWEST,
)
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
        if not os.access(data, os.W_OK | os.X_OK):
            raise PermissionError(0, "it cannot be written")
    except OSError as error:
        raise DataError(
            f"the data folder {data} cannot be used ({error.strerror or error}); set "
            f"HOMBI_DATA to another"
        ) from error
    _moved(data)
    _secret(data)
    _database(data / DATABASE)


def read_secret(data: Path) -> str:
    """The hub's own key, made when there is none. Raises DataError for one that is no
    key."""
    path = data / SECRET
    if not path.exists():
        write_private(path, secrets.token_urlsafe(50).encode())
    try:
        result = path.read_text().strip()
    except (OSError, UnicodeDecodeError) as error:
        raise DataError(f"{path} cannot be read ({error}); put it back from a backup") from error
    if len(result) < SECRET_LENGTH:
        raise DataError(
            f"{path} is empty or cut short. Put it back from a backup. Without one, "
            f"delete it and start once with "
            "`hombi serve --new-secrets`: what was sealed with it is forgotten and must "
            "be set up again"
        )
    return result


@contextlib.contextmanager
def holding(data: Path) -> Iterator[None]:
    """Hold the data folder's lock. Raises DataError when another hub holds it."""
    with (data / LOCK).open("a+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            file.seek(0)
            raise DataError(
                f"another hub (process {file.read().strip() or '?'}) runs on {data}; "
                f"stop it, or set HOMBI_DATA to another folder"
            ) from error
        file.truncate(0)
        file.write(str(os.getpid()))
        file.flush()
        yield


def moved_aside(data: Path, why: str) -> Path:
    """Move the house of a data folder into a folder within, and give that."""
    aside = data / f"{why}-{datetime.now():%Y-%m-%d-%H%M%S-%f}"
    aside.mkdir(mode=0o700)
    for path in house_files(data):
        # A salvaged house keeps everything but its database.
        if why != "damaged" or path.name.startswith(DATABASE):
            path.rename(aside / path.name)
    return aside


def house_files(data: Path) -> list[Path]:
    """What belongs to the house. The database comes before its log: no hub takes it for
    whole without."""
    patterns = (DATABASE, f"{DATABASE}-*", f"{NEWEST}-*", *HOUSE_FILES)
    return [path for pattern in patterns for path in data.glob(pattern)]


def _moved(data: Path) -> None:
    """A house that was being moved when the power went is not a new one."""
    if (data / DATABASE).exists():
        return
    for what, before in (("restore", "before-restore"), ("salvage", "damaged")):
        if left_over(data, what):
            asides = [path for path in sorted(data.glob(f"{before}-*")) if path.is_dir()]
            kept = f"; what was there before is in {asides[-1]}" if asides else ""
            back = "" if what == "restore" else f"move its files back into {data}, and "
            raise DataError(
                f"a {what} of {data} was stopped before it was done{kept}: {back}run "
                f"`hombi {what}` again"
            )


def _secret(data: Path) -> None:
    try:
        read_secret(data)
    except OSError as error:
        raise DataError(f"{data / SECRET} cannot be made ({error.strerror or error})") from error


def _owners_only(data: Path) -> None:
    """Take away what others may do with the folder and the files in it, also those of
    before."""
    for path in (data, *data.iterdir()):
        if path.is_symlink():
            continue  # what it leads to is not ours, or is not there at all
        mode = path.stat().st_mode
        if stat.S_IMODE(mode) & 0o077 and (stat.S_ISREG(mode) or stat.S_ISDIR(mode)):
            path.chmod(stat.S_IMODE(mode) & ~0o077)


def before_update(data: Path) -> Path:
    """Where the copy of before the last update is."""
    return data / "backups" / "before-update.sqlite3"


def _way_out(path: Path) -> str:
    """What a person can do about a damaged database."""
    try:
        last = kept_backups(path.parent / "backups")[-1]
    except (OSError, IndexError):
        sentence = "`hombi restore FILE` puts a backup in its place"
    else:
        made = datetime.fromtimestamp(last.stat().st_mtime)
        sentence = f"`hombi restore {last}` puts the backup of {made:%d %B %Y %H:%M} in its place"
    return f"{sentence}; `hombi salvage` takes over what can still be read"


def _database(path: Path) -> None:
    if not path.exists():
        return
    again = _way_out(path)
    try:
        with sqlite3.connect(f"file:{path}?mode=rw", uri=True, timeout=10) as connection:
            connection.execute("BEGIN IMMEDIATE")
            connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
            small = path.stat().st_size <= LOOKED_THROUGH
            problem = connection.execute("PRAGMA quick_check(1)").fetchone()[0] if small else "ok"
            connection.execute("ROLLBACK")
        connection.close()
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
