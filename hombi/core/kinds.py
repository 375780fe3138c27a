"""Kinds: what an entity is, the unit it is kept in, and the limits beyond which a value
is not believed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import lru_cache

from hombi.core.arithmetic import CHOICES, CIRCLE, LINE, MOMENTS, STATES, Arithmetic

# Of the words that an entity brings: so many, each so long.
MOST_WORDS, LONGEST_WORD = 64, 60
# Between a kind's name and those words, where both are stored as one text.
_BETWEEN = "|"


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
    sensible limits in that unit. `words` names the values of a kind that are not
    measured, from 0 on; a kind that `brings` them has those of its entity. `title` is
    how people write its name, `called` are the words that nodes call it by.
    """

    name: str
    unit: str
    low: float
    high: float
    decimals: int = 1
    words: tuple[str, ...] | None = None
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
    # Whether each entity of it has words of its own.
    brings: bool = False
    # In what steps nodes go, where that is coarser than it is shown.
    goes_by: float = 0.0

    def state(self, word: str) -> float | None:
        """The number of the state that a word names; None for another word. A word may
        be written in other letters, unless that makes it one of the others."""
        for written in (word, word.casefold()):
            for words in (self.words, self.earlier):
                if words is not None and written in words:
                    return float(words.index(written))
        if self.brings:
            plain = [own.casefold() for own in self.words or ()]
            if word.casefold() in plain:
                return float(plain.index(word.casefold()))
        return None

    def word(self, value: float) -> str:
        """The word of a state; of one that has none, its number."""
        assert self.words is not None
        place = round(value)
        return self.words[place] if 0 <= place < len(self.words) else f"{place}"

    @property
    def step(self) -> float:
        """In what steps its values go, in its unit."""
        return max(self.goes_by, 10.0**-self.decimals)

    @property
    def two_states(self) -> bool:
        """Whether it is off or on, closed or open: one of two states, the same for all
        entities."""
        return self.arithmetic is STATES

    @property
    def a_number(self) -> bool:
        """Whether its values are numbers that last, on a line or on a circle."""
        return self.words is None and not self.moment

    @property
    def moment(self) -> bool:
        """Whether its readings happen, and do not last."""
        return not self.arithmetic.lasts

    @property
    def key(self) -> str:
        """Its name, with the words that its entity brings: `kind_by_key` gives the kind
        back."""
        return _BETWEEN.join((self.name, *(self.words or ()))) if self.brings else self.name

    def with_words(self, words: Iterable[str]) -> Kind:
        """The kind with the words of one entity: the first of them, without what cannot
        be stored, each once."""
        assert self.brings, f"a {self.name} has the same words everywhere"
        plain = (_fit(word) for word in words)
        return _with_words(self.name, tuple(dict.fromkeys(filter(None, plain)))[:MOST_WORDS])

    def goes_on(self, other: Kind) -> bool:
        """Whether the values of another kind mean the same in this one: it is that one,
        or has some more words."""
        return self is other or (
            self.brings
            and self.name == other.name
            and (self.words or ())[: len(other.words or ())] == other.words
        )

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


def _brought(name: str, arithmetic: Arithmetic, *words: str) -> Kind:
    """A kind whose entities bring their words; these unless they do."""
    return Kind(*(name, "", 0, MOST_WORDS - 1, 0, words), arithmetic=arithmetic, brings=True)


def _measured(
    name: str, unit: str, low: float, high: float, decimals: int, *called: str, title: str = ""
) -> Kind:
    return Kind(name, unit, low, high, decimals, title=title, called=called)


# How far two temperatures lie apart, in kelvin: 5 K are 9 °F, and not 41 °F.
TEMPERATURE_DIFFERENCE = "temp-difference"
# Whether a person is home.
AT_HOME = "at-home"
# What happens to a button, where its entity does not say what can.
PRESSES = ("pressed", "double", "triple", "held", "released")

KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        _measured("temperature", "°C", -90, 200, 1, "temp", "t", "tmp", "tempc", "celsius"),
        _measured("humidity", "%", 0, 100, 1, "hum", "rh", "h"),
        _measured("pressure", "hPa", 300, 1200, 1, "press", "baro", "barometer", "hpa"),
        _measured("illuminance", "lx", 0, 200_000, 0, "lux", "lx", "light"),
        _measured("irradiance", "W/m²", 0, 2_000, 0, "solar-radiation"),
        _measured("co2", "ppm", 0, 50_000, 0, "eco2", "carbon-dioxide", "ppm", title="CO₂"),
        _measured("co", "ppm", 0, 10_000, 1, "carbon-monoxide", title="CO"),
        _measured("pm25", "µg/m³", 0, 5_000, 1, "pm2", "pm2-5", "dust", title="PM2.5"),
        _measured("pm10", "µg/m³", 0, 5_000, 1, title="PM10"),
        _measured("pm1", "µg/m³", 0, 5_000, 1, title="PM1"),
        _measured("voc", "ppb", 0, 100_000, 0, "tvoc", title="VOC"),
        # Of a gas in the air, where it is weighed.
        _measured("mass-concentration", "µg/m³", 0, 1e9, 1, title="mass concentration"),
        _measured("formaldehyde", "ppm", 0, 100, 3, "hcho"),
        _measured("moisture", "%", 0, 100, 1, "soil", "wet", "wetness"),
        _measured("level", "%", 0, 100, 0, "dim", "dimmer", "opening", "percent"),
        # Of a blind or a shutter: 0 is closed, 100 open; how far its slats are open.
        _measured("position", "%", 0, 100, 0),
        _measured("tilt", "%", 0, 100, 0),
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
        _measured("blood-pressure", "mmHg", 0, 300, 0, title="blood pressure"),
        _measured("pulse", "1/min", 0, 300, 0, "heart-rate", "bpm"),
        _measured("sound", "dB", 0, 200, 1, "noise", "loudness", "db"),
        _measured("angle", "°", -360, 360, 0, "direction", "heading", "bearing"),
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
        # Lamps count it in 254 steps (ZCL, 5.2.2.2.1.1).
        Kind("hue", "°", 0, 360, 0, arithmetic=CIRCLE, goes_by=1.5),
        _measured("saturation", "%", 0, 100, 0),
        # The colour of white light. A household never sees it in °C. Lamps count its
        # reciprocal in millionths: 300 and 301 of them are 11 K apart, 150 and 151 44.
        Kind("white", "K", 1_000, 20_000, 0, difference=True, goes_by=50),
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
        _states("lock", "unlocked", "locked"),
        _states(AT_HOME, "away", "home"),
        _states("switch", "off", "on", "state", "relay", "output", "plug", "lamp", "power-state"),
        _brought("choice", CHOICES),
        _brought("press", MOMENTS, *PRESSES),
        _brought("event", MOMENTS),
        Kind("ring", "", 0, 1, 0, ("rung",), arithmetic=MOMENTS),
        # By how much of its range a dial was turned: to the left below 0.
        Kind("turn", "%", -1_000, 1_000, 0, arithmetic=MOMENTS),
        _measured("number", "", -1e15, 1e15, 2),
    )
}


@lru_cache(maxsize=4096)
def _with_words(name: str, words: tuple[str, ...]) -> Kind:
    return replace(KINDS[name], words=words)


def _fit(word: str) -> str:
    """A word of a node's own as it is stored: short, and without what moves a
    cursor."""
    plain = "".join(sign if sign.isprintable() else " " for sign in word).split()
    return " ".join(plain).replace(_BETWEEN, "/")[:LONGEST_WORD].rstrip()


# It is asked with each report of a node.
@lru_cache(maxsize=4096)
def kind_by_key(key: str) -> Kind:
    """The kind of a key. Raises KeyError."""
    name, *words = key.split(_BETWEEN)
    return KINDS[name].with_words(words) if words else KINDS[name]


_CALLED = {(word, kind.two_states): kind for kind in KINDS.values() for word in kind.called}


def kind_called(word: str, *, two_states: bool) -> Kind | None:
    """The kind that a node means by a word: its name, or one of those that nodes call
    it by. None when it is no such word, or when one of the two has two states and the
    other measures."""
    word = word.lower().replace("_", "-")
    for kind in (KINDS.get(word), _CALLED.get((word, two_states))):
        if kind is not None and (kind.two_states if two_states else kind.a_number):
            return kind
    return None


def difference_of(kind: Kind) -> Kind:
    """The kind of the difference of two values: one of its own for temperatures, and an
    angle for directions."""
    if kind.arithmetic is CIRCLE:
        return KINDS["angle"]
    return KINDS[TEMPERATURE_DIFFERENCE] if kind.name == "temperature" else kind
