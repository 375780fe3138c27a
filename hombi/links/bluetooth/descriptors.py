"""What a characteristic's descriptors say of it: its name (user description, 0x2901)
and how its number is to be read (presentation format, 0x2904). No I/O.

Core specification, Vol 3, Part G, 3.3.3; formats and units are those of the Assigned
Numbers, 2.4 and 3.5.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from hombi.links.bluetooth.characteristics import (
    Characteristic,
    Held,
    Values,
    boolean,
    float32,
    float64,
    medfloat16,
    medfloat32,
    number,
)

USER_DESCRIPTION, PRESENTATION_FORMAT, NUMBER_OF_DIGITALS = 0x2901, 0x2904, 0x2909
LONGEST_NAME = 40
BOOLEAN, UNSIGNED_16 = 0x01, 0x06


# The formats of one number: whole ones by their bytes and whether they have a sign.
# Those of 12, 48 and 128 bits, texts and structures are left out.
_WHOLE: dict[int, tuple[int, bool]] = {
    0x04: (1, False),
    UNSIGNED_16: (2, False),
    0x07: (3, False),
    0x08: (4, False),
    0x0A: (8, False),
    0x0C: (1, True),
    0x0E: (2, True),
    0x0F: (3, True),
    0x10: (4, True),
    0x12: (8, True),
}
_FLOATING: dict[int, Callable[[bytes], float | None]] = {
    0x14: float32,
    0x15: float64,
    0x16: medfloat16,
    0x17: medfloat32,
}
_UNITS: dict[int, tuple[str, str]] = {
    0x2701: ("m", "distance"),
    0x2702: ("kg", "mass"),
    0x2703: ("s", "duration"),
    0x2704: ("A", "current"),
    0x2705: ("K", "temperature"),
    0x2711: ("m³", "volume"),
    0x2712: ("m/s", "speed"),
    0x2720: ("rad", "angle"),
    0x2722: ("Hz", "frequency"),
    0x2724: ("Pa", "pressure"),
    0x2725: ("J", "energy"),
    0x2726: ("W", "power"),
    0x2728: ("V", "voltage"),
    0x272F: ("°C", "temperature"),
    0x2731: ("lx", "illuminance"),
    0x2760: ("min", "duration"),
    0x2761: ("h", "duration"),
    0x2763: ("°", "angle"),
    0x2767: ("l", "volume"),
    0x2780: ("bar", "pressure"),
    0x2781: ("mmHg", "pressure"),
    0x27A7: ("km/h", "speed"),
    0x27AB: ("kWh", "energy"),
    0x27AC: ("°F", "temperature"),
    0x27AD: ("%", "level"),
    0x27AF: ("1/min", "pulse"),
    0x27C4: ("ppm", "co2"),
    0x27C5: ("ppb", "voc"),
}


@dataclass(frozen=True, slots=True)
class Presentation:
    """How a number is to be read: value = raw * 10 ** exponent, in the unit of a
    number of the SIG's."""

    format: int
    exponent: int
    unit: int

    def of(self, name: str) -> Characteristic | None:
        """The characteristic that is read so; None for a format that is not one
        number."""
        if self.format == BOOLEAN:
            return Characteristic((Held(name, "activity"),), boolean)
        unit, kind = _UNITS.get(self.unit, ("", "number"))
        held = Held(name, kind, unit)
        if self.format in _WHOLE:
            size, signed = _WHOLE[self.format]
            return number(held, size, 10.0**self.exponent, signed=signed)
        if (read := _FLOATING.get(self.format)) is None:
            return None
        return Characteristic((held,), partial(_scaled, read, 10.0**self.exponent))


def _scaled(read: Callable[[bytes], float | None], scale: float, data: bytes) -> Values:
    raw = read(data)
    return [None if raw is None else float(f"{raw * scale:.12g}")]


def presentation(data: bytes) -> Presentation | None:
    """What a presentation format says; None for one that is too short."""
    if len(data) < struct.calcsize("<BbH"):
        return None
    return Presentation(*struct.unpack_from("<BbH", data))


def user_description(data: bytes) -> str:
    """A name that the node's maker or owner gave a characteristic; "" for none."""
    text = data.decode(errors="replace").strip("\0 ")
    return "".join(sign for sign in text if sign.isprintable())[:LONGEST_NAME].strip()
