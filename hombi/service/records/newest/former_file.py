"""`newest.readings`: the file in which Hombi kept the newest readings up to version
0.3. What a killed hub left in it is taken over once."""

from __future__ import annotations

import struct
import zlib

from hombi.core.quality import Quality
from hombi.hub.readings.port import Row

SECTORS = (512, 4096)
MAGIC = b"HmR1"
# magic, check of all that follows, round, sector: its size, its number, its readings
_HEAD = struct.Struct("<4sIQHHH")
_CHECKED = struct.Struct("<QHHH")
# entity, time, channel, sample, value, quality; no value is written as "not a number"
_ROW = struct.Struct("<qqhddh")
_KNOWN = frozenset(map(int, Quality))


def read(content: bytes) -> tuple[int, list[Row]]:
    """The last round in a file, and its readings; (0, []) where there are none. A
    sector that is not whole is left out."""
    sectors: list[tuple[int, list[Row]]] = []
    at = 0
    while at + _HEAD.size <= len(content):
        sector = _sector(content, at)
        if sector is None:
            at += SECTORS[0]
        else:
            size, number, rows = sector
            sectors.append((number, rows))
            at += size
    last = max((number for number, _ in sectors), default=0)
    return last, [row for number, rows in sectors if number == last for row in rows]


def _sector(content: bytes, at: int) -> tuple[int, int, list[Row]] | None:
    """The size, round and readings of a sector; None where none is, or not whole."""
    magic, check, number, size, place, count = _HEAD.unpack_from(content, at)
    start = at + _HEAD.size
    body = content[start : start + count * _ROW.size]
    about = _CHECKED.pack(number, size, place, count)
    if magic != MAGIC or zlib.crc32(about + body) != check or place * size != at:
        return None
    if size not in SECTORS or len(body) < count * _ROW.size:
        return None
    # A quality that this version does not know says nothing of its value.
    return size, number, [_row(fields) for fields in _ROW.iter_unpack(body) if fields[5] in _KNOWN]


def _row(fields: tuple[int, int, int, float, float, int]) -> Row:
    entity, at_ms, channel, sent, value, quality = fields
    return (
        entity, at_ms, channel,
        None if sent != sent else sent, None if value != value else value,  # noqa: PLR0124 - not a number
        quality,
    )  # fmt: skip
