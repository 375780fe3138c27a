"""What characteristics hold: the formats of the Bluetooth SIG's GATT specifications. No
I/O.

Environmental Sensing (0x181A), Battery (0x180F), Device Information (0x180A),
Automation IO (0x1815).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

ENVIRONMENTAL_SENSING, BATTERY_SERVICE, DEVICE_INFORMATION, AUTOMATION_IO = (
    0x181A,
    0x180F,
    0x180A,
    0x1815,
)
SERVICES = (ENVIRONMENTAL_SENSING, BATTERY_SERVICE, AUTOMATION_IO)
MANUFACTURER_NAME, MODEL_NUMBER, FIRMWARE = 0x2A29, 0x2A24, 0x2A26
TEMPERATURE, HUMIDITY, PRESSURE, BATTERY_LEVEL, DIGITAL = 0x2A6E, 0x2A6F, 0x2A6D, 0x2A19, 0x2A56
# The descriptor that says how many signals a Digital characteristic has (Automation IO,
# 3.1.1).
NUMBER_OF_DIGITALS = 0x2909
_BASE = "-0000-1000-8000-00805f9b34fb"
# Automation IO, 3.1: each digital signal has two bits, the first signal the lowest.
INACTIVE, ACTIVE, UNKNOWN = 0b00, 0b01, 0b11


class GattError(Exception):
    """Bytes that are not a value of their characteristic; the message says which."""


@dataclass(frozen=True, slots=True)
class Format:
    """How a characteristic holds a number: bytes, sign, the mark for "no value", and
    value = raw * scale in `unit`."""

    name: str
    kind: str
    unit: str
    size: int
    signed: bool
    scale: float
    invalid: int | None

    def decode(self, data: bytes) -> float | None:
        """The value, None when the node has none. Raises GattError."""
        if len(data) < self.size:
            raise GattError(f"{self.name}: {len(data)} of {self.size} bytes")
        raw = int.from_bytes(data[: self.size], "little", signed=self.signed)
        return None if raw == self.invalid else round(raw * self.scale, 6)

    def encode(self, value: float | None) -> bytes:
        """The bytes of a value; for the lab's nodes."""
        raw = self.invalid if value is None else round(value / self.scale)
        assert raw is not None, f"{self.name} has no mark for no value"
        return raw.to_bytes(self.size, "little", signed=self.signed)


FORMATS: dict[int, Format] = {
    TEMPERATURE: Format("temperature", "temperature", "°C", 2, True, 0.01, -0x8000),
    HUMIDITY: Format("humidity", "humidity", "%", 2, False, 0.01, 0xFFFF),
    PRESSURE: Format("pressure", "pressure", "Pa", 4, False, 0.1, None),
    BATTERY_LEVEL: Format("battery", "battery", "%", 1, False, 1.0, 0xFF),
}


def digital(data: bytes) -> list[bool | None]:
    """The signals in a Digital characteristic; None for one that is unknown or driven
    by nobody. Raises GattError."""
    if not data:
        raise GattError("digital: no bytes")
    return [
        {INACTIVE: False, ACTIVE: True}.get(byte >> shift & 3)
        for byte in data
        for shift in (0, 2, 4, 6)
    ]


def encode_digital(on: bool) -> bytes:
    """The Digital characteristic of one signal."""
    return bytes((ACTIVE if on else INACTIVE,))


def with_digital(data: bytes, index: int, on: bool) -> bytes:
    """A Digital characteristic as it was read, with one of its signals changed and the
    others as they are. Raises GattError."""
    at, shift = index // 4, index % 4 * 2
    if at >= len(data):
        raise GattError(f"digital: {len(data)} bytes, and no signal {index + 1}")
    changed = bytearray(data)
    changed[at] = data[at] & ~(3 << shift) | (ACTIVE if on else INACTIVE) << shift
    return bytes(changed)


def uuid(short: int) -> str:
    """A 16-bit UUID in full (Core specification, Vol 3, Part B, 2.5.1)."""
    return f"0000{short:04x}{_BASE}"


def short_uuid(full: str) -> int | None:
    """The 16 bits of a UUID of the Bluetooth SIG's; None for another's."""
    text = full.lower()
    if len(text) != 36 or not text.startswith("0000") or not text.endswith(_BASE):
        return None
    try:
        return int(text[4:8], 16)
    except ValueError:
        return None


def known(services: Iterator[str] | list[str]) -> set[int]:
    """Those of the services that the hub can use."""
    return {
        short
        for service in services
        if (short := short_uuid(service)) in SERVICES and short is not None
    }
