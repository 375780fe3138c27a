"""Services and UUIDs of the Bluetooth SIG, and the digital signals of Automation IO. No
I/O."""

from __future__ import annotations

from hombi.links.bluetooth.errors import GattError

ENVIRONMENTAL_SENSING, BATTERY_SERVICE, DEVICE_INFORMATION, AUTOMATION_IO = (
    0x181A,
    0x180F,
    0x180A,
    0x1815,
)
HEALTH_THERMOMETER, HEART_RATE, BLOOD_PRESSURE = 0x1809, 0x180D, 0x1810
BODY_COMPOSITION, WEIGHT_SCALE, PULSE_OXIMETER = 0x181B, 0x181D, 0x1822
# Nodes that offer one of these are connected to.
SERVICES = (
    *(ENVIRONMENTAL_SENSING, BATTERY_SERVICE, AUTOMATION_IO),
    *(HEALTH_THERMOMETER, HEART_RATE, BLOOD_PRESSURE),
    *(BODY_COMPOSITION, WEIGHT_SCALE, PULSE_OXIMETER),
)
# What the stack itself has (GAP and GATT) holds nothing that was sensed.
OF_THE_STACK = (0x1800, 0x1801)
MANUFACTURER_NAME, MODEL_NUMBER, FIRMWARE = 0x2A29, 0x2A24, 0x2A26
TEMPERATURE, HUMIDITY, PRESSURE, BATTERY_LEVEL = 0x2A6E, 0x2A6F, 0x2A6D, 0x2A19
DIGITAL, ANALOG = 0x2A56, 0x2A58
_BASE = "-0000-1000-8000-00805f9b34fb"
# Automation IO, 3.1: each digital signal has two bits, the first signal the lowest.
INACTIVE, ACTIVE, UNKNOWN = 0b00, 0b01, 0b11


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
