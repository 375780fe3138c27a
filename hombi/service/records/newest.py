"""The newest readings: safe on the disk before they are in the database.

To commit one reading, SQLite writes the same page of its table twice, and syncs it. A
memory card wears out by that. Here a reading costs one sector of a file whose size
never changes; the database takes the readings over later, many at a time.

The file is written in rounds, each from its first sector on. The database notes the
last round that it took over, in the transaction in which it does so. After a crash,
readings of a later round are taken over; those of a noted round are there, or were
deleted since.
"""

from __future__ import annotations

import contextlib
import logging
import mmap
import os
import stat
import struct
import zlib
from collections.abc import Sequence
from pathlib import Path

from hombi.core.quality import Quality
from hombi.hub.readings.port import Row

log = logging.getLogger(__name__)

SIZE = 512 << 10
# What a disk writes as one: it is asked for the smallest that it takes.
SECTORS = (512, 4096)
MAGIC = b"HmR1"
# magic, check of all that follows, round, sector: its size, its number, its readings
_HEAD = struct.Struct("<4sIQHHH")
_CHECKED = struct.Struct("<QHHH")
# entity, time, channel, sample, value, quality; no value is written as "not a number"
_ROW = struct.Struct("<qqhddh")
_NONE = float("nan")
EACH_AT_MOST = (SECTORS[-1] - _HEAD.size) // _ROW.size
KNOWN = frozenset(map(int, Quality))


class Newest:
    """Readings on their way into the database, in one file of their own.

    Called in the records thread alone, but for `holds`.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self._file: int | None = None
        self._sector = SECTORS[0]
        self._buffer = mmap.mmap(-1, SIZE)  # direct writes want whole pages of memory
        self._place = 0
        self._oldest: dict[int, int] = {}
        self._times: set[tuple[int, int]] = set()
        self.rows: list[Row] = []
        self.round = 0
        # What of it could not be read, in words.
        self.lost = ""

    def open(self, taken: int) -> None:
        """Read what the database, which took over all rounds up to `taken`, does not
        have yet. A file that cannot be used is left alone: `add` takes nothing then."""
        try:
            before = self._before(taken)
            self.round, rows, holes = _read(before)
            if self.round <= taken:
                self.round, rows, holes = taken + 1, [], 0
            if holes:
                self.lost = (
                    f"{holes} of the sectors in {self._path.name} cannot be read: up to "
                    f"{holes * EACH_AT_MOST} readings of the last seconds are lost, and "
                    f"{len(rows)} beside them are there"
                )
            self._put(rows)
            self._place = SIZE if rows else 0  # it is taken over before more comes in
            if len(before) != SIZE:
                self._make(before)
            self._file, self._sector = _opened(self._path)
        except OSError as error:
            self.round = max(self.round, taken + 1)  # it is not tried again
            log.warning("%s cannot be used (%s); readings go to the database", self._path, error)

    def _before(self, taken: int) -> bytes:
        """What is in the file. Raises OSError for one that is not a file."""
        try:
            kind = self._path.stat().st_mode
        except FileNotFoundError:
            if taken:  # the hub ran here before
                self.lost = (
                    f"{self._path.name} is missing; readings of the last seconds before the stop "
                    "may be lost"
                )
            return b""
        if not stat.S_ISREG(kind):
            raise OSError(f"{self._path.name} is not a file")
        return self._path.read_bytes()

    def close(self) -> None:
        """Let go of the file."""
        if self._file is not None:
            os.close(self._file)
            self._file = None

    def add(self, rows: Sequence[Row]) -> bool:
        """Have these on the disk; or False, if they do not go in."""
        if self._file is None:
            return False
        sector = self._sector
        each = (sector - _HEAD.size) // _ROW.size
        sectors = -(-len(rows) // each)
        length = sectors * sector
        if self._place + length > SIZE:
            return False
        buffer = memoryview(self._buffer)
        for number in range(sectors):
            some = rows[number * each : (number + 1) * each]
            at, place = number * sector, self._place // sector + number
            offset = at + _HEAD.size
            for row in some:
                try:
                    _ROW.pack_into(buffer, offset, *row)
                except struct.error:
                    _ROW.pack_into(buffer, offset, *(_NONE if one is None else one for one in row))
                offset += _ROW.size
            about = _CHECKED.pack(self.round, sector, place, len(some))
            check = zlib.crc32(about + buffer[at + _HEAD.size : offset])
            _HEAD.pack_into(buffer, at, MAGIC, check, self.round, sector, place, len(some))
        try:
            written = os.pwrite(self._file, buffer[:length], self._place)
        except OSError as error:
            log.warning("%s cannot be written (%s); readings go to the database", self._path, error)
            self.close()
            return False
        if written < length:
            return False
        self._place += length
        self._put(rows)
        return True

    def holds(self, entity: int, end_ms: float) -> bool:
        """Whether readings of an entity from before a moment are here, and perhaps not
        in the database."""
        oldest = self._oldest.get(entity)
        return oldest is not None and oldest < end_ms

    def has_any(self, rows: Sequence[Row]) -> bool:
        """Whether one of these is here, by its entity and time."""
        return not self._times.isdisjoint(row[:2] for row in rows)

    def begin(self, after: int) -> None:
        """The database has all of this round: begin another."""
        if self.round == after:
            self.round, self._place = after + 1, 0
            self.rows, self._oldest, self._times = [], {}, set()

    def _put(self, rows: Sequence[Row]) -> None:
        self.rows += rows
        oldest = self._oldest
        for entity, at_ms, *_ in rows:
            self._times.add((entity, at_ms))
            if at_ms < oldest.get(entity, at_ms + 1):
                oldest[entity] = at_ms

    def _make(self, before: bytes) -> None:
        """A file of the right size, all of it written, so that nothing about it changes
        later but what is in it."""
        part = self._path.with_suffix(".part")
        with contextlib.suppress(OSError):
            part.unlink()
        with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(before[:SIZE].ljust(SIZE, b"\0"))
            file.flush()
            os.fsync(file.fileno())
        part.rename(self._path)
        folder = os.open(self._path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)


def _opened(path: Path) -> tuple[int, int]:
    """The file, for writes that are on the disk when they return, and its sector. Where
    it cannot be written past the system's cache, each costs a page."""
    with contextlib.suppress(OSError):
        file = os.open(path, os.O_RDWR | os.O_DIRECT | os.O_DSYNC)
        for sector in SECTORS:
            # The same again into the last sector, which tells nothing by itself.
            with mmap.mmap(-1, SECTORS[-1]) as page, contextlib.suppress(OSError):
                os.preadv(file, [page], SIZE - SECTORS[-1])
                end = memoryview(page)[SECTORS[-1] - sector :]
                try:
                    os.pwrite(file, end, SIZE - sector)
                finally:
                    end.release()
                return file, sector
        os.close(file)
    return os.open(path, os.O_RDWR | os.O_DSYNC), SECTORS[0]


def _read(content: bytes) -> tuple[int, list[Row], int]:
    """The last round in a file, its readings, and how many of its sectors cannot be
    read.

    Sectors of earlier rounds may follow those of the last one. What lies between two
    of the last round, and is neither, is a sector that was written and is lost. One
    behind all of them was torn by a crash: nobody was told that it is safe.
    """
    sectors: list[tuple[int, int, int, list[Row]]] = []
    at = 0
    while at + _HEAD.size <= len(content):
        sector = _sector(content, at)
        if sector is None:
            at += SECTORS[0]
        else:
            sectors.append((at, *sector))
            at += sector[1]
    last = max((round_ for _, round_, _, _ in sectors), default=0)
    rows: list[Row] = []
    holes = end = 0
    for at, round_, size, some in sectors:
        if round_ == last:
            holes += -(-(at - end) // size)
            rows += some
            end = at + size
    return last, rows, holes


def _sector(content: bytes, at: int) -> tuple[int, int, list[Row]] | None:
    """The round, size and readings of a sector; None where none is, or not whole."""
    magic, check, round_, sector, place, count = _HEAD.unpack_from(content, at)
    start = at + _HEAD.size
    some = content[start : start + count * _ROW.size]
    about = _CHECKED.pack(round_, sector, place, count)
    if magic != MAGIC or zlib.crc32(about + some) != check or place * sector != at:
        return None
    if sector not in SECTORS or len(some) < count * _ROW.size:
        return None
    # A quality that this version does not know says nothing of its value.
    rows = [_row(one) for one in _ROW.iter_unpack(some) if one[5] in KNOWN]
    return round_, sector, rows


def _row(found: tuple[int, int, int, float, float, int]) -> Row:
    entity, at_ms, channel, sent, value, quality = found
    return (
        entity, at_ms, channel,
        None if sent != sent else sent, None if value != value else value,  # noqa: PLR0124 - not a number
        quality,
    )  # fmt: skip
