"""Automations: the past replayed, a text checked, many loaded, and what the machine
takes of a core."""

from __future__ import annotations

import math
import random
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import tzinfo
from zoneinfo import ZoneInfo

from bench.figures.measures import Row
from hombi.core.automation import (
    Called,
    Course,
    Program,
    Seen,
    Sight,
    State,
    Waiting,
    parse,
    replay,
    step,
)
from hombi.core.house_facts import EntityFacts, HouseFacts
from hombi.core.kinds import KINDS
from hombi.core.series import Reading

AUTOMATIONS, ENTITIES, RATE, DAYS = 500, 300, 500, 30
MINUTE, DAY_MS = 60_000, 86_400_000
TIMERS, SAMPLE = 10_000, 10
ZONE = ZoneInfo("Europe/Vienna")
END = 1_790_000_000_000


def text(number: int) -> str:
    """An automation of a usual house."""
    return f"""name = "Too dry {number}"
[watch]
entity = "node-{number % ENTITIES}/humidity"
under = "82 %"
held = "5 min"
until = "86 %"
[only]
between = "06:00-22:00"
[[starts]]
switch = "plug/switch"
to = "on"
[[ends]]
switch = "plug/switch"
to = "off"
"""


FACTS = HouseFacts(
    {
        **{f"node-{n}/humidity": EntityFacts(KINDS["humidity"], False) for n in range(ENTITIES)},
        "plug/switch": EntityFacts(KINDS["switch"], True),
    }
)


@dataclass
class World:
    """A house in which every value was heard in time."""

    now_ms: int = END
    zone: tzinfo = ZONE
    time_known: bool = True
    values: dict[str, float] = field(default_factory=dict)

    def sight(self, entity: str) -> Sight:
        return Sight(self.values.get(entity), known=True, rhythm_ms=1e9)

    def called(self, entity: str) -> Called:
        return Called(entity)


def automations() -> list[Row]:
    """In memory, without the hub around it."""
    noise = random.Random(1)
    values = [84 + 3 * math.sin(n / 60) + noise.gauss(0, 0.5) for n in range(DAYS * 1440)]
    first = END - len(values) * MINUTE
    readings = [Reading(first + n * MINUTE, 0, v, v) for n, v in enumerate(values)]
    program = parse(text(0), FACTS).program
    assert program is not None
    courses = {program.watch.entity: Course("", "", KINDS["humidity"], readings)}
    past_s = _took(lambda: replay(program, courses, first, END, ZONE))
    check_s = _took(lambda: parse(text(1), FACTS))
    load_s = _took(lambda: [parse(text(n), FACTS) for n in range(AUTOMATIONS)])
    programs = [one for n in range(AUTOMATIONS) if (one := parse(text(n), FACTS).program)]
    core = _stepped(programs, values, State())
    later = tuple(
        Waiting(END + (n + 1) * DAY_MS, entity="plug/switch") for n in range(TIMERS // AUTOMATIONS)
    )
    timers = _stepped(programs, values, State(waits=later))
    month_s = _took(lambda: [_month(n, courses, first) for n in range(SAMPLE)]) / SAMPLE
    all_s = month_s * AUTOMATIONS
    return [
        (f"{DAYS} days at one a minute replayed", f"{past_s:.2f} s", "under 0.5 s", past_s < 0.5),
        ("a text checked", f"{check_s * 1000:.1f} ms", "under 50 ms", check_s < 0.05),
        (f"{AUTOMATIONS} automations understood", f"{load_s:.2f} s", "under 1 s", load_s < 1),
        (
            f"{AUTOMATIONS} automations at {RATE} readings/s, the machine",
            f"{core:.1%} of a core",
            "under 20 %",
            core < 0.2,
        ),
        (
            f"the same with {TIMERS:,} timers beside it",
            f"{timers:.1%} of a core",
            "at most 0.5 % more",
            timers < core + 0.005,
        ),
        (
            f"a month of all {AUTOMATIONS} replayed, from {SAMPLE} of them",
            f"{all_s:.0f} s",
            "under 60 s",
            all_s < 60,
        ),
    ]


def _month(number: int, courses: dict[str, Course], first: int) -> None:
    """Another automation over the same month."""
    program = parse(text(number * ENTITIES), FACTS).program
    assert program is not None
    replay(program, courses, first, END, ZONE)


def _stepped(programs: list[Program], values: list[float], first: State) -> float:
    """What the machine takes of a core, each automation beginning in this state."""
    states, world, heard = [first] * AUTOMATIONS, World(), 20_000
    begun = time.perf_counter()
    for n in range(heard):
        entity, value = n % ENTITIES, values[n]
        world.now_ms += 1000 // RATE
        world.values[f"node-{entity}/humidity"] = value
        for place in range(entity, AUTOMATIONS, ENTITIES):
            states[place] = step(programs[place], states[place], Seen(value), world).state
    return (time.perf_counter() - begun) / heard * RATE


def _took(what: Callable[[], object]) -> float:
    """The best of three, in seconds."""
    result = []
    for _ in range(3):
        begun = time.perf_counter()
        what()
        result.append(time.perf_counter() - begun)
    return min(result)
