"""The camera over the hen yard: a snapshot as a PNG (ISO/IEC 15948), drawn from how the
mill is."""

from __future__ import annotations

import math
import struct
import zlib

from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from hombi.lab.physics import Mill

WIDTH, HEIGHT = 160, 100
# The scene is drawn on 320 by 200.
FINER = 2
HORIZON = 120
PATH = "/camera/hen-yard.png"
Colour = tuple[int, int, int]
SKY, GRASS, WALL, DOOR, HEN, LAMP = (
    (150, 190, 225), (96, 122, 62), (134, 92, 62), (58, 40, 30), (238, 226, 205), (255, 214, 120),
)  # fmt: skip
HENS = ((60, 150), (95, 168), (140, 146), (172, 178), (40, 182))


def png(rows: list[bytes], width: int) -> bytes:
    """Rows of RGB bytes as a PNG."""

    def chunk(name: bytes, data: bytes) -> bytes:
        checked = zlib.crc32(name + data)
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", checked)

    head = struct.pack(">IIBBBBB", width, len(rows), 8, 2, 0, 0, 0)
    body = zlib.compress(b"".join(b"\0" + row for row in rows), 6)
    signature = b"\x89PNG\r\n\x1a\n"
    return signature + chunk(b"IHDR", head) + chunk(b"IDAT", body) + chunk(b"IEND", b"")


def snapshot(mill: Mill) -> bytes:
    """What the camera sees now."""
    # By night it sees little: a fifth of a bright day.
    across = FINER * WIDTH
    light = 0.2 + 0.8 * min(1.0, math.log10(1 + mill.outdoor.light) / 4.5)
    rows = [
        b"".join(bytes(_lit(_colour(mill, x, y), light, x, y)) for x in range(0, across, FINER))
        for y in range(0, FINER * HEIGHT, FINER)
    ]
    return png(rows, WIDTH)


def _lit(colour: Colour, light: float, x: int, y: int) -> Colour:
    grain = ((x * 7 + y * 13) % 11 - 5) // 2  # the noise of a cheap sensor
    red, green, blue = (max(0, min(255, round(part * light) + grain)) for part in colour)
    return red, green, blue


def _colour(mill: Mill, x: int, y: int) -> Colour:
    if 210 <= x < 300 and 70 <= y < 160:  # the hen house
        if 240 <= x < 268 and 112 <= y < 160:
            return LAMP if mill.devices.hen_lamp else DOOR
        return WALL
    if (
        y > HORIZON
        and not mill.hens_inside
        and any(math.hypot(x - a, 1.4 * (y - b)) < 9 for a, b in HENS)
    ):
        return HEN
    return SKY if y < HORIZON else GRASS


def camera_routes(mill: Mill) -> list[Route]:
    """Where it answers."""

    def shown(request: Request) -> Response:
        return Response(snapshot(mill), media_type="image/png")

    return [Route(PATH, shown)]
