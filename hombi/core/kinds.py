"""Kinds: what an entity is, the unit it is kept in, and the limits beyond which a value
is not believed."""

from __future__ import annotations

from dataclasses import dataclass

from hombi.core.arithmetic import CIRCLE, LINE, STATES, Arithmetic


@dataclass(frozen=True, slots=True)
class Seen:
    """How people see a value: its unit and decimals, and how it becomes one in that
    unit: seen = value * factor + addend."""

    unit: str
    decimals: int
    factor: float = 1.0
    addend: float = 0.0

    def of(self, value: float | None) -> float | None:
        """A value as it is seen; None for none."""
        return None if value is None else value * self.factor + self.addend

    def limit(self, value: float) -> float:
        """A limit as it is seen, without the crumbs of its conversion."""
        return float(f"{value * self.factor + self.addend:.9g}")

    def back(self, seen: float) -> float:
        """The value in the kind's unit."""
        return (seen - self.addend) / self.factor


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind of entity.

    `unit` is the unit its readings are kept in ("" for none), `low` and `high` are the
    sensible limits in that unit. `words` names the two states of a kind that has only
    two: (for 0, for 1). `title` is how people write its name, `called` are the words
    that nodes call it by.
    """

    name: str
    unit: str
    low: float
    high: float
    decimals: int = 1
    words: tuple[str, str] | None = None
    title: str = ""
    called: tuple[str, ...] = ()
    # How the household sees it, where that is otherwise.
    seen: Seen | None = None
    # Whether it is a difference: a unit with an addend (°C, °F) counts without it.
    difference: bool = False
    # What its states were called before; texts and nodes may go on saying so.
    earlier: tuple[str, str] | None = None
    # How its values are calculated with.
    arithmetic: Arithmetic = LINE

    def state(self, word: str) -> float | None:
        """The state that a word names, 0 or 1; None for another word."""
        for words in (self.words, self.earlier):
            if words is not None and word in words:
                return float(words.index(word))
        return None

    @property
    def as_seen(self) -> Seen:
        """How people see its values."""
        return self.seen or Seen(self.unit, self.decimals)

    @property
    def measures(self) -> bool:
        """Whether its values are numbers that can be higher and lower."""
        return self.words is None and self.arithmetic.ordered

    @property
    def shown(self) -> str:
        """Its name as people write it."""
        return self.title or self.name


def _states(
    name: str, off: str, on: str, *called: str, earlier: tuple[str, str] | None = None
) -> Kind:
    return Kind(*(name, "", 0, 1, 0, (off, on)), called=called, earlier=earlier, arithmetic=STATES)


def _measured(
    name: str, unit: str, low: float, high: float, decimals: int, *called: str, title: str = ""
) -> Kind:
    return Kind(name, unit, low, high, decimals, title=title, called=called)


# How far two temperatures lie apart, in kelvin: 5 K are 9 °F, and not 41 °F.
TEMPERATURE_DIFFERENCE = "temp-difference"
# Whether a person is home.
AT_HOME = "at-home"

KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        _measured("temperature", "°C", -90, 200, 1, "temp", "t", "tmp", "tempc", "celsius"),
        _measured("humidity", "%", 0, 100, 1, "hum", "rh", "h"),
        _measured("pressure", "hPa", 300, 1200, 1, "press", "baro", "barometer", "hpa"),
        _measured("illuminance", "lx", 0, 200_000, 0, "lux", "lx", "light"),
        _measured("co2", "ppm", 0, 50_000, 0, "eco2", "carbon-dioxide", "ppm", title="CO₂"),
        _measured("co", "ppm", 0, 10_000, 1, "carbon-monoxide", title="CO"),
        _measured("pm25", "µg/m³", 0, 5_000, 1, "pm2", "pm2-5", "dust", title="PM2.5"),
        _measured("pm10", "µg/m³", 0, 5_000, 1, title="PM10"),
        _measured("formaldehyde", "ppm", 0, 100, 3, "hcho"),
        _measured("moisture", "%", 0, 100, 1, "soil", "wet", "wetness"),
        _measured("level", "%", 0, 100, 0, "dim", "dimmer", "opening", "percent"),
        _measured("power", "W", -50_000, 50_000, 1, "watt", "watts", "w"),
        _measured("energy", "kWh", 0, 10_000_000, 2, "kwh", "wh"),
        _measured("voltage", "V", -1_000, 1_000, 2, "volt", "volts", "v", "mv", "vcc"),
        _measured("current", "A", -1_000, 1_000, 2, "amp", "amps", "ampere", "ma"),
        _measured("distance", "m", 0, 10_000, 2, "depth", "dist", "height", "length"),
        _measured("rain", "mm", 0, 100_000, 1, "rainfall", "precipitation"),
        _measured("battery", "%", 0, 100, 0, "batt", "bat", "soc"),
        _measured("signal", "dBm", -130, 20, 0, "rssi", "dbm"),
        _measured("speed", "m/s", 0, 150, 1, "wind", "velocity"),
        _measured("flow", "l/min", 0, 100_000, 1),
        _measured("volume", "l", 0, 10_000_000, 1, "litres", "liters"),
        _measured("mass", "kg", -10_000, 1_000_000, 2, "weight", "load"),
        _measured("sound", "dB", 0, 200, 1, "noise", "loudness", "db"),
        _measured("angle", "°", -360, 360, 0, "direction", "heading", "tilt", "bearing"),
        Kind(
            "wind-direction",
            "°",
            # From where the wind blows, clockwise from north. Some vanes count from
            # -180 to 180; it is kept as 0 to 360.
            *(-360, 360, 0),
            title="wind direction",
            called=("wind-dir", "wind-from", "wind-bearing"),
            arithmetic=CIRCLE,
        ),
        _measured("frequency", "Hz", 0, 1e12, 2, "freq", "hz"),
        _measured("duration", "s", 0, 1e9, 0, "uptime"),
        _measured("count", "", 0, 1e12, 0, "counter", "pulses"),
        _measured("acidity", "pH", 0, 14, 2, "ph"),
        _measured("conductivity", "µS/cm", 0, 100_000, 0, "ec"),
        _measured("water-content", "g/m³", 0, 500, 1, title="water content"),
        _measured("vapour-deficit", "kPa", 0, 20, 2, title="vapour deficit"),
        Kind(
            TEMPERATURE_DIFFERENCE,
            "K",
            -290,
            290,
            1,
            title="temperature difference",
            difference=True,
        ),
        _measured("reception", "%", 0, 100, 0, "lqi"),
        _states("contact", "closed", "open", "door", "window", "gate", "hatch", "lid", "open"),
        _states(
            *("occupancy", "empty", "occupied"),
            *("motion", "presence", "pir", "movement"),
            earlier=("clear", "occupied"),
        ),
        _states("leak", "dry", "wet", "flood", "water", "wet"),
        _states("smoke", "normal", "alarm", "fire", earlier=("clear", "smoke")),
        _states("gas", "normal", "alarm", earlier=("clear", "gas")),
        _states("vibration", "still", "moving", "shake", "shock"),
        _states("tamper", "untouched", "opened"),
        _states("alarm", "quiet", "alarm"),
        _states("activity", "idle", "active", "running"),
        _states(AT_HOME, "away", "home"),
        _states("switch", "off", "on", "state", "relay", "output", "plug", "lamp", "power-state"),
        _measured("number", "", -1e15, 1e15, 2),
    )
}
_CALLED = {(word, kind.words is not None): kind for kind in KINDS.values() for word in kind.called}


def kind_called(word: str, *, two_states: bool) -> Kind | None:
    """The kind that a node means by a word: its name, or one of those that nodes call
    it by. None when it is no such word, or when one of the two has two states and the
    other measures."""
    word = word.lower().replace("_", "-")
    for kind in (KINDS.get(word), _CALLED.get((word, two_states))):
        if kind is not None and (kind.words is not None) == two_states:
            return kind
    return None


def difference_of(kind: Kind) -> Kind:
    """The kind of the difference of two values: one of its own for temperatures, and an
    angle for directions."""
    if not kind.arithmetic.ordered:
        return KINDS["angle"]
    return KINDS[TEMPERATURE_DIFFERENCE] if kind.name == "temperature" else kind
