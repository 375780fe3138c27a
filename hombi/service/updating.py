"""Bringing the database up to date when the hub starts: by Django's migrations, with a
way back. To be imported after `django.setup()`."""

from __future__ import annotations

import contextlib
import os
import sqlite3
import sys
import traceback
from collections.abc import Callable, Iterator
from contextlib import nullcontext
from importlib.util import find_spec
from pathlib import Path
from pkgutil import iter_modules

from django.apps import apps
from django.core.management import call_command
from django.db import DatabaseError, connection
from django.db.migrations.recorder import MigrationRecorder

from hombi.service.data_folder import before_update
from hombi.service.records.sealing import WrongKey, forget_all
from hombi.service.start_error import WRONG_KEY, StartError

OURS = ("records", "accounts")
# Since then a session is stored under the hash of its key; those of before are void.
SIGNS_OUT = ("records", "0006_sealed")
Names = set[tuple[str, str]]


def bring_up_to_date(*, new_secrets: bool) -> None:
    """Bring it up to date. With `new_secrets` the sealed ones are forgotten then.
    Raises StartError."""
    with _in_words():
        _take_back_what_was_cut_off(Path(connection.settings_dict["NAME"]))
        applied, known = set(MigrationRecorder(connection).applied_migrations()), _known()
        if newer := sorted(name for app, name in applied - known if app in OURS):
            raise StartError(
                f"this data was written by a newer Hombi ({newer[-1]} is not known "
                f"here); install that one again, "
                "or put back a backup of before"
            )
        if known - applied:
            # In a process of its own: what it takes would stay for as long as the hub
            # runs, a tenth of its memory.
            _in_a_child(lambda: _migrate(update=bool(applied)))
            if applied and SIGNS_OUT not in applied:
                print("This update signs every browser out; everybody signs in once more.")  # noqa: T201
        if new_secrets:
            forget_all(connection)


@contextlib.contextmanager
def _in_words() -> Iterator[None]:
    """What goes wrong with the database, as a StartError."""
    try:
        yield
    except WrongKey as error:
        raise StartError(WRONG_KEY.format(error)) from error
    except DatabaseError as error:
        raise StartError(
            f"the database cannot be brought up to date ({error}); put a backup in its place"
        ) from error


def _known() -> Names:
    """The migrations of this version, by app and name. They are not loaded."""
    result: Names = set()
    for app in apps.get_app_configs():
        spec = find_spec(f"{app.name}.migrations")
        places = spec.submodule_search_locations if spec is not None else None
        result |= {(app.label, module.name) for module in iter_modules(places or [])}
    return result


def _in_a_child(work: Callable[[], None]) -> None:
    """Raises StartError with what the work raised."""
    connection.close()
    sys.stdout.flush()
    reads, writes = os.pipe()
    child = os.fork()
    if child == 0:
        content = b""
        try:
            work()
        except BaseException as error:  # noqa: BLE001 - whatever it is, the parent says it
            if not isinstance(error, StartError):
                traceback.print_exc()
            content = str(error).encode() or b"the database was not brought up to date"
        os.write(writes, content)
        os._exit(0)
    os.close(writes)
    with os.fdopen(reads, "rb") as pipe:
        content = pipe.read()
    _, status = os.waitpid(child, 0)
    if status:
        raise StartError("the database was not brought up to date: that was stopped; start again")
    if content:
        raise StartError(content.decode(errors="replace"))


def _migrate(*, update: bool) -> None:
    way_back = _way_back(Path(connection.settings_dict["NAME"])) if update else nullcontext()
    with _in_words(), way_back:
        call_command("migrate", verbosity=0, interactive=False)
    connection.close()


@contextlib.contextmanager
def _way_back(database: Path) -> Iterator[None]:
    """Keep a copy of the database while it is brought up to date; what fails leaves it
    as it was. The copy of the last update that was finished stays."""
    copy, begun = before_update(database.parent), _begun(database.parent)
    part = copy.with_suffix(".part")
    connection.close()
    try:
        copy.parent.mkdir(mode=0o700, exist_ok=True)
        part.unlink(missing_ok=True)
        _copy(database, part)
        # The copy before stays until it is known that there is room for this one.
        part.replace(copy)
        begun.touch(mode=0o600)
        _sync(copy.parent)
    except (OSError, sqlite3.Error) as error:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        raise StartError(
            f"the database was not brought up to date, since no copy of it can be kept at {copy} "
            f"({error}); make room on the disk, and start again"
        ) from error
    try:
        yield
    except Exception as error:
        connection.close()
        try:
            put_back(database)
        except OSError as worse:
            raise StartError(
                f"the update of the database failed ({error}), and so did taking it back "
                f"({worse}); start the hub again, which puts back how it was before ({copy})"
            ) from error
        raise StartError(
            f"the update of the database failed ({error}), and it is as it was before; install "
            "the earlier Hombi again, and tell its makers"
        ) from error
    connection.close()
    begun.unlink()
    _sync(copy.parent)


def _begun(data: Path) -> Path:
    """The mark of an update that is under way: while it is there, the database may be
    half of each version."""
    return data / "backups" / "before-update.begun"


def put_back(database: Path) -> None:
    """Have the copy of before an update in the place of the database. It is moved, not
    written: that needs no room on a full disk. The log beside the database goes first;
    SQLite would play what the update wrote into the copy. Raises OSError."""
    copy = before_update(database.parent)
    for suffix in ("-wal", "-shm"):
        database.with_name(database.name + suffix).unlink(missing_ok=True)
    copy.replace(database)
    _sync(database.parent)
    _begun(database.parent).unlink(missing_ok=True)


def _take_back_what_was_cut_off(database: Path) -> None:
    """An update that a kill or a power cut ended is taken back, and made anew."""
    if not _begun(database.parent).exists():
        return
    try:
        if before_update(database.parent).exists():
            put_back(database)
        else:  # it was put back already, and the mark was left
            _begun(database.parent).unlink()
    except OSError as error:
        raise StartError(
            f"an update of the database was cut off, and it cannot be put back as it was "
            f"({error}); how it was is in {before_update(database.parent)}"
        ) from error


def _copy(database: Path, to: Path) -> None:
    """A whole copy of a database in a file of its own, on the disk when this
    returns."""
    with (
        contextlib.closing(sqlite3.connect(database)) as result,
        contextlib.closing(sqlite3.connect(to)) as copy,
    ):
        result.backup(copy)
        copy.execute("PRAGMA journal_mode=DELETE")
    with to.open("rb") as file:
        os.fsync(file.fileno())


def _sync(folder: Path) -> None:
    number = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(number)
    finally:
        os.close(number)
