"""The characteristics of the Bluetooth SIG that the hub understands, as a table: what
each holds, and how its bytes are read. No I/O.

The formats are those of the GATT Specification Supplement; the UUIDs those of the
Assigned Numbers, 3.8. A characteristic with several fields, such as a blood pressure,
holds several values.
"""

from __future__ import annotations

import math
import struct
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from hombi.links.bluetooth.errors import GattError

KG_PER_LB = 0.45359237
Values = Sequence[float | None]


@dataclass(frozen=True, slots=True)
class Held:
    """One value that a characteristic holds: what it is called, the key of its kind,
    and the unit that it is in."""

    name: str
    kind: str
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Characteristic:
    """What a characteristic holds, and how its bytes are read: one value for each that
    it holds, None for one that the node does not know. `write` makes the bytes of its
    only value; None for one that is only read.

    `read` raises GattError, IndexError or struct.error for bytes that are none of it.
    """

    holds: tuple[Held, ...]
    read: Callable[[bytes], Values]
    write: Callable[[float | None], bytes] | None = None

    def decode(self, data: bytes) -> Values:
        """The values in its bytes. Raises GattError."""
        try:
            return self.read(data)
        except (struct.error, IndexError) as error:
            raise GattError(f"{self.holds[0].name}: {len(data)} bytes are too few") from error

    def encode(self, value: float | None) -> bytes:
        """The bytes of its only value. Raises GattError for one that does not fit."""
        assert self.write is not None, f"{self.holds[0].name} cannot be written"
        try:
            return self.write(value)
        except OverflowError as error:
            raise GattError(f"{self.holds[0].name}: {value:g} does not fit") from error


# Numbers


def whole(data: bytes, size: int, *, signed: bool = False) -> int:
    """A whole number of `size` bytes, the lowest first. Raises IndexError."""
    if len(data) < size:
        raise IndexError
    return int.from_bytes(data[:size], "little", signed=signed)


def medfloat16(data: bytes) -> float | None:
    """A number of IEEE 11073-20601's 16 bits (SFLOAT): a mantissa of 12 bits and a
    decimal exponent of 4. None for NaN, NRes, the reserved one and the infinities."""
    raw = whole(data, 2)
    mantissa, exponent = raw & 0xFFF, raw >> 12
    if 0x7FE <= mantissa <= 0x802 and exponent == 0:
        return None
    mantissa -= 0x1000 if mantissa & 0x800 else 0
    return _decimal(mantissa, exponent - (16 if exponent & 8 else 0))


def medfloat32(data: bytes) -> float | None:
    """A number of IEEE 11073-20601's 32 bits (FLOAT): a mantissa of 24 bits and a
    decimal exponent of 8. None for NaN, NRes, the reserved one and the infinities."""
    raw = whole(data, 4)
    mantissa, exponent = raw & 0xFFFFFF, raw >> 24
    if 0x7FFFFE <= mantissa <= 0x800002 and exponent == 0:
        return None
    mantissa -= 0x1000000 if mantissa & 0x800000 else 0
    return _decimal(mantissa, exponent - (256 if exponent & 128 else 0))


def _decimal(mantissa: int, exponent: int) -> float:
    """Divided, not multiplied by a tenth: 365 tenths are 36.5."""
    return mantissa / 10**-exponent if exponent < 0 else float(mantissa * 10**exponent)


def _ieee(form: str) -> Callable[[bytes], float | None]:
    """A number of IEEE 754; None for one that is not finite."""

    def read(data: bytes) -> float | None:
        (value,) = struct.unpack_from(form, data)
        return value if math.isfinite(value) else None

    return read


float32, float64 = _ieee("<f"), _ieee("<d")


def number(
    held: Held, size: int, scale: float = 1.0, unknown: int | None = None, *, signed: bool = False
) -> Characteristic:
    """One whole number: value = raw * scale, `unknown` the raw one that means "value is
    not known"."""

    def read(data: bytes) -> Values:
        raw = whole(data, size, signed=signed)
        return [None if raw == unknown else float(f"{raw * scale:.12g}")]

    def write(value: float | None) -> bytes:
        raw = unknown if value is None else round(value / scale)
        assert raw is not None, f"{held.name} has no mark for no value"
        return raw.to_bytes(size, "little", signed=signed)

    return Characteristic((held,), read, write)


def _unsigned(
    name: str, kind: str, unit: str, bits: int, scale: float = 1.0, unknown: int | None = None
) -> Characteristic:
    return number(Held(name, kind, unit), bits // 8, scale, unknown)


def _known(name: str, kind: str, unit: str, bits: int, scale: float = 1.0) -> Characteristic:
    """An unsigned number whose highest raw value means "value is not known"."""
    return _unsigned(name, kind, unit, bits, scale, (1 << bits) - 1)


def _signed(
    name: str, kind: str, unit: str, bits: int, scale: float = 1.0, unknown: int | None = None
) -> Characteristic:
    return number(Held(name, kind, unit), bits // 8, scale, unknown, signed=True)


def _gas(name: str, kind: str = "mass-concentration") -> Characteristic:
    """A medfloat16 in kg/m³."""

    def read(data: bytes) -> Values:
        value = medfloat16(data)
        return [None if value is None else round(value * 1e9, 6)]

    return Characteristic((Held(name, kind, "µg/m³"),), read)


def _words(name: str, *words: str, first: int = 0) -> Characteristic:
    """An enumeration whose raw values from `first` on have words; the others are "not
    known" or reserved."""

    def read(data: bytes) -> Values:
        place = whole(data, 1) - first
        return [float(place) if 0 <= place < len(words) else None]

    return Characteristic((Held(name, "|".join(("choice", *words))),), read)


def boolean(data: bytes) -> Values:
    """One byte, 0 or 1; the others are prohibited."""
    return [{0: 0.0, 1: 1.0}.get(whole(data, 1))]


def _axes(name: str, count: int) -> Characteristic:
    """A magnetic flux density by axes, in steps of 0.1 µT."""
    holds = tuple(Held(f"{name} {axis} (µT)", "number") for axis in "xyz"[:count])
    return Characteristic(
        holds,
        lambda data: [round(raw * 0.1, 6) for raw in struct.unpack_from(f"<{count}h", data)],
    )


# Several fields, some of which are there only when a flag says so


def _temperature_measurement(data: bytes) -> Values:
    """Flag 0: in °F."""
    value = medfloat32(data[1:])
    if value is not None and data[0] & 1:
        value = round((value - 32) / 1.8, 4)
    return [value]


def _blood_pressure(data: bytes) -> Values:
    """Flag 0: in kPa; flag 1: a time of 7 bytes follows; flag 2: a pulse after it."""
    flags, at = data[0], 7
    values = [medfloat16(data[start:]) for start in (1, 3, 5)]
    if flags & 1:
        values = [None if v is None else round(v * 7.50061683, 4) for v in values]
    at += 7 if flags & 2 else 0
    return [*values, medfloat16(data[at:]) if flags & 4 else None]


def _heart_rate(data: bytes) -> Values:
    """Flag 0: of 16 bits."""
    return [float(whole(data[1:], 2 if data[0] & 1 else 1))]


def _weight_measurement(data: bytes) -> Values:
    """Flag 0: in 0.01 lb, else in 0.005 kg. 0xFFFF: the measurement failed."""
    raw = whole(data[1:], 2)
    scale = 0.01 * KG_PER_LB if data[0] & 1 else 0.005
    return [None if raw == 0xFFFF else round(raw * scale, 4)]


def _body_composition(data: bytes) -> Values:
    """Flags of 16 bits, then the share of fat. 0xFFFF: the measurement failed."""
    raw = whole(data[2:], 2)
    return [None if raw == 0xFFFF else round(raw * 0.1, 4)]


def _oximeter(data: bytes) -> Values:
    """Flags of 8 bits, then the oxygen and the pulse."""
    return [medfloat16(data[1:]), medfloat16(data[3:])]


def _battery_status(data: bytes) -> Values:
    """Flag 0: an identifier of 16 bits follows the power state; flag 1: the level after
    it. Of the power state, bits 5 and 6 say what the charge does, 7 and 8 how much
    there is; 0 is "unknown"."""
    flags, state = data[0], whole(data[1:], 2)
    at = 5 if flags & 1 else 3
    level = float(data[at]) if flags & 2 else None
    does, much = state >> 5 & 3, state >> 7 & 3
    return [level, does - 1.0 if does else None, much - 1.0 if much else None]


def _average(scale: float) -> Callable[[bytes], Values]:
    """A value of 16 bits; the time over which it is the average follows."""

    def read(data: bytes) -> Values:
        raw = whole(data, 2)
        return [None if raw == 0xFFFF else round(raw * scale, 6)]

    return read


_MEASURED = Characteristic((Held("temperature", "temperature", "°C"),), _temperature_measurement)
_PRESSURES = (
    Held("systolic pressure", "blood-pressure", "mmHg"),
    Held("diastolic pressure", "blood-pressure", "mmHg"),
    Held("mean arterial pressure", "blood-pressure", "mmHg"),
    Held("pulse", "pulse", "1/min"),
)
_OXIMETER = Characteristic(
    (Held("blood oxygen (%)", "number"), Held("pulse", "pulse", "1/min")), _oximeter
)
_AMOUNTS = ("good", "low", "critical")

CHARACTERISTICS: Mapping[int, Characteristic] = {
    # Environment
    0x2A2C: _unsigned("magnetic declination", "angle", "°", 16, 0.01),
    0x2A6C: _signed("elevation", "distance", "m", 24, 0.01),
    0x2A6D: _unsigned("pressure", "pressure", "Pa", 32, 0.1),
    0x2A6E: _signed("temperature", "temperature", "°C", 16, 0.01, -0x8000),
    0x2A6F: _known("humidity", "humidity", "%", 16, 0.01),
    0x2A70: _unsigned("wind speed", "speed", "m/s", 16, 0.01),
    0x2A71: _unsigned("wind direction", "wind-direction", "°", 16, 0.01),
    0x2A72: _unsigned("apparent wind speed", "speed", "m/s", 16, 0.01),
    0x2A73: _unsigned("apparent wind direction", "wind-direction", "°", 16, 0.01),
    0x2A74: _unsigned("gust factor", "number", "", 8, 0.1),
    0x2A75: _unsigned("pollen (1/m³)", "number", "", 24),
    0x2A76: _unsigned("UV index", "number", "", 8),
    0x2A77: _unsigned("irradiance", "irradiance", "W/m²", 16, 0.1),
    0x2A78: _unsigned("rainfall", "rain", "mm", 16),
    0x2A79: _signed("wind chill", "temperature", "°C", 8),
    0x2A7A: _signed("heat index", "temperature", "°C", 8),
    0x2A7B: _signed("dew point", "temperature", "°C", 8),
    0x2AA0: _axes("magnetic field", 2),
    0x2AA1: _axes("magnetic field", 3),
    0x2AA3: _words(
        *("pressure trend", "falling", "rising", "falling, then steady", "rising, then steady"),
        *("falling, then rising less", "falling, then rising more"),
        *("rising, then falling more", "rising, then falling less", "steady"),
        first=1,
    ),
    0x2AFB: _known("illuminance", "illuminance", "lx", 24, 0.01),
    0x2B8C: _known("CO₂", "co2", "ppm", 16),
    0x2BCF: _gas("ammonia"),
    0x2BD0: _gas("carbon monoxide"),
    0x2BD1: _known("methane (ppb)", "number", "", 16),
    0x2BD2: _gas("nitrogen dioxide"),
    0x2BD3: _known("non-methane VOC", "voc", "ppb", 16),
    0x2BD4: _gas("ozone"),
    0x2BD5: _gas("PM1", "pm1"),
    0x2BD6: _gas("PM2.5", "pm25"),
    0x2BD7: _gas("PM10", "pm10"),
    0x2BD8: _gas("sulphur dioxide"),
    0x2BD9: _gas("sulphur hexafluoride"),
    0x2BDF: _signed("high temperature", "temperature", "°C", 16, 0.5, -0x8000),
    0x2BE4: _known("noise", "sound", "dB", 8),
    0x2BE7: _known("VOC", "voc", "ppb", 16),
    0x2B0D: _signed("temperature", "temperature", "°C", 8, 0.5, 0x7F),
    # Electricity
    0x2AE0: Characteristic((Held("average current", "current", "A"),), _average(0.01)),
    0x2AE1: Characteristic((Held("average voltage", "voltage", "V"),), _average(1 / 64)),
    0x2AEE: _known("current", "current", "A", 16, 0.01),
    0x2AF2: _known("energy", "energy", "kWh", 24),
    0x2B05: _known("power", "power", "W", 24, 0.1),
    0x2B18: _known("voltage", "voltage", "V", 16, 1 / 64),
    0x2B8A: _known("apparent power", "power", "VA", 24, 0.1),
    0x2B8D: _signed("power factor", "number", "", 8, 0.01, 0x7F),
    0x2BE0: _known("high voltage", "voltage", "V", 24, 1 / 64),
    0x2BE8: _known("frequency", "frequency", "Hz", 16, 1 / 256),
    # Light
    0x2AE9: _known("colour temperature", "white", "K", 16),
    0x2AFC: _known("luminous efficacy (lm/W)", "number", "", 16, 0.1),
    0x2AFF: _known("luminous flux (lm)", "number", "", 16),
    0x2B01: _known("luminous intensity (cd)", "number", "", 16),
    0x2B03: _unsigned("perceived lightness", "level", "%", 16, 100 / 0xFFFF),
    0x2BE2: _known("light output (lm)", "number", "", 24),
    # Amounts
    0x2AE2: Characteristic((Held("state", "switch"),), boolean),
    0x2AE8: Characteristic((Held("coefficient", "number"),), lambda data: [float32(data)]),
    0x2AEA: _known("count", "count", "", 16),
    0x2AEB: _known("count", "count", "", 24),
    0x2AF9: _unsigned("level", "level", "%", 16, 100 / 0xFFFF),
    0x2B02: _known("mass flow (g/s)", "number", "", 16),
    0x2B04: _known("percentage", "level", "%", 8, 0.5),
    0x2B14: _known("time", "duration", "h", 24),
    0x2B15: _known("time", "duration", "ms", 24),
    0x2B16: _known("time", "duration", "s", 16),
    0x2B17: _known("time", "duration", "s", 8),
    0x2B1B: _known("flow", "flow", "l/s", 16),
    0x2BE6: _known("time", "duration", "s", 32),
    # What a household weighs and measures
    0x2A1C: _MEASURED,
    0x2A1E: _MEASURED,
    0x2A35: Characteristic(_PRESSURES, _blood_pressure),
    0x2A36: Characteristic(_PRESSURES, _blood_pressure),
    0x2A37: Characteristic((Held("pulse", "pulse", "1/min"),), _heart_rate),
    0x2A5E: _OXIMETER,
    0x2A5F: _OXIMETER,
    0x2A8E: _unsigned("height", "distance", "m", 16, 0.01),
    0x2A98: _unsigned("weight", "mass", "kg", 16, 0.005),
    0x2A9C: Characteristic((Held("body fat (%)", "number"),), _body_composition),
    0x2A9D: Characteristic((Held("weight", "mass", "kg"),), _weight_measurement),
    # The node itself
    0x2A19: _known("battery", "battery", "%", 8),
    0x2BED: Characteristic(
        (
            Held("battery", "battery", "%"),
            Held("charge", "choice|charging|in use|at rest"),
            Held("charge level", "|".join(("choice", *_AMOUNTS))),
        ),
        _battery_status,
    ),
}
