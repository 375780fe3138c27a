"""A house of the tests' own, and texts that several of them use."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC, datetime, tzinfo
from zoneinfo import ZoneInfo

from hombi.core.automation import (
    Called,
    Effect,
    Event,
    Passed,
    Program,
    Seen,
    Sight,
    State,
    Why,
    due_ms,
    parse,
    step,
)
from hombi.core.automation.times import ClockTime
from hombi.core.house_facts import EntityFacts, HouseFacts
from hombi.core.kinds import AT_HOME, KINDS
from hombi.core.sun import Position

MIN = 60_000
NOON = round(datetime(2026, 11, 25, 12, tzinfo=UTC).timestamp() * 1000)
FACTS = HouseFacts(
    {
        "rack/humidity": EntityFacts(KINDS["humidity"], False),
        "beam/humidity": EntityFacts(KINDS["humidity"], False),
        "beam/temperature": EntityFacts(KINDS["temperature"], False),
        "door/contact": EntityFacts(KINDS["contact"], False),
        "mister/switch": EntityFacts(KINDS["switch"], True),
        "lamp/level": EntityFacts(KINDS["level"], True),
        "house/ada": EntityFacts(KINDS[AT_HOME], True),
        "house/ben": EntityFacts(KINDS[AT_HOME], True),
    },
    frozenset({"ada", "ben", "cleo"}),
    position=Position(51.5, -0.1),
    homes={"ada": "house/ada", "ben": "house/ben"},
)
STARTS = '\n[[starts]]\nswitch = "mister/switch"\nto = "on"\n'
RACK, BEAM, DOOR = "rack/humidity", "beam/humidity", "door/contact"


def hours(begins: int, ends: int) -> tuple[ClockTime, ClockTime]:
    """From one minute of the day to another."""
    return ClockTime(begins), ClockTime(ends)


def program(watch: str, rest: str = STARTS) -> Program:
    result = parse(f'name = "Try"\n{watch}\n{rest}', FACTS)
    assert result.program is not None, [str(mistake) for mistake in result.mistakes]
    return result.program


@dataclass
class House:
    """A house of the test's own: what was said last, and since when it was heard."""

    program: Program
    now_ms: int = NOON
    zone: tzinfo = field(default_factory=lambda: ZoneInfo("UTC"))
    state: State = field(default_factory=State)
    edges: list[Why] = field(default_factory=list)
    values: dict[str, float] = field(default_factory=dict)
    rhythm_ms: float = 24 * 60 * MIN
    time_known: bool = True
    obeyed: bool = False

    def sight(self, entity: str) -> Sight:
        value = self.values.get(entity)
        known = value is not None
        return Sight(value, known=known, rhythm_ms=self.rhythm_ms)

    def called(self, entity: str) -> Called:
        return Called(entity, "Cellar")

    def step(self, minutes: float, event: Event) -> tuple[Effect, ...]:
        self.now_ms = NOON + round(minutes * MIN)
        done = step(self.program, self.state, event, self)
        self.state = done.state
        if done.why is not None:
            self.edges.append(done.why)
        return done.effects

    def says(self, minutes: float, entity: str, value: float) -> tuple[Effect, ...]:
        self.values[entity] = value
        return self.step(minutes, Seen(value, entity=entity))

    def at(self, minutes: float) -> tuple[Effect, ...]:
        return self.step(minutes, Passed())

    @property
    def due(self) -> float | None:
        result = due_ms(self.program, self.state, self)
        return None if result is None else (result - NOON) / MIN


BOTH = f"""[watch]
all = [
  {{ entity = "{RACK}", over = "70 %", held = "5 min", until = "60 %" }},
  {{ entity = "{DOOR}", is = "closed" }},
]"""


WAITS = f"""[watch]
entity = "{DOOR}"
is = "open"
[[starts]]
switch = "mister/switch"
to = "on"
for = "5 min"
[[starts]]
wait = "10 min"
[[starts]]
notify = "ada"
title = "Still open"
[[ends]]
wait = "1 min"
[[ends]]
set = "lamp/level"
to = "40 %"
for = "2 min"
"""


FOLLOWS = """[watch]
entity = "beam/humidity"
over = "= rack/humidity + 5 %"
until = "= rack/humidity"
"""
