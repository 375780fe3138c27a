"""Taking over what can still be read of a damaged database: table by table, row by row,
into a fresh one. The damaged file stays as it is."""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from hombi.core.series.rollup import DAY_MS, FIVE_MINUTES_MS, HOUR_MS
from hombi.hub.backup.archive import proved
from hombi.hub.machine.workspace import workspace
from hombi.service.data_folder import DATABASE, SECRET, holding, moved_aside
from hombi.service.table_places import keep_places, readable

PAGES = (500, 20, 1)
ROWID = "rowid"
# Beyond this no row can be: a row's number, a time in ms, a channel.
LAST_ROW, LAST_MS, LAST_CHANNEL = 1 << 40, 1 << 43, 1 << 15
LAST_ENTITY = 100_000
WIDTHS_MS = (FIVE_MINUTES_MS, HOUR_MS, DAY_MS)

_Row = tuple[Any, ...]


class SalvageError(Exception):
    """Nothing can be salvaged; the message says why."""


@dataclass
class Salvaged:
    """How many rows of each table were taken over, in how many places something could
    not be read, and where the damaged file is now."""

    rows: dict[str, int] = field(default_factory=dict)
    holes: dict[str, int] = field(default_factory=dict)
    orphans: int = 0
    # For how many values and nodes that are lost something stands in, since readings of
    # them are there.
    stood_in: int = 0
    aside: Path = Path()


def salvage(data: Path) -> Salvaged:
    """Put a fresh database with what can be read into a damaged one's place. Raises
    SalvageError, DataError."""
    damaged = data / DATABASE
    if not damaged.exists():
        raise SalvageError(f"there is no {damaged}")
    with holding(data), workspace(data, "salvage") as folder:
        if (data / SECRET).exists():
            shutil.copy(data / SECRET, folder)
        fresh = _fresh(folder)
        done = Salvaged()
        source = readable(damaged, folder)
        with (
            contextlib.closing(sqlite3.connect(f"file:{source}?mode=ro", uri=True)) as old,
            contextlib.closing(sqlite3.connect(fresh)) as new,
        ):
            old.text_factory = lambda text: text.decode(errors="replace")
            for table in _tables(new):
                _take_over(old, new, table, done)
            new.commit()
            done.stood_in = _with_parents(new)
            done.orphans = _without_parents(new)
            new.commit()
        if not any(done.rows.values()):
            raise SalvageError(f"nothing of {damaged} can be read; put a backup in its place")
        if wrong := proved(fresh):
            raise SalvageError(f"what was salvaged is not whole ({wrong})")
        done.aside = moved_aside(data, "damaged")
        fresh.rename(damaged)
        keep_places(damaged)
        os.sync()  # whoever reads that it is done may pull the plug
    return done


def _fresh(folder: Path) -> Path:
    """An empty database of this version."""
    import django  # noqa: PLC0415 - the settings look at the folder when they are loaded

    os.environ["HOMBI_DATA"] = str(folder)
    os.environ["DJANGO_SETTINGS_MODULE"] = "hombi.service.settings"
    django.setup()
    from django.core.management import call_command  # noqa: PLC0415
    from django.db import connection  # noqa: PLC0415

    call_command("migrate", verbosity=0, interactive=False)
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        cursor.execute("PRAGMA journal_mode=DELETE")
    connection.close()
    return folder / DATABASE


def _tables(new: sqlite3.Connection) -> list[str]:
    """Those that people's data is in; sessions are made anew by signing in."""
    rows = new.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")
    left_out = ("django_", "sqlite_", "auth_permission", "auth_group")
    return [name for (name,) in rows if not name.startswith(left_out)]


def _take_over(
    old: sqlite3.Connection, new: sqlite3.Connection, table: str, done: Salvaged
) -> None:
    try:
        known = [row[1] for row in old.execute(f"PRAGMA table_info({table})")]
    except sqlite3.DatabaseError:
        known = []
    columns = [row[1] for row in new.execute(f"PRAGMA table_info({table})") if row[1] in known]
    done.rows[table] = done.holes[table] = 0
    if not columns:
        return
    named, marks = ", ".join(f'"{column}"' for column in columns), ", ".join("?" * len(columns))
    put = f"INSERT OR IGNORE INTO {table} ({named}) VALUES ({marks})"  # noqa: S608 - names of our own tables
    for stretch in _stretches(old, new, table, named):
        for rows in stretch.pages():
            for row in rows:
                done.rows[table] += new.execute(put, row).rowcount
        done.holes[table] += stretch.holes


@dataclass
class _Stretch:
    """Rows that follow each other by a key: all of a table, or those of one entity in
    the order of time."""

    old: sqlite3.Connection
    table: str
    named: str
    among: dict[str, int]
    key: list[str]
    last: int
    step: int
    holes: int = 0

    def pages(self) -> Iterator[list[_Row]]:
        """All that can be read, in order; each place that cannot is a hole."""
        length = len(self.key)
        at = self._place(0)
        while True:
            # Where a page cannot be read, the rows before the fault still can.
            sizes = (rows for size in PAGES if (rows := self._from(at, size)) is not None)
            rows = next(sizes, None)
            if rows is None:
                self.holes += 1
                if (beyond := self._beyond(at)) is None:
                    return
                at = beyond
            elif not rows:
                return
            else:
                yield [row[length:] for row in rows]
                *before, last = rows[-1][:length]
                at = (*before, last + 1)

    def _place(self, *first: int) -> _Row:
        return (*first, *[0] * (len(self.key) - len(first)))

    def _from(self, at: _Row, size: int) -> list[_Row] | None:
        """The rows from a place on, each with its key before it; None when they cannot
        be read. Not those *after* a place: to find these, SQLite first goes to the
        place itself, which may lie in the fault. (Of a table without row numbers, the
        one row between a lost page and the next cannot be had this way either.)"""
        key, marks = ", ".join(self.key), ", ".join("?" * len(self.key))
        where = " AND ".join([*(f"{one} = ?" for one in self.among), f"({key}) >= ({marks})"])
        rowids = "NOT INDEXED" if self.key == [ROWID] else ""
        query = (
            f"SELECT {key}, {self.named} FROM {self.table} {rowids} "  # noqa: S608
            f"WHERE {where} ORDER BY {key} LIMIT ?"
        )
        try:
            return self.old.execute(query, (*self.among.values(), *at, size)).fetchall()
        except sqlite3.DatabaseError:
            return None

    def _beyond(self, at: _Row) -> _Row | None:
        """The first place after a hole from which it can be read again: by leaps that
        grow, and back by halves."""
        closed, leap = at[0], self.step
        while self._from(self._place(closed + leap), 1) is None:
            closed, leap = closed + leap, leap * 2
            if closed > self.last:
                return None
        opened = closed + leap
        before: _Row = ()
        for _ in self.key:
            while opened - closed > 1:
                middle = (closed + opened) // 2
                if self._from(self._place(*before, middle), 1) is None:
                    closed = middle
                else:
                    opened = middle
            # Among those that share this first part of the key, too.
            before, result = (*before, closed), self._place(*before, opened)
            closed, opened = 0, LAST_CHANNEL
        return result


def _stretches(
    old: sqlite3.Connection, new: sqlite3.Connection, table: str, named: str
) -> Iterator[_Stretch]:
    if _has_rowids(new, table):
        yield _Stretch(old, table, named, {}, [ROWID], LAST_ROW, 1)
        return
    # Clustered by entity (rollups by their width too), and then by time.
    columns = sorted(
        (row[5], row[1]) for row in new.execute(f"PRAGMA table_info({table})") if row[5]
    )
    key = [name for _, name in columns if name not in ("entity_id", "width_ms")]
    widths = WIDTHS_MS if "width_ms" in (name for _, name in columns) else (None,)
    for entity in range(1, _highest(old, new) + 1):
        for width in widths:
            among = {"entity_id": entity} | ({} if width is None else {"width_ms": width})
            yield _Stretch(old, table, named, among, key, LAST_MS, 60_000)


def _highest(old: sqlite3.Connection, new: sqlite3.Connection) -> int:
    """The highest number that an entity may have: also of those whose own page is
    lost."""
    highest = int(new.execute("SELECT coalesce(max(id), 0) FROM records_entity").fetchone()[0])
    for query in (
        "SELECT seq FROM sqlite_sequence WHERE name = 'records_entity'",
        "SELECT max(entity_id) FROM records_reading",
    ):
        with contextlib.suppress(sqlite3.DatabaseError, TypeError):
            highest = max(highest, int(old.execute(query).fetchone()[0]))
    return min(highest, LAST_ENTITY)


def _with_parents(new: sqlite3.Connection) -> int:
    """Put something in the place of lost nodes and entities of which readings are
    there; how many those are. A year of readings is worth more than their names, which
    a person gives anew."""
    made = 0
    of = "SELECT DISTINCT entity_id FROM {}"
    tables = ("records_reading", "records_rollup", "records_channel", "records_conditioning")
    there = " UNION ".join(of.format(table) for table in tables)
    lost = f"{there} EXCEPT SELECT id FROM records_entity"  # noqa: S608
    entities = [number for (number,) in new.execute(lost)]
    node: int | None = None
    for number in entities:
        node = node or _stand_in_node(new)
        kind, unit, channel = _sent(new, number)
        _stand_in(
            new, "records_entity", id=number, node_id=node, name=f"value-{number}",
            title=f"Value {number}", kind=kind, wire_name=f"value-{number}", wire_unit=unit,
            low=-1e15, high=1e15, writable=0, hidden=0, source="{}", sink="{}", channel=channel,
            derivation="{}", own="{}",
        )  # fmt: skip
    made += len(entities) + (node is not None)
    nodes = (
        "SELECT DISTINCT node_id FROM records_entity WHERE node_id IS NOT NULL "
        "EXCEPT SELECT id FROM records_node"
    )
    for (number,) in new.execute(nodes).fetchall():
        _stand_in_node(new, number)
        made += 1
    # A room of which the page is lost: its nodes are in none.
    for table in ("records_node", "records_entity"):
        new.execute(
            f"UPDATE {table} SET room_id = NULL "  # noqa: S608 - names of our own tables
            "WHERE room_id NOT IN (SELECT id FROM records_room)"
        )
    _stand_in_channels(new)
    return made


def _sent(new: sqlite3.Connection, entity: int) -> tuple[str, str, int]:
    """The kind, unit and number of the channel over which an entity was sent last."""
    result = new.execute(
        "SELECT kind, unit, number FROM records_channel WHERE entity_id = ? AND file = '' "
        "ORDER BY since_ms DESC LIMIT 1",
        (entity,),
    ).fetchone()
    return result or ("number", "", 0)


def _stand_in_node(new: sqlite3.Connection, number: int | None = None) -> int:
    name = f"salvaged-{number}" if number else "salvaged"
    more = {"id": number} if number else {}
    return _stand_in(
        new, "records_node", address=name, title=name.replace("-", " ").capitalize(), link="wifi",
        thing_id=f"urn:hombi:{name}", key_hash="", admitted_ms=0, removed=0, reach="{}",
        offer="{}", **more,
    )  # fmt: skip


def _stand_in_channels(new: sqlite3.Connection) -> None:
    """Each entity that is sent something has the channels that its readings name."""
    missing = new.execute(
        "SELECT e.id, e.kind, e.wire_unit, coalesce(r.channel, 0) FROM records_entity e "
        "LEFT JOIN (SELECT DISTINCT entity_id, channel FROM records_reading) r "
        "ON r.entity_id = e.id WHERE e.derivation = '{}' AND NOT EXISTS (SELECT 1 FROM "
        "records_channel c WHERE c.entity_id = e.id AND c.number = coalesce(r.channel, 0))"
    ).fetchall()
    for entity, kind, unit, channel in missing:
        _stand_in(
            new, "records_channel", entity_id=entity, number=channel, kind=kind, unit=unit,
            since_ms=0, file="",
        )  # fmt: skip


def _stand_in(new: sqlite3.Connection, table: str, **values: object) -> int:
    names, marks = ", ".join(values), ", ".join("?" * len(values))
    put = f"INSERT OR IGNORE INTO {table} ({names}) VALUES ({marks})"  # noqa: S608
    return int(new.execute(put, tuple(values.values())).lastrowid or 0)


def _has_rowids(new: sqlite3.Connection, table: str) -> bool:
    try:
        new.execute(f"SELECT {ROWID} FROM {table} LIMIT 0")  # noqa: S608
    except sqlite3.OperationalError:
        return False
    return True


def _without_parents(new: sqlite3.Connection) -> int:
    """Delete what belongs to something that is lost; how many rows that was."""
    gone = 0
    while result := new.execute("PRAGMA foreign_key_check").fetchall():
        for table, rowid, _, _ in result:
            if rowid is not None:
                new.execute(f"DELETE FROM {table} WHERE rowid = ?", (rowid,))  # noqa: S608
            else:
                new.execute(
                    f"DELETE FROM {table} WHERE entity_id NOT IN (SELECT id FROM records_entity)"  # noqa: S608
                )
            gone += 1
    return gone
