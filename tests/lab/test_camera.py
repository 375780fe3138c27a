"""The lab's camera gives pictures that others can read."""

from __future__ import annotations

import struct
import zlib

from hombi.lab.camera import HEIGHT, HEN, WIDTH, snapshot
from hombi.lab.physics import Mill

NOON, MIDNIGHT = 1_795_000_000.0 // 86_400 * 86_400 + 43_200, 1_795_000_000.0 // 86_400 * 86_400


def pixels(png: bytes) -> list[tuple[int, int, int]]:
    """The pixels of a PNG, read by the standard alone; each chunk's sum is checked."""
    assert png[:8] == b"\x89PNG\r\n\x1a\n"
    at, result = 8, {}
    while at < len(png):
        (size,) = struct.unpack(">I", png[at : at + 4])
        name, data = png[at + 4 : at + 8], png[at + 8 : at + 8 + size]
        assert struct.unpack(">I", png[at + 8 + size : at + 12 + size])[0] == zlib.crc32(
            name + data
        )
        result[name] = data
        at += 12 + size
    width, height, depth, colour = struct.unpack(">IIBB", result[b"IHDR"][:10])
    assert (width, height, depth, colour) == (WIDTH, HEIGHT, 8, 2)
    raw = zlib.decompress(result[b"IDAT"])
    rows = [raw[n * (3 * width + 1) + 1 : (n + 1) * (3 * width + 1)] for n in range(height)]
    return [(r[x], r[x + 1], r[x + 2]) for r in rows for x in range(0, 3 * width, 3)]


def test_a_day_is_brighter_than_a_night() -> None:
    day, night = (pixels(snapshot(Mill(7, at))) for at in (NOON, MIDNIGHT))
    assert sum(map(sum, day)) > 2 * sum(map(sum, night))
    assert all(0 <= part <= 255 for one in day for part in one)
    assert HEN not in night
