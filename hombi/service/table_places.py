"""Where each table of the database begins, kept beside it. SQLite writes that down in
the database's first pages alone: where one of those is lost, nothing else can be read.
"""

from __future__ import annotations

import contextlib
import sqlite3
import struct
from collections.abc import Iterator
from pathlib import Path

import msgspec

from hombi.hub.machine.private_file import write_private

FIRST_PAGE = 1
# How much of a file is copied or made at once.
AT_ONCE = 16 << 20
# The write-ahead log (SQLite's file format, section 4): a header, and before each page
# a head with its number, the size of the database after it (0 within a transaction) and
# the header's salt.
LOG_HEADER, FRAME_HEAD = struct.Struct(">4xII4x8s8x"), struct.Struct(">II8s8x")

_Row = tuple[str, str, str, int, str | None]


class Tables(msgspec.Struct, frozen=True):
    """The rows of `sqlite_schema`, and the size of a page."""

    page_size: int
    rows: list[_Row]


def beside(database: Path) -> Path:
    """The file for a database."""
    return database.with_name(f"{database.name}-tables")


def keep_places(database: Path) -> None:
    """Write down where the tables of a database begin, if that has changed. Raises
    OSError, sqlite3.DatabaseError."""
    with contextlib.closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as connection:
        (page_size,) = connection.execute("PRAGMA page_size").fetchone()
        every = "SELECT type, name, tbl_name, rootpage, sql FROM sqlite_schema ORDER BY rowid"
        content = msgspec.json.encode(Tables(page_size, connection.execute(every).fetchall()))
    file = beside(database)
    if not file.exists() or file.read_bytes() != content:
        write_private(file, content)


def readable(database: Path, folder: Path) -> Path:
    """A database whose tables can be found: this one; or, where its first pages are
    lost, a copy in `folder` with new ones, if their places were kept. Raises
    OSError."""
    with contextlib.suppress(sqlite3.DatabaseError):
        with contextlib.closing(
            sqlite3.connect(f"file:{database}?mode=ro", uri=True)
        ) as connection:
            connection.execute("SELECT count(*) FROM sqlite_schema").fetchone()
        return database
    try:
        tables = msgspec.json.decode(beside(database).read_bytes(), type=Tables)
    except (OSError, msgspec.DecodeError):
        return database
    return _with_new_first_pages(database, tables, folder / "readable.sqlite3")


def _with_new_first_pages(database: Path, tables: Tables, made: Path) -> Path:
    """SQLite itself writes the new pages: a database of the same size is made, and told
    where the tables begin; with its pages behind all others, these are put in. Its
    first page alone stays, and leads to the new ones."""
    size = tables.page_size
    log = dict(_committed(database.with_name(f"{database.name}-wal"), size))
    pages = max(database.stat().st_size // size, *log, FIRST_PAGE)
    with contextlib.closing(sqlite3.connect(made)) as new:
        new.executescript(
            f"PRAGMA page_size={size}; PRAGMA journal_mode=OFF; PRAGMA synchronous=OFF; "
            "CREATE TABLE filler (x);"
        )
        for first in range(0, pages * size, AT_ONCE):
            length = min(AT_ONCE, pages * size - first)
            new.execute("INSERT INTO filler VALUES (zeroblob(?))", (length,))
        new.execute("PRAGMA writable_schema=ON")
        new.execute("DELETE FROM sqlite_schema")
        new.executemany("INSERT INTO sqlite_schema VALUES (?, ?, ?, ?, ?)", tables.rows)
        new.commit()
    with database.open("rb") as source, made.open("r+b") as target:
        for place in (source, target):
            place.seek(FIRST_PAGE * size)
        while block := source.read(AT_ONCE):
            target.write(block)
        for page, content in log.items():
            if page != FIRST_PAGE:
                target.seek((page - 1) * size)
                target.write(content)
    return made


def _committed(log: Path, size: int) -> Iterator[tuple[int, bytes]]:
    """The pages in a write-ahead log that belong to whole transactions, in order."""
    try:
        content = log.read_bytes()
        _, page_size, salt = LOG_HEADER.unpack_from(content)
    except (OSError, struct.error):
        return
    if page_size != size:
        return
    begun: list[tuple[int, bytes]] = []
    step = FRAME_HEAD.size + size
    for at in range(LOG_HEADER.size, len(content) - step + 1, step):
        page, committed, salt_then = FRAME_HEAD.unpack_from(content, at)
        if salt_then != salt:
            return
        begun.append((page, content[at + FRAME_HEAD.size : at + step]))
        if committed:
            yield from begun
            begun.clear()
