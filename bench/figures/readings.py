"""Readings made right: chains, the past made again, derived values, files."""

from __future__ import annotations

import json
import random
import sqlite3
import statistics
import time

from bench import rig
from bench.figures.measures import Row
from bench.figures.reaction import Pinger
from bench.figures.use import rolled_up
from hombi.core.kinds import KINDS
from hombi.core.series import Channel, Sample, chain_of
from tests.house import PLUG, Service, description, let_in, until

PLAN = (
    {"step": "despike", "window": "11 min", "times": 3.0, "floor": 0.1},
    {"step": "low-pass", "time": "5 min"},
    {"step": "linear", "offset": -0.7, "gain": 1.02},
    {"step": "clamp", "low": -40.0, "high": 85.0},
)
# An automation for each way.
SWITCH = """name = "{0}"
[watch]
entity = "rack/humidity"
{0} = "50 %"
[[starts]]
switch = "plug/switch"
to = "{1}"
"""
DAYS = 90
MINUTES = DAYS * 1_440


def chains() -> list[Row]:
    """A chain of four steps in memory; 90 days made again by it through the API, and
    written to a file."""
    kind = KINDS["temperature"]
    channel, chain = Channel(0, kind, "°C", 0), chain_of(PLAN, kind, "°C", -40.0, 85.0)
    noise = random.Random(7)
    samples = [Sample(n * 60_000, 20 + noise.random(), "°C") for n in range(100_000)]
    begun = time.perf_counter()
    for sample in samples:
        chain.reading(sample, channel)
    rate = len(samples) / (time.perf_counter() - begun)
    with rig.hub() as service:
        rig.nodes(service, 1, 1)
        end = _with_a_past(service)
        with service.hub() as hub:
            (one,) = (e.entity for e in hub.entities.list())
            begun = time.perf_counter()
            hub.conditioning.set(one, [dict(step) for step in PLAN], past=True)
            # Asked as often as the console asks: the answer costs more than it looks.
            while hub.conditioning.show(one).progress is not None:
                time.sleep(0.25)
            again_s = time.perf_counter() - begun
            span = {"start": end - DAYS * 86_400_000, "end": end}
            begun = time.perf_counter()
            size = sum(map(len, hub.entities.export(one, **span)))
            file_s = time.perf_counter() - begun
    with rig.hub() as service:
        slowest = _automation_meanwhile(service)
    a_million_s = file_s / MINUTES * 1e6
    return [
        ("a chain of four steps", f"{rate:,.0f} readings/s", "150,000/s", rate > 150_000),
        (f"{DAYS} days made again by it", f"{again_s:.1f} s", "under 3 s", again_s < 3),
        (
            "the same, an automation meanwhile, p99",
            f"{slowest:.1f} ms",
            "under 25 ms",
            slowest < 25,
        ),
        (
            "a million rows of CSV",
            f"{a_million_s:.0f} s, {size / MINUTES:.0f} bytes a row",
            "under 40 s",
            a_million_s < 40,
        ),
    ]


def _with_a_past(service: Service) -> int:
    """Give the first entity 90 days at one reading a minute, rolled up; when they
    end."""
    service.stop()
    noise, end = random.Random(7), round(time.time() * 1000)
    with sqlite3.connect(service.data / "hub.sqlite3") as db:
        (entity,) = db.execute("SELECT min(id) FROM records_entity").fetchone()
        db.executemany(
            "INSERT INTO records_reading VALUES (?, ?, 0, NULL, ?, 0)",
            ((entity, end - (MINUTES - n) * 60_000, 20 + noise.random()) for n in range(MINUTES)),
        )
    service.start()
    until(lambda: rolled_up(service, [entity]), within_s=300)
    return end


def _automation_meanwhile(service: Service) -> float:
    """The p99 of the way from a crossing to the command, in ms, while a past is made
    again."""
    rig.nodes(service, 1, 1)
    _with_a_past(service)
    humidity = {"type": "number", "unit": "%RH", "readOnly": True}
    rack = let_in(service, description("Rack", humidity=humidity))
    plug = let_in(service, description("Plug", **PLUG))
    times: list[float] = []
    with service.hub() as hub:
        entity = next(e.entity for e in hub.entities.list() if e.kind == "temperature")
        hub.automations.add(SWITCH.format("over", "on"))
        hub.automations.add(SWITCH.format("under", "off"))
        pinger = Pinger(
            service.mqtt_port, rack, rack.topics["readings"], plug, plug.topics["wanted"]
        )
        for _ in range(2):
            hub.conditioning.set(entity, [dict(step) for step in PLAN], past=True)
            while hub.conditioning.show(entity).progress is not None:
                for _ in range(20):
                    value = 40 + 20 * (len(times) % 2)
                    times.append(pinger.ping(json.dumps([{"n": "humidity", "v": value}])))
                    time.sleep(0.005)
        pinger.close()
    return statistics.quantiles(times, n=100)[98]
