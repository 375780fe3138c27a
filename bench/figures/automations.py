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
from hombi.core.automation import Course, Seen, Sight, State, parse, replay, step
from hombi.core.house_facts import EntityFacts, HouseFacts
from hombi.core.kinds import KINDS
from hombi.core.series import Reading

AUTOMATIONS, ENTITIES, RATE, DAYS = 500, 300, 500, 30
MINUTE = 60_000
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
    values: dict[str, float] = field(default_factory=dict)

    def sight(self, entity: str) -> Sight:
        return Sight(entity, "", self.values.get(entity), known=True, rhythm_ms=1e9)


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
    states, world = [State()] * AUTOMATIONS, World()
    heard = 20_000
    begun = time.perf_counter()
    for n in range(heard):
        entity, value = n % ENTITIES, values[n]
        world.now_ms += 1000 // RATE
        world.values[f"node-{entity}/humidity"] = value
        for place in range(entity, AUTOMATIONS, ENTITIES):
            states[place] = step(programs[place], states[place], Seen(value), world).state
    core = (time.perf_counter() - begun) / heard * RATE
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
    ]


def _took(what: Callable[[], object]) -> float:
    """The best of three, in seconds."""
    found = []
    for _ in range(3):
        begun = time.perf_counter()
        what()
        found.append(time.perf_counter() - begun)
    return min(found)
