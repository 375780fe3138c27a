"""Kinds: what an entity is, the unit it is kept in, and the limits beyond which a value
is not believed."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind of entity.

    `unit` is the unit its readings are kept in ("" for none), `low` and `high` are the
    sensible limits in that unit. `words` names the two states of a kind that has only
    two: (for 0, for 1).
    """

    name: str
    unit: str
    low: float
    high: float
    decimals: int = 1
    words: tuple[str, str] | None = None


KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        Kind("temperature", "°C", -90, 200),
        Kind("humidity", "%", 0, 100),
        Kind("pressure", "hPa", 300, 1200),
        Kind("illuminance", "lx", 0, 200_000, 0),
        Kind("co2", "ppm", 0, 50_000, 0),
        Kind("co", "ppm", 0, 10_000, 1),
        Kind("pm25", "µg/m³", 0, 5_000),
        Kind("pm10", "µg/m³", 0, 5_000),
        Kind("formaldehyde", "ppm", 0, 100, 3),
        Kind("moisture", "%", 0, 100),
        Kind("level", "%", 0, 100, 0),
        Kind("power", "W", -50_000, 50_000),
        Kind("energy", "kWh", 0, 10_000_000, 2),
        Kind("voltage", "V", -1_000, 1_000, 2),
        Kind("current", "A", -1_000, 1_000, 2),
        Kind("distance", "m", 0, 10_000, 2),
        Kind("battery", "%", 0, 100, 0),
        Kind("signal", "dBm", -130, 20, 0),
        Kind("speed", "m/s", 0, 150),
        Kind("flow", "l/min", 0, 100_000),
        Kind("volume", "l", 0, 10_000_000),
        Kind("mass", "kg", -10_000, 1_000_000, 2),
        Kind("sound", "dB", 0, 200),
        Kind("angle", "°", -360, 360, 0),
        Kind("frequency", "Hz", 0, 1e12, 2),
        Kind("duration", "s", 0, 1e9, 0),
        Kind("acidity", "pH", 0, 14, 2),
        Kind("conductivity", "µS/cm", 0, 100_000, 0),
        Kind("reception", "%", 0, 100, 0),
        Kind("contact", "", 0, 1, 0, ("closed", "open")),
        Kind("occupancy", "", 0, 1, 0, ("clear", "occupied")),
        Kind("leak", "", 0, 1, 0, ("dry", "wet")),
        Kind("smoke", "", 0, 1, 0, ("clear", "smoke")),
        Kind("gas", "", 0, 1, 0, ("clear", "gas")),
        Kind("vibration", "", 0, 1, 0, ("still", "moving")),
        Kind("tamper", "", 0, 1, 0, ("untouched", "opened")),
        Kind("alarm", "", 0, 1, 0, ("quiet", "alarm")),
        Kind("switch", "", 0, 1, 0, ("off", "on")),
        Kind("number", "", -1e15, 1e15, 2),
    )
}
