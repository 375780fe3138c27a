"""Units and their conversion.

A unit is a linear map onto the base unit of what it measures: base = value * scale +
offset. Every unit answers to its symbol, to its SenML name (RFC 8428, section 12.1; RFC
8798) and, where that differs, to its UCUM code and to the usual name in the OM 2
ontology that Thing Descriptions use.
"""

from __future__ import annotations

import difflib
from dataclasses import dataclass
from functools import lru_cache

from hombi.core.errors import UnitError


@dataclass(frozen=True, slots=True)
class Unit:
    """One unit: its symbol, what it measures, and its linear map onto that dimension's
    base unit."""

    symbol: str
    measures: str
    scale: float = 1.0
    offset: float = 0.0


_TABLE: list[tuple[Unit, tuple[str, ...]]] = [
    (
        Unit("°C", "temperature"),
        (
            *("Cel", "degC", "C", "celsius", "degree_celsius"),
            *("om2:degreeCelsius", "unit:DEG_C", "qudt:DEG_C"),
        ),
    ),
    (
        Unit("°F", "temperature", 5 / 9, -160 / 9),
        (
            *("[degF]", "degF", "F", "fahrenheit", "degree_fahrenheit"),
            *("om2:degreeFahrenheit", "qudt:DEG_F"),
        ),
    ),
    (Unit("K", "temperature", 1.0, -273.15), ("om2:kelvin", "kelvin")),
    (Unit("%", "ratio"), ("%RH", "%EL", "%{RH}", "/100", "om2:percent", "percent", "qudt:PERCENT")),
    (Unit("1", "ratio", 100.0), ("/", "ratio")),
    (Unit("‰", "ratio", 0.1), ("/1000", "[ppth]")),
    (Unit("hPa", "pressure"), ("mbar", "om2:hectopascal", "millibar")),
    (Unit("Pa", "pressure", 0.01), ("om2:pascal", "pascal")),
    (Unit("kPa", "pressure", 10.0), ("om2:kilopascal",)),
    (Unit("bar", "pressure", 1000.0), ("om2:bar",)),
    (Unit("inHg", "pressure", 33.8638866), ("[in_i'Hg]",)),
    (Unit("mmHg", "pressure", 1.33322387), ("mm[Hg]",)),
    (Unit("lx", "illuminance"), ("lux", "om2:lux", "qudt:LUX")),
    (Unit("W/m²", "irradiance"), ("W/m2", "om2:wattPerSquareMetre")),
    (Unit("ppm", "concentration"), ("[ppm]", "om2:partsPerMillion", "qudt:PPM")),
    (Unit("ppb", "concentration", 0.001), ("[ppb]",)),
    (Unit("µg/m³", "density"), ("ug/m3", "μg/m³", "ug.m-3")),
    (Unit("mg/m³", "density", 1000.0), ("mg/m3",)),
    (Unit("g/m³", "density", 1e6), ("g/m3",)),
    (Unit("W", "power"), ("om2:watt", "watt", "VA", "var")),
    (Unit("mW", "power", 0.001), ()),
    (Unit("kW", "power", 1000.0), ("om2:kilowatt", "kVA", "kvar")),
    (Unit("kWh", "energy"), ("kW.h", "om2:kilowattHour", "kVAh", "kvarh")),
    (Unit("Wh", "energy", 0.001), ("W.h", "om2:wattHour", "varh")),
    (Unit("J", "energy", 1 / 3.6e6), ("om2:joule", "VAs", "vars")),
    (Unit("V", "voltage"), ("om2:volt", "volt")),
    (Unit("mV", "voltage", 0.001), ("om2:millivolt",)),
    (Unit("A", "current"), ("om2:ampere", "ampere")),
    (Unit("mA", "current", 0.001), ("om2:milliampere",)),
    (Unit("m", "length"), ("om2:metre", "metre", "meter")),
    (Unit("cm", "length", 0.01), ("om2:centimetre",)),
    (Unit("mm", "length", 0.001), ("om2:millimetre",)),
    (Unit("km", "length", 1000.0), ("om2:kilometre",)),
    (Unit("in", "length", 0.0254), ("[in_i]",)),
    (Unit("ft", "length", 0.3048), ("[ft_i]",)),
    (Unit("dBm", "signal"), ("dB[mW]", "dB(mW)")),
    (Unit("dBW", "signal", 1.0, 30.0), ("B[W]",)),
    (Unit("s", "time"), ("om2:second", "second", "seconds")),
    (Unit("ms", "time", 0.001), ("om2:millisecond",)),
    (Unit("min", "time", 60.0), ("om2:minute",)),
    (Unit("h", "time", 3600.0), ("om2:hour",)),
    (Unit("Hz", "frequency"), ("om2:hertz", "1/s")),
    (Unit("MHz", "frequency", 1e6), ()),
    (Unit("1/min", "frequency", 1 / 60), ("beat/min", "{rev}/min")),
    (Unit("m/s", "speed"), ("om2:metrePerSecond",)),
    (Unit("km/h", "speed", 1 / 3.6), ("om2:kilometrePerHour",)),
    (Unit("mm/h", "speed", 1 / 3.6e6), ()),
    (Unit("m/h", "speed", 1 / 3600), ()),
    (Unit("l/min", "flow"), ("L/min",)),
    (Unit("l/s", "flow", 60.0), ("L/s",)),
    (Unit("m³/h", "flow", 1000 / 60), ("m3/h",)),
    (Unit("m³/s", "flow", 60_000.0), ("m3/s",)),
    (Unit("l", "volume"), ("L", "om2:litre", "liter")),
    (Unit("m³", "volume", 1000.0), ("m3", "om2:cubicMetre")),
    (Unit("kg", "mass"), ("om2:kilogram",)),
    (Unit("g", "mass", 0.001), ("om2:gram",)),
    (Unit("°", "angle"), ("deg", "om2:degree")),
    (Unit("rad", "angle", 57.29577951308232), ("om2:radian",)),
    (Unit("dB", "sound"), ("dB(A)", "dB[SPL]", "om2:decibel")),
    (Unit("B(SPL)", "sound", 10.0), ("Bspl", "B[SPL]")),
    (Unit("pH", "acidity"), ("[pH]",)),
    (Unit("µS/cm", "conductivity"), ("uS/cm", "μS/cm")),
    (Unit("mS/m", "conductivity", 10.0), ()),
    (Unit("mS/cm", "conductivity", 1000.0), ()),
    (Unit("S/m", "conductivity", 10_000.0), ()),
]

# Units that say "so many of them": a plain number.
COUNTS = frozenset({"count", "beats", "{count}", "[count]"})
UNITS: dict[str, Unit] = {
    name: unit for unit, aliases in _TABLE for name in (unit.symbol, *aliases)
}
# Names of the ontology of units of measure (OM 2, which SAREF points to) and of QUDT
# 2.1, beside those above.
_OF_ONTOLOGIES: dict[str, tuple[str, ...]] = {
    "°C": ("DEG_C",),
    "°F": ("DEG_F",),
    "K": ("K",),
    "%": ("PERCENT",),
    "‰": ("perMille", "PERMILLE"),
    "hPa": ("HectoPA", "MilliBAR"),
    "Pa": ("PA",),
    "kPa": ("KiloPA",),
    "bar": ("BAR",),
    "mmHg": ("millimetreOfMercury", "MilliM_HG"),
    "lx": ("LUX",),
    "W/m²": ("W-PER-M2",),
    "ppm": ("PPM",),
    "ppb": ("partsPerBillion", "PPB"),
    "µg/m³": ("microgramPerCubicmetre", "MicroGM-PER-M3"),
    "mg/m³": ("milligramPerCubicmetre", "MilliGM-PER-M3"),
    "g/m³": ("gramPerCubicmetre", "GM-PER-M3"),
    "W": ("W", "voltAmpere", "V-A"),
    "mW": ("milliwatt", "MilliW"),
    "kW": ("KiloW",),
    "kWh": ("KiloW-HR",),
    "Wh": ("W-HR",),
    "J": ("J",),
    "V": ("V",),
    "mV": ("MilliV",),
    "A": ("A",),
    "mA": ("MilliA",),
    "m": ("M",),
    "cm": ("CentiM",),
    "mm": ("MilliM",),
    "km": ("KiloM",),
    "in": ("inch-International", "IN"),
    "ft": ("foot-International", "FT"),
    "dBm": ("decibelMilliwatt", "DeciB_M"),
    "s": ("second-Time", "SEC"),
    "ms": ("millisecond-Time", "MilliSEC"),
    "min": ("minute-Time", "MIN"),
    "h": ("HR",),
    "Hz": ("HZ",),
    "MHz": ("megahertz", "MegaHZ"),
    "1/min": ("reciprocalMinute", "PER-MIN", "BEAT-PER-MIN"),
    "m/s": ("metrePerSecond-Time", "M-PER-SEC"),
    "km/h": ("KiloM-PER-HR",),
    "l/min": ("litrePerMinute", "L-PER-MIN"),
    "l/s": ("litrePerSecond", "L-PER-SEC"),
    "m³/h": ("cubicMetrePerHour", "M3-PER-HR"),
    "m³/s": ("cubicMetrePerSecond", "M3-PER-SEC"),
    "l": ("L",),
    "m³": ("M3",),
    "kg": ("KiloGM",),
    "g": ("GM",),
    "°": ("DEG",),
    "rad": ("RAD",),
    "dB": ("DeciB",),
    "pH": ("pH", "PH"),
    "µS/cm": ("microsiemensPerCentimetre", "MicroS-PER-CentiM"),
    "mS/cm": ("millisiemensPerCentimetre", "MilliS-PER-CentiM"),
    "S/m": ("siemensPerMetre", "S-PER-M"),
}
_PREFIXES = ("om:", "om2:", "qudt:", "unit:", "saref:")
# A name without a prefix is only taken for one of these when it is no abbreviation.
SHORTEST_NAME = 4


def _letters(name: str) -> str:
    """A name in whatever way it is written: degreeCelsius, degree_celsius, "Degree
    Celsius"."""
    return "".join(sign for sign in name.casefold() if sign.isalnum())


_BY_LETTERS: dict[str, Unit] = {
    _letters(name): UNITS[symbol] for symbol, names in _OF_ONTOLOGIES.items() for name in names
} | {_letters(name.partition(":")[2]): unit for name, unit in UNITS.items() if ":" in name}


def _of_ontology(name: str) -> Unit | None:
    """The unit that an ontology calls so: by an address ("http://…/om-2/kilowattHour"),
    with a prefix ("unit:KiloW-HR"), or by its whole name ("kilowatt_hour")."""
    if "://" in name:
        return _BY_LETTERS.get(_letters(name.rstrip("/").replace("#", "/").rpartition("/")[2]))
    if name.startswith(_PREFIXES):
        return _BY_LETTERS.get(_letters(name.partition(":")[2]))
    plain = _letters(name)
    return _BY_LETTERS.get(plain) if len(plain) >= SHORTEST_NAME else None


def find_unit(name: str) -> Unit:
    """The unit that goes by this name.

    Raises UnitError for a name nobody knows.
    """
    unit = UNITS.get(name.strip()) or _of_ontology(name.strip())
    if unit is None:
        near = difflib.get_close_matches(name.strip(), UNITS, n=3, cutoff=0.5)
        hint = (
            f"did you mean {' or '.join(dict.fromkeys(UNITS[one].symbol for one in near))}?"
            if near
            else "docs/nodes.md lists them"
        )
        raise UnitError(f"no unit {name[:40]!r} is known; {hint}")
    return unit


def units_for(unit: str) -> list[str]:
    """The symbols of all units that measure the same as this one; none for "" ."""
    if not unit:
        return []
    measures = find_unit(unit).measures
    return [one.symbol for one, _ in _TABLE if one.measures == measures]


@lru_cache(maxsize=1024)
def conversion(given: str, wanted: str) -> tuple[float, float]:
    """The (factor, addend) with which a value in `given` becomes one in `wanted`:
    wanted = value * factor + addend.

    Raises UnitError when the two measure different things.
    """
    source, target = find_unit(given), find_unit(wanted)
    if source.measures != target.measures:
        raise UnitError(
            f"{given} measures {source.measures}, but {wanted} ({target.measures}) is wanted"
        )
    factor = source.scale / target.scale
    return factor, (source.offset - target.offset) / target.scale


def convert(value: float, given: str, wanted: str) -> float:
    """`value` in unit `given`, expressed in unit `wanted`. Raises UnitError as
    `conversion` does."""
    factor, addend = conversion(given, wanted)
    return value * factor + addend
