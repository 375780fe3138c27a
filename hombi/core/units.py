"""Units and their conversion.

A unit is a linear map onto the base unit of what it measures: base = value * scale + offset.
Every unit answers to its symbol, to its SenML name (RFC 8428, section 12.1; RFC 8798) and, where that differs,
to its UCUM code and to the usual name in the OM 2 ontology that Thing Descriptions use.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from hombi.core.errors import UnitError


@dataclass(frozen=True, slots=True)
class Unit:
    """One unit: its symbol, what it measures, and its linear map onto that dimension's base unit."""

    symbol: str
    measures: str
    scale: float = 1.0
    offset: float = 0.0


_TABLE: list[tuple[Unit, tuple[str, ...]]] = [
    (Unit("°C", "temperature"), ("Cel", "degC", "C", "om2:degreeCelsius", "celsius")),
    (Unit("°F", "temperature", 5 / 9, -160 / 9), ("[degF]", "degF", "F", "om2:degreeFahrenheit", "fahrenheit")),
    (Unit("K", "temperature", 1.0, -273.15), ("om2:kelvin",)),
    (Unit("%", "ratio"), ("%RH", "%EL", "om2:percent", "percent")),
    (Unit("1", "ratio", 100.0), ("/", "ratio")),
    (Unit("hPa", "pressure"), ("mbar", "om2:hectopascal")),
    (Unit("Pa", "pressure", 0.01), ("om2:pascal",)),
    (Unit("kPa", "pressure", 10.0), ("om2:kilopascal",)),
    (Unit("lx", "illuminance"), ("lux", "om2:lux")),
    (Unit("ppm", "concentration"), ("[ppm]", "om2:partsPerMillion")),
    (Unit("µg/m³", "density"), ("ug/m3", "μg/m³")),
    (Unit("W", "power"), ("om2:watt",)),
    (Unit("kW", "power", 1000.0), ("om2:kilowatt",)),
    (Unit("kWh", "energy"), ("kW.h", "om2:kilowattHour")),
    (Unit("Wh", "energy", 0.001), ("W.h", "om2:wattHour")),
    (Unit("J", "energy", 1 / 3.6e6), ("om2:joule",)),
    (Unit("V", "voltage"), ("om2:volt",)),
    (Unit("mV", "voltage", 0.001), ("om2:millivolt",)),
    (Unit("A", "current"), ("om2:ampere",)),
    (Unit("mA", "current", 0.001), ("om2:milliampere",)),
    (Unit("m", "length"), ("om2:metre",)),
    (Unit("cm", "length", 0.01), ("om2:centimetre",)),
    (Unit("mm", "length", 0.001), ("om2:millimetre",)),
    (Unit("dBm", "signal"), ("dB[mW]",)),
    (Unit("dBW", "signal", 1.0, 30.0), ()),
]

UNITS: dict[str, Unit] = {name: unit for unit, aliases in _TABLE for name in (unit.symbol, *aliases)}


def find_unit(name: str) -> Unit:
    """The unit that goes by this name.

    Raises UnitError for a name nobody knows.
    """
    unit = UNITS.get(name.strip())
    if unit is None:
        raise UnitError(f"no unit {name!r} is known; use one of {', '.join(sorted({u.symbol for u in UNITS.values()}))}")
    return unit


@lru_cache(maxsize=1024)
def conversion(given: str, wanted: str) -> tuple[float, float]:
    """The (factor, addend) with which a value in `given` becomes one in `wanted`: wanted = value * factor + addend.

    Raises UnitError when the two measure different things.
    """
    source, target = find_unit(given), find_unit(wanted)
    if source.measures != target.measures:
        raise UnitError(f"{given} measures {source.measures}, but {wanted} ({target.measures}) is wanted")
    factor = source.scale / target.scale
    return factor, (source.offset - target.offset) / target.scale


def convert(value: float, given: str, wanted: str) -> float:
    """`value` in unit `given`, expressed in unit `wanted`. Raises UnitError as `conversion` does."""
    factor, addend = conversion(given, wanted)
    return value * factor + addend
