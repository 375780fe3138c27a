"""A point: one attribute or tunnelled value of a node, and how it becomes the value of
an entity or a setting.

`SERVED` is the table of the standard clusters (ZCL specification, chapters 3 to 10); a
node profile may add to it, or change it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from hombi.core.kinds import kind_by_key
from hombi.links.zigbee import datatypes as dt

BASIC, POWER, IDENTIFY, TIME, POLL_CONTROL = 0x0000, 0x0001, 0x0003, 0x000A, 0x0020
ON_OFF, LEVEL = 0x0006, 0x0008
LOCK, COVERING, THERMOSTAT, FAN, COLOUR = 0x0101, 0x0102, 0x0201, 0x0202, 0x0300
ILLUMINANCE, TEMPERATURE, PRESSURE, FLOW, HUMIDITY, OCCUPANCY = (
    0x0400,
    0x0402,
    0x0403,
    0x0404,
    0x0405,
    0x0406,
)
IAS_ZONE, METERING, ELECTRICAL = 0x0500, 0x0702, 0x0B04
MAKE, MODEL, POWER_SOURCE, SOFTWARE = 0x0004, 0x0005, 0x0007, 0x4000
ZONE_STATE, ZONE_TYPE, ZONE_STATUS, ZONE_OWNER = 0x0000, 0x0001, 0x0002, 0x0010
LINK_QUALITY = "link quality"
# A colour temperature of 1 K, in millionths of its reciprocal.
MIREDS = 1_000_000

# IAS zone types (ZCL, 8.2.2.2.1.3): the kind of entity that its first alarm is.
ZONE_KINDS = {
    0x000D: "occupancy",
    0x0015: "contact",
    0x0028: "smoke",
    0x002A: "leak",
    0x002B: "gas",
    0x002D: "vibration",
}
TAMPER, BATTERY_LOW = 0x0004, 0x0008


@dataclass(frozen=True, slots=True)
class Reports:
    """How often a value is reported: `change` in the attribute's own steps."""

    shortest_s: int
    longest_s: int
    change: float = 0


@dataclass(frozen=True, slots=True)
class Point:
    """Where a value is (`endpoint`, `cluster`, `attribute`; or the number of a
    tunnelled value) and what it means.

    value = raw * scale + addend in `unit`, unless `curve` says otherwise: "lux" for the
    logarithm of ZCL 4.2.2.2.1.1, "bits" for any of the bits of `mask`, "bcd" for a
    number in decimal digits, "mired" for a colour temperature (5.2.2.2.1.8). `whole`
    rounds, so that what is written can be told from what is read back. A kind with
    words has in `raws` the raw value of each word. `clear_s` is for nodes that say when
    something begins and never when it is over.
    """

    name: str
    kind: str
    cluster: int
    attribute: int
    type: int
    unit: str = ""
    scale: float = 1.0
    addend: float = 0.0
    curve: str = ""
    mask: int = 0
    whole: bool = False
    writable: bool = False
    setting: bool = False
    hidden: bool = False
    endpoint: int = 1
    manufacturer: int = 0
    tunnelled: bool = False
    reports: Reports | None = None
    low: float | None = None
    high: float | None = None
    clear_s: float = 0.0
    raws: tuple[int, ...] = ()

    @property
    def wire(self) -> str:
        """Its name on the wire: endpoint, cluster, attribute and the maker whose it is
        in hex, or the tunnelled value's number."""
        if self.tunnelled:
            return f"{self.endpoint}/dp{self.attribute}"
        bits = f"/{self.mask:04X}" if self.mask else ""
        maker = f"@{self.manufacturer:04X}" if self.manufacturer else ""
        return f"{self.endpoint}/{self.cluster:04X}/{self.attribute:04X}{bits}{maker}"

    @property
    def title(self) -> str:
        """Its name as it is shown."""
        if self.name.casefold() == self.kind and (title := kind_by_key(self.kind).title):
            return title
        return self.name[:1].upper() + self.name[1:]

    @property
    def moment(self) -> bool:
        """Whether a report of it is something that happens."""
        return not self.setting and kind_by_key(self.kind).moment

    @property
    def binary(self) -> bool:
        """Whether it has two states only."""
        return kind_by_key(self.kind).two_states if not self.setting else self.type == dt.BOOL

    def value(self, raw: Any) -> float | bool | None:
        """What a raw value comes to; None for one that is none."""
        if raw is None or isinstance(raw, str | bytes | list):
            return None
        if self.raws:
            # A number that stands for none of the words is not known.
            return float(self.raws.index(raw)) if raw in self.raws else None
        if self.curve == "mired":
            return round(MIREDS / raw) if raw > 0 else None
        if self.curve == "bcd":
            raw = _from_bcd(raw)
        if self.curve == "lux":
            # 0xFFFE is the most that the attribute says (4.2.2.2.1.1), whatever type a
            # node gives it.
            return 0.0 if raw <= 0 else 10 ** ((min(raw, 0xFFFE) - 1) / 10_000)
        if self.curve == "bits":
            return bool(raw & self.mask)
        if self.binary:
            return bool(raw)
        value = raw * self.scale + self.addend
        if self.whole:
            return float(
                max(1, round(value)) if raw > 0 else round(value)
            )  # the least that is on is not off
        return round(float(value), 9)

    def raw(self, value: float | bool) -> int | float:
        """The raw value to write for a value."""
        if self.raws:
            return self.raws[int(value)]
        if self.curve == "mired":
            return round(MIREDS / value)
        if self.binary:
            return int(value)
        raw = (value - self.addend) / self.scale
        return raw if self.type in (dt.SINGLE, dt.DOUBLE) else round(raw)


def _p(
    name: str,
    kind: str,
    cluster: int,
    attribute: int,
    type_: int,
    unit: str = "",
    scale: float = 1.0,
    **more: Any,
) -> Point:
    return Point(name, kind, cluster, attribute, type_, unit, scale, **more)


_SLOW = Reports(3600, 21_600, 2)
_SOIL = Reports(60, 900, 100)

SERVED: tuple[Point, ...] = (
    _p("battery", "battery", POWER, 0x0021, dt.U8, "%", 0.5, reports=_SLOW),
    _p("battery voltage", "voltage", POWER, 0x0020, dt.U8, "V", 0.1, reports=_SLOW, hidden=True),
    _p("switch", "switch", ON_OFF, 0x0000, dt.BOOL, writable=True, reports=Reports(0, 600)),
    _p("level", "level", LEVEL, 0x0000, dt.U8, "%", 100 / 254, whole=True, writable=True,
        reports=Reports(1, 600, 3)),
    _p("illuminance", "illuminance", ILLUMINANCE, 0x0000, dt.U16, "lx", curve="lux",
        reports=Reports(10, 600, 1000)),
    _p("temperature", "temperature", TEMPERATURE, 0x0000, dt.S16, "°C", 0.01,
        reports=Reports(10, 600, 20)),
    _p("pressure", "pressure", PRESSURE, 0x0000, dt.S16, "hPa", reports=Reports(60, 900, 1)),
    _p("flow", "flow", FLOW, 0x0000, dt.U16, "m³/h", 0.1, reports=Reports(10, 600, 1)),
    _p("humidity", "humidity", HUMIDITY, 0x0000, dt.U16, "%", 0.01, reports=Reports(10, 600, 100)),
    _p("occupancy", "occupancy", OCCUPANCY, 0x0000, dt.BITMAP8, curve="bits", mask=1,
        reports=Reports(0, 600)),
    _p("leaf wetness", "moisture", 0x0407, 0x0000, dt.U16, "%", 0.01, reports=_SOIL),
    _p("soil moisture", "moisture", 0x0408, 0x0000, dt.U16, "%", 0.01, reports=_SOIL),
    _p("acidity", "acidity", 0x0409, 0x0000, dt.U16, "pH", 0.01, reports=Reports(60, 900, 5)),
    _p("conductivity", "conductivity", 0x040A, 0x0000, dt.U16, "µS/cm", 1.0,
        reports=Reports(60, 900, 5)),
    _p("CO", "co", 0x040C, 0x0000, dt.SINGLE, "ppm", 1e6, reports=Reports(30, 600, 5e-6)),
    _p("CO2", "co2", 0x040D, 0x0000, dt.SINGLE, "ppm", 1e6, reports=Reports(30, 600, 25e-6)),
    _p("wind", "speed", 0x040B, 0x0000, dt.U16, "m/s", 0.01, reports=Reports(10, 600, 50)),
    _p("PM1", "pm1", 0x042C, 0x0000, dt.SINGLE, "µg/m³", reports=Reports(30, 600, 1)),
    _p("VOC", "voc", 0x042E, 0x0000, dt.SINGLE, "ppb", reports=Reports(30, 600, 10)),
    _p("PM2.5", "pm25", 0x042A, 0x0000, dt.SINGLE, "µg/m³", reports=Reports(30, 600, 1)),
    _p("formaldehyde", "formaldehyde", 0x042B, 0x0000, dt.SINGLE, "ppm", 1e6,
        reports=Reports(30, 600, 1e-8)),
    _p("PM10", "pm10", 0x042D, 0x0000, dt.SINGLE, "µg/m³", reports=Reports(30, 600, 1)),
    _p("energy", "energy", METERING, 0x0000, dt.U48, "kWh", reports=Reports(60, 900, 1)),
    _p("demand", "power", METERING, 0x0400, dt.S24, "kW", reports=Reports(5, 300, 5)),
    _p("power", "power", ELECTRICAL, 0x050B, dt.S16, "W", reports=Reports(5, 300, 5)),
    _p("voltage", "voltage", ELECTRICAL, 0x0505, dt.U16, "V", reports=Reports(30, 600, 2)),
    _p("current", "current", ELECTRICAL, 0x0508, dt.U16, "A", reports=Reports(10, 600, 5)),
)  # fmt: skip

# Attributes that a value is multiplied with, and divided by; one that is missing or
# zero counts as 1.
FACTORS: dict[tuple[int, int], tuple[int, int]] = {
    (METERING, 0x0000): (0x0301, 0x0302),
    (METERING, 0x0400): (0x0301, 0x0302),
    (ELECTRICAL, 0x050B): (0x0604, 0x0605),
    (ELECTRICAL, 0x0505): (0x0600, 0x0601),
    (ELECTRICAL, 0x0508): (0x0602, 0x0603),
}
METER_UNIT = 0x0300
# ZCL 10.4.2.2.4.1: kind, unit, and what one of the meter's units is in it. With the
# highest bit the number is in decimal digits.
METER_UNITS = {
    0x00: ("energy", "kWh", 1.0), 0x01: ("volume", "m³", 1.0),
    0x02: ("volume", "m³", 0.028316846592),
    0x03: ("volume", "m³", 2.8316846592), 0x04: ("volume", "l", 3.785411784),
    0x05: ("volume", "l", 4.54609),
    0x06: ("energy", "kWh", 0.00029307107), 0x07: ("volume", "l", 1.0), 0x08: ("number", "", 1.0),
    0x09: ("pressure", "kPa", 1.0),
    0x0A: ("volume", "m³", 28.316846592), 0x0B: ("number", "", 1.0),
    0x0C: ("energy", "kWh", 1 / 3.6), 0x0D: ("number", "", 1.0),
}  # fmt: skip
METER_RATES = {0x01: ("flow", "m³/h", 1.0), 0x07: ("flow", "l/min", 1 / 60)}
BCD = 0x80
PRESSURE_SCALED, PRESSURE_SCALE = 0x0010, 0x0014
FINEST_PRESSURE = 5
# What motion and vibration stand for when they never say that they are over.
CLEAR_S = 120.0


def standard_points(
    endpoint: int, clusters: Sequence[int], facts: Mapping[str, Any]
) -> list[Point]:
    """The points of one endpoint that serves these clusters. `facts` are attributes
    that were read, by "endpoint/cluster/id"."""

    def fact(cluster: int, attribute: int) -> Any:
        return facts.get(f"{endpoint}/{cluster:04X}/{attribute:04X}")

    points = []
    for point in SERVED:
        if (
            point.cluster in clusters
            and (measured := _measured(point, fact, ELECTRICAL in clusters)) is not None
        ):
            points.append(replace(measured, endpoint=endpoint))
    if IAS_ZONE in clusters:
        kind = ZONE_KINDS.get(fact(IAS_ZONE, ZONE_TYPE) or 0, "alarm")
        zone = Point(
            kind,
            kind,
            IAS_ZONE,
            ZONE_STATUS,
            dt.BITMAP16,
            curve="bits",
            mask=0x0003,
            endpoint=endpoint,
        )
        points += [
            replace(zone, clear_s=CLEAR_S if kind in ("occupancy", "vibration") else 0.0),
            replace(zone, name="tamper", kind="tamper", mask=TAMPER, hidden=True),
            replace(
                zone, name="battery low", kind="alarm", mask=BATTERY_LOW, hidden=POWER in clusters
            ),
        ]
    return points


def _measured(point: Point, fact: Callable[[int, int], Any], electrical: bool) -> Point | None:
    """The point as the node's own attributes scale it; None when the same is measured
    better elsewhere."""
    if (factors := FACTORS.get((point.cluster, point.attribute))) is not None:
        times, by = (fact(point.cluster, factor) or 1 for factor in factors)
        point = replace(point, scale=times / by)
    if point.cluster == METERING:
        return _metered(point, fact(METERING, METER_UNIT) or 0, electrical)
    if point.cluster == PRESSURE and fact(PRESSURE, PRESSURE_SCALED) is not None:
        # Finer than the attribute in whole hectopascals: Pa = scaled x 10^-scale.
        exponent = fact(PRESSURE, PRESSURE_SCALE) or 0
        if abs(exponent) > FINEST_PRESSURE:
            return point  # no pressure can be said so: the plain attribute is taken
        scale = 10.0**-exponent / 100
        return replace(
            point,
            attribute=PRESSURE_SCALED,
            scale=scale,
            reports=Reports(60, 900, max(1, round(0.5 / scale))),
        )
    if point.cluster == POWER:
        share, volts = fact(POWER, 0x0021) is not None, fact(POWER, 0x0020) is not None
        if share and point.attribute == 0x0020:
            return point if volts else None
        if volts and not share:  # it tells its voltage only
            return replace(point, hidden=False) if point.attribute == 0x0020 else None
    return point


def _metered(point: Point, unit: int, electrical: bool) -> Point | None:
    """What a meter counts, or how fast, in what it counts; None for a rate that is
    measured better elsewhere, or means nothing."""
    curve = "bcd" if unit & BCD else ""
    if point.name == "demand":
        if unit & ~BCD == 0:
            return None if electrical else replace(point, curve=curve)
        if (rate := METER_RATES.get(unit & ~BCD)) is None:
            return None
        return replace(
            point, name="flow", kind=rate[0], unit=rate[1], scale=point.scale * rate[2], curve=curve
        )
    kind, shown, factor = METER_UNITS.get(unit & ~BCD, ("number", "", 1.0))
    name = point.name if unit & ~BCD == 0 else "meter"
    return replace(point, name=name, kind=kind, unit=shown, scale=point.scale * factor, curve=curve)


def _from_bcd(raw: int) -> int:
    """A number whose digits stand in four bits each; one that has others than 0 to 9 is
    taken as it is."""
    digits = f"{raw:x}"
    return int(digits) if digits.isdigit() else raw


def name_apart(points: Iterable[Point]) -> list[Point]:
    """The points with names of their own: what a second endpoint has too gets that
    endpoint's number."""
    taken: set[str] = set()
    result = []
    for point in points:
        name = point.name if point.name not in taken else f"{point.name} {point.endpoint}"
        while name in taken:
            name += "'"
        taken.add(name)
        result.append(replace(point, name=name))
    return result


def finite(value: float | bool | None) -> float | bool | None:
    """None for what is not a number that can be used."""
    return None if value is None or not math.isfinite(value) else value
