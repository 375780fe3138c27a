"""When a node counts as silent: thirty kinds of healthy nodes over a week, none of
which may; and each of them once it has died."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import pairwise

import pytest

from hombi.core.kinds import KINDS
from hombi.core.quality import Quality
from hombi.core.rhythm import Rhythm
from hombi.core.series import Channel, Channels, Reading
from hombi.hub.house import Entity, Node
from tests.hub.parts import START

SECOND, MINUTE, HOUR, DAY = 1_000, 60_000, 3_600_000, 86_400_000
WEEK = 7 * DAY
Times = Callable[[random.Random], Iterator[float]]


@dataclass(frozen=True)
class Value:
    """One value of a node: when it is sent, in ms from the beginning of the week."""

    kind: str
    times: Times
    writable: bool = False
    agreed_ms: int = 0


def every(ms: float, jitter: float = 0.0) -> Times:
    def times(chance: random.Random) -> Iterator[float]:
        at = 0.0
        while at < WEEK:
            yield at
            at += ms * (1 + chance.uniform(-jitter, jitter))

    return times


def lossy(ms: float, lost: float) -> Times:
    def times(chance: random.Random) -> Iterator[float]:
        return (at for at in every(ms)(chance) if chance.random() > lost)

    return times


def bursts(of: int, apart_ms: float, a_day: float) -> Times:
    """So many within a burst, then nothing for hours."""

    def times(chance: random.Random) -> Iterator[float]:
        at = 0.0
        while at < WEEK:
            for _ in range(of):
                yield at
                at += apart_ms
            at += chance.expovariate(a_day / DAY)

    return times


def by_day(a_day: float, a_night: float) -> Times:
    """Sent when it changes: often while people are about (7 to 23 h)."""

    def times(chance: random.Random) -> Iterator[float]:
        at = 0.0
        while at < WEEK:
            yield at
            here = 7 * HOUR <= at % DAY < 23 * HOUR
            at += chance.expovariate((a_day / 16 if here else a_night / 8) / HOUR)

    return times


def shower_first(times: Times) -> Times:
    """In its first ten minutes each 5 s; as it is used afterwards."""

    def both(chance: random.Random) -> Iterator[float]:
        yield from range(0, 10 * MINUTE, 5 * SECOND)
        yield from (at + 10 * MINUTE for at in times(chance))

    return both


def at_least(ms: float, times: Times) -> Times:
    """Sent on change, and again when it was not sent for so long."""

    def more(chance: random.Random) -> Iterator[float]:
        last = 0.0
        for at in times(chance):
            while at - last > ms:
                last += ms
                yield last
            last = at
            yield at

    return more


PROMISED = Value("temperature", at_least(HOUR, by_day(200, 10)), agreed_ms=HOUR)
KINDS_OF_NODE: dict[str, list[Value]] = {
    "climate, each 10 s": [Value("temperature", every(10_000)), Value("humidity", every(10_000))],
    "climate, each 30 s, by a clock of its own": [Value("temperature", every(30_000, 0.02))],
    "climate, each minute, a tenth lost": [Value("temperature", lossy(MINUTE, 0.1))],
    "climate, each 5 min, a quarter lost": [Value("temperature", lossy(5 * MINUTE, 0.25))],
    "soil, each hour": [Value("moisture", every(HOUR, 0.01))],
    "tank, each 6 h": [Value("level", every(6 * HOUR))],
    "letter scale, once a day": [Value("mass", every(DAY, 0.02))],
    "steady temperature beside a talking humidity": [
        Value("temperature", by_day(12, 1)), Value("humidity", every(20_000, 0.3)),
    ],
    "humidity on change": [Value("humidity", by_day(300, 20))],
    "humidity on change, a shower first": [Value("humidity", shower_first(by_day(200, 30)))],
    "illuminance by day": [Value("illuminance", by_day(900, 2))],
    "door with battery": [
        Value("contact", bursts(6, 9_000, 8)), Value("battery", every(4 * HOUR, 0.05)),
    ],
    "door alone": [Value("contact", bursts(12, 4_000, 3))],
    "motion": [Value("occupancy", bursts(8, 30_000, 40)), Value("battery", every(12 * HOUR))],
    "leak, silent for days": [Value("leak", bursts(1, 1, 0.2)), Value("battery", every(DAY, 0.1))],
    "lamp on mains, ten commands": [
        Value("switch", bursts(10, 3_000, 2), writable=True),
        Value("level", bursts(10, 3_000, 2), writable=True),
    ],
    "lamp that measures its power": [
        Value("switch", bursts(10, 3_000, 2), writable=True), Value("power", bursts(10, 3_000, 2)),
    ],
    "lamp with a signal": [
        Value("switch", bursts(10, 3_000, 2), writable=True),
        Value("signal", bursts(200, 5_000, 2)),
    ],
    "plug with power each 10 s while on": [
        Value("switch", bursts(1, 1, 6), writable=True), Value("power", bursts(300, 10_000, 4)),
    ],
    "radiator head that sleeps 50 min": [
        Value("temperature", every(50 * MINUTE, 0.05)),
        Value("level", bursts(3, MINUTE, 3), writable=True),
    ],
    "Zigbee climate, hourly at least": [PROMISED],
    "Zigbee climate, beside its battery": [
        Value("temperature", every(50 * MINUTE, 0.1), agreed_ms=HOUR),
        Value("battery", every(5.5 * HOUR, 0.05), agreed_ms=6 * HOUR),
    ],
    "Zigbee lamp that promised its state": [
        Value("switch", every(9 * MINUTE), writable=True, agreed_ms=10 * MINUTE),
    ],
    "Zigbee plug, power on change": [
        Value("power", every(9 * MINUTE, 0.1), agreed_ms=10 * MINUTE),
        Value("switch", every(9 * MINUTE), writable=True, agreed_ms=10 * MINUTE),
    ],
    "Bluetooth, advertised each 2 s, heard now and then": [
        Value("temperature", lossy(8_000, 0.5)), Value("signal", lossy(8_000, 0.5)),
    ],
    "Bluetooth, in turns of a minute": [Value("temperature", every(5 * MINUTE, 0.4))],
    "polled each 30 s": [Value("power", every(30_000)), Value("energy", every(30_000))],
    "pulses of a meter": [Value("energy", by_day(60, 4))],
    "rain": [Value("rain", by_day(5, 5))],
    "weather station, each 16 s": [
        Value("temperature", every(16_000)), Value("pressure", every(MINUTE)),
        Value("illuminance", by_day(500, 5)),
    ],
}  # fmt: skip


def made(values: list[Value]) -> Node:
    node = Node(1, "node", "Node", "wifi", "urn:node", "", None, START, heard_ms=START)
    for number, value in enumerate(values):
        kind = KINDS.get(value.kind, KINDS["temperature"])
        channels = Channels([Channel(0, kind, kind.unit, 0)])
        entity = Entity(
            number, f"node/{value.kind}", value.kind, kind, channels, kind.low, kind.high,
            node=node, writable=value.writable, agreed_ms=value.agreed_ms, heard_ms=START,
        )  # fmt: skip
        node.entities[value.kind] = entity
    return node


def lived(node: Node, values: list[Value], seed: int) -> Iterator[tuple[int, str]]:
    """Have it live for a week; what counts as silent, and when."""
    chance = random.Random(seed)
    events = sorted(
        (START + round(at), value.kind) for value in values for at in value.times(chance)
    )
    for (before, name), (after, _) in pairwise([*events, (START + WEEK, "")]):
        entity = node.entities[name]
        entity.heard(Reading(before, 0, 20.0, 20.0, Quality.GOOD))
        entity.heard_ms = node.heard_ms = before
        if after - before < 50 * SECOND:
            continue  # nothing is silent so soon
        if node.overdue(after - 1):
            yield after, "node"
        for one in node.entities.values():
            if one.overdue(after - 1, START):
                yield after, one.address


@pytest.mark.parametrize("kind", KINDS_OF_NODE)
@pytest.mark.parametrize("seed", [1, 2])
def test_a_healthy_node_is_never_silent(kind: str, seed: int) -> None:
    values = KINDS_OF_NODE[kind]
    assert len(KINDS_OF_NODE) == 30
    silent = [
        f"{name} at {(at - START) / HOUR:.1f} h" for at, name in lived(made(values), values, seed)
    ]
    assert silent == []


@pytest.mark.parametrize(
    ("kind", "within_ms"),
    [
        ("climate, each 10 s", MINUTE),
        ("climate, each minute, a tenth lost", 10 * MINUTE),
        ("soil, each hour", 4 * HOUR),
        ("humidity on change", 2 * DAY),
        ("Zigbee climate, hourly at least", 3 * HOUR + MINUTE),
        ("Zigbee lamp that promised its state", 21 * MINUTE),
        ("radiator head that sleeps 50 min", 3 * HOUR),
        ("weather station, each 16 s", MINUTE),
    ],
)
def test_a_node_that_dies_after_a_week_is_silent_in_time(kind: str, within_ms: int) -> None:
    values = KINDS_OF_NODE[kind]
    node = made(values)
    list(lived(node, values, 3))
    assert not node.overdue(node.heard_ms + 30 * SECOND)
    assert node.overdue(node.heard_ms + within_ms + 1)


def test_an_outage_does_not_change_what_is_usual_and_a_restart_keeps_it() -> None:
    rhythm = Rhythm()
    for _ in range(9_000):
        rhythm.learn(10_000)
    for outage in range(5):
        rhythm.learn((3 + outage) * HOUR)
        for _ in range(360):
            rhythm.learn(10_000)
    assert rhythm.patience_ms == MINUTE
    again = Rhythm.of(rhythm.kept())
    assert (again.patience_ms, again.regular) == (rhythm.patience_ms, rhythm.regular)
    assert Rhythm.of({}).patience_ms == 0
