"""The clusters of what a household operates (ZCL, chapters 3, 5, 6 and 7): coverings,
thermostats, fans, locks, colour, and the values that a maker numbers.

Which points an endpoint has depends on what it says of itself: `FACTS` are the
attributes that the interview reads for that. `COMMANDS` are the values that are set by
a command of their cluster, where their attribute cannot be written. No I/O.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any

from hombi.core.kinds import KINDS
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee.points import (
    COLOUR,
    COVERING,
    FAN,
    LEVEL,
    LOCK,
    MIREDS,
    ON_OFF,
    THERMOSTAT,
    Point,
    Reports,
)

ANALOGS, BINARIES, MULTISTATES = (0x0C, 0x0D, 0x0E), (0x0F, 0x10, 0x11), (0x12, 0x13, 0x14)
PRESENT_VALUE, STATES_THERE, STATE_TEXTS, UNITS = 0x0055, 0x004A, 0x000E, 0x0075
LIFT, TILT, COVERING_TYPE = 0x0008, 0x0009, 0x0000
HUE, SATURATION, WHITE, CAN, WARMEST, COLDEST = 0x0000, 0x0001, 0x0007, 0x400A, 0x400C, 0x400B
HEAT_TO, COOL_TO, SEQUENCE, MODE, RUNS = 0x0012, 0x0011, 0x001B, 0x001C, 0x0029
HEAT_LIMITS, COOL_LIMITS = (0x0015, 0x0016), (0x0017, 0x0018)
FAN_MODE, FAN_SEQUENCE = 0x0000, 0x0001

FACTS: dict[int, tuple[int, ...]] = {
    COVERING: (COVERING_TYPE,),
    COLOUR: (CAN, COLDEST, WARMEST),
    THERMOSTAT: (SEQUENCE, HEAT_TO, COOL_TO, RUNS, 0x0008, *HEAT_LIMITS, *COOL_LIMITS),
    FAN: (FAN_SEQUENCE,),
    LOCK: (0x0003,),
    **dict.fromkeys(ANALOGS, (UNITS,)),
    **dict.fromkeys(MULTISTATES, (STATES_THERE, STATE_TEXTS)),
}
# Coverings that only tilt, and those that do both (7.4.2.1.1); all others only lift.
TILTS, LIFTS_AND_TILTS = {6, 7}, {8}
# By what a thermostat is built for (6.3.2.2.22): whether it heats, and cools.
_BUILT_FOR = {0: (0, 1), 1: (0, 1), 2: (1, 0), 3: (1, 0), 4: (1, 1), 5: (1, 1)}
# The modes of a fan (6.4.2.1), and those that each sequence has (6.4.2.2).
_FAN_MODES = {0: "off", 1: "low", 2: "medium", 3: "high", 4: "on", 5: "auto", 6: "smart"}
_FAN_SEQUENCES = {0: (0, 1, 2, 3), 1: (0, 1, 3), 2: (0, 1, 2, 3, 5), 3: (0, 1, 3, 5), 4: (0, 4, 5)}
# What a lock says of itself (7.3.2.11); "not fully locked" (0) counts as not known.
LOCKED, UNLOCKED = 1, 2
# BACnet's engineering units (ASHRAE 135, clause 21), those that a kind has: kind, unit,
# and what one of them is in it.
_UNITS = {
    3: ("current", "A", 1.0), 5: ("voltage", "V", 1.0), 18: ("energy", "kWh", 0.001),
    19: ("energy", "kWh", 1.0), 27: ("frequency", "Hz", 1.0), 31: ("distance", "m", 1.0),
    37: ("illuminance", "lx", 1.0), 39: ("mass", "kg", 1.0), 47: ("power", "W", 1.0),
    48: ("power", "kW", 1.0), 53: ("pressure", "Pa", 1.0), 54: ("pressure", "kPa", 1.0),
    62: ("temperature", "°C", 1.0), 64: ("temperature", "°F", 1.0), 73: ("duration", "s", 1.0),
    74: ("speed", "m/s", 1.0), 80: ("volume", "m³", 1.0), 82: ("volume", "l", 1.0),
    88: ("flow", "l/min", 1.0), 96: ("co2", "ppm", 1.0), 98: ("level", "%", 1.0),
}  # fmt: skip

Fact = Callable[[int, int], Any]
_SOON = Reports(0, 600)


def operated_points(
    endpoint: int, clusters: Sequence[int], facts: Mapping[str, Any]
) -> list[Point]:
    """The points of one endpoint that serves these clusters. `facts` are attributes
    that were read, by "endpoint/cluster/id"."""

    def fact(cluster: int, attribute: int) -> Any:
        return facts.get(f"{endpoint}/{cluster:04X}/{attribute:04X}")

    made: list[Point] = []
    for cluster in clusters:
        if cluster in _MADE_BY:
            made += _MADE_BY[cluster](endpoint, cluster, fact)
    return made


def _choice(words: Mapping[int, str]) -> dict[str, Any]:
    """A kind with these words, by their raw values. Words of a node's own that cannot
    all be told apart, once they are fit to be stored, give way to their numbers."""
    kind = KINDS["choice"].with_words(words.values())
    if len(kind.words or ()) < len(words):
        kind = KINDS["choice"].with_words(f"{raw}" for raw in words)
    return {"kind": kind.key, "raws": tuple(words)}


def _covering(endpoint: int, cluster: int, fact: Fact) -> Iterator[Point]:
    """Of a covering, 0 is open and 100 closed (7.4.2.1.2); here it is the other way
    round."""
    sort = fact(COVERING, COVERING_TYPE) or 0
    for name, attribute, there in (
        ("position", LIFT, sort not in TILTS),
        ("tilt", TILT, sort in TILTS | LIFTS_AND_TILTS),
    ):
        if there:
            yield Point(
                *(name, name, COVERING, attribute, dt.U8, "%", -1.0, 100.0),
                writable=True, endpoint=endpoint, reports=Reports(1, 600, 1),
            )  # fmt: skip


def _thermostat(endpoint: int, cluster: int, fact: Fact) -> Iterator[Point]:
    at: dict[str, Any] = {"endpoint": endpoint}
    yield Point(
        *("temperature", "temperature", THERMOSTAT, 0x0000, dt.S16, "°C", 0.01),
        reports=Reports(10, 600, 10), **at,
    )  # fmt: skip
    heats, cools = _BUILT_FOR.get(fact(THERMOSTAT, SEQUENCE), (1, 0))
    modes = {0: "off"} | ({1: "auto"} if heats and cools else {})
    for there, name, target, limits, mode in (
        (heats, "target", HEAT_TO, HEAT_LIMITS, {4: "heat"}),
        (cools, "cooling target", COOL_TO, COOL_LIMITS, {3: "cool"}),
    ):
        if not there:
            continue
        modes |= mode
        low, high = (fact(THERMOSTAT, limit) for limit in limits)
        yield Point(
            *(name, "temperature", THERMOSTAT, target, dt.S16, "°C", 0.01),
            writable=True, reports=Reports(1, 600, 1),
            low=None if low is None else low / 100, high=None if high is None else high / 100, **at,
        )  # fmt: skip
    yield Point(
        name="mode", cluster=THERMOSTAT, attribute=MODE, type=dt.ENUM8, writable=True,
        reports=_SOON, **_choice(modes), **at,
    )  # fmt: skip
    if fact(THERMOSTAT, RUNS) is not None:
        for bits, name in ((0x0009, "heating"), (0x0012, "cooling"), (0x0064, "fan")):
            if name == "fan" or (heats if name == "heating" else cools):
                yield Point(
                    *(name, "activity", THERMOSTAT, RUNS, dt.BITMAP16), curve="bits",
                    mask=bits, hidden=name == "fan", reports=_SOON, **at,
                )  # fmt: skip
    if heats and fact(THERMOSTAT, 0x0008) is not None:
        yield Point(
            *("valve", "level", THERMOSTAT, 0x0008, dt.U8, "%"), reports=Reports(10, 900, 2), **at
        )


def _fan(endpoint: int, cluster: int, fact: Fact) -> Iterator[Point]:
    modes = _FAN_SEQUENCES.get(fact(FAN, FAN_SEQUENCE), tuple(_FAN_MODES))
    yield Point(
        name="fan", cluster=FAN, attribute=FAN_MODE, type=dt.ENUM8, writable=True,
        endpoint=endpoint, reports=_SOON, **_choice({mode: _FAN_MODES[mode] for mode in modes}),
    )  # fmt: skip


def _lock(endpoint: int, cluster: int, fact: Fact) -> Iterator[Point]:
    yield Point(
        *("lock", "lock", LOCK, 0x0000, dt.ENUM8),
        raws=(UNLOCKED, LOCKED), writable=True, endpoint=endpoint, reports=_SOON,
    )  # fmt: skip
    if fact(LOCK, 0x0003) is not None:
        yield Point(
            *("door", "contact", LOCK, 0x0003, dt.ENUM8),
            raws=(1, 0), endpoint=endpoint, reports=_SOON,
        )  # fmt: skip


def _colour(endpoint: int, cluster: int, fact: Fact) -> Iterator[Point]:
    """What a lamp says that it can (5.2.2.2.1.30): bit 0 hue and saturation, bit 4
    white by its temperature."""
    can = fact(COLOUR, CAN) or 0
    slow: dict[str, Any] = {"writable": True, "endpoint": endpoint}
    if can & 0x10:
        coldest, warmest = fact(COLOUR, COLDEST) or 0, fact(COLOUR, WARMEST) or 0
        yield Point(
            *("white", "white", COLOUR, WHITE, dt.U16, "K"), curve="mired",
            low=round(MIREDS / warmest) if warmest else None,
            high=round(MIREDS / coldest) if coldest else None,
            reports=Reports(1, 600, 5), **slow,
        )  # fmt: skip
    if can & 0x01:
        yield Point(
            *("hue", "hue", COLOUR, HUE, dt.U8, "°", 360 / 254),
            whole=False, reports=Reports(1, 600, 2), **slow,
        )  # fmt: skip
        yield Point(
            *("saturation", "saturation", COLOUR, SATURATION, dt.U8, "%", 100 / 254),
            reports=Reports(1, 600, 3), **slow,
        )  # fmt: skip


def _analog(endpoint: int, cluster: int, fact: Fact) -> Iterator[Point]:
    kind, unit, factor = _UNITS.get(fact(cluster, UNITS), ("number", "", 1.0))
    yield Point(
        *("value", kind, cluster, PRESENT_VALUE, dt.SINGLE, unit, factor),
        writable=cluster != ANALOGS[0], endpoint=endpoint, reports=Reports(1, 600, 0.1),
    )  # fmt: skip


def _binary(endpoint: int, cluster: int, fact: Fact) -> Iterator[Point]:
    writable = cluster != BINARIES[0]
    yield Point(
        *("state", "switch" if writable else "activity", cluster, PRESENT_VALUE, dt.BOOL),
        writable=writable, endpoint=endpoint, reports=_SOON,
    )  # fmt: skip


def _multistate(endpoint: int, cluster: int, fact: Fact) -> Iterator[Point]:
    """States are counted from 1 (3.14.11.2); they have their texts, or numbers."""
    there, texts = fact(cluster, STATES_THERE), fact(cluster, STATE_TEXTS)
    if not isinstance(there, int) or not 0 < there <= dt.MOST_STATES:
        return
    named = texts if isinstance(texts, list) and len(texts) == there else range(1, there + 1)
    words = {raw: str(word) for raw, word in enumerate(named, 1)}
    yield Point(
        name="choice", cluster=cluster, attribute=PRESENT_VALUE, type=dt.U16,
        writable=cluster != MULTISTATES[0], endpoint=endpoint, reports=_SOON, **_choice(words),
    )  # fmt: skip


_MADE_BY: dict[int, Callable[[int, int, Fact], Iterable[Point]]] = {
    COVERING: _covering,
    THERMOSTAT: _thermostat,
    FAN: _fan,
    LOCK: _lock,
    COLOUR: _colour,
    **dict.fromkeys(ANALOGS, _analog),
    **dict.fromkeys(BINARIES, _binary),
    **dict.fromkeys(MULTISTATES, _multistate),
}
OPERATED = frozenset(_MADE_BY)

# The next time would mean the node's own usual one (ZCL, 3.10.2.3.1).
LONGEST_TENTHS = 0xFFFE


def _tenths(taking_ms: int) -> int:
    return min(LONGEST_TENTHS, round(taking_ms / 100))


# (cluster, attribute) -> the command that sets it, and its payload for a raw value and
# the time that it may take, in ms.
COMMANDS: dict[tuple[int, int], Callable[[int, int], tuple[int, bytes]]] = {
    (ON_OFF, 0x0000): lambda raw, _: (1 if raw else 0, b""),
    # With on/off: what is set to a level is on.
    (LEVEL, 0x0000): lambda raw, ms: (0x04, struct.pack("<BH", raw, _tenths(ms))),
    (COVERING, LIFT): lambda raw, _: (0x05, bytes((raw,))),
    (COVERING, TILT): lambda raw, _: (0x08, bytes((raw,))),
    (LOCK, 0x0000): lambda raw, _: (0x00 if raw == LOCKED else 0x01, b""),
    (COLOUR, WHITE): lambda raw, ms: (0x0A, struct.pack("<HH", raw, _tenths(ms))),
    # By the shortest way around.
    (COLOUR, HUE): lambda raw, ms: (0x00, struct.pack("<BBH", raw, 0, _tenths(ms))),
    (COLOUR, SATURATION): lambda raw, ms: (0x03, struct.pack("<BH", raw, _tenths(ms))),
}
# What a node goes to slowly by itself.
GLIDES = frozenset({(LEVEL, 0x0000), (COLOUR, WHITE), (COLOUR, HUE), (COLOUR, SATURATION)})
