"""A month of the mill: what was live, with restarts in between, and what a replay of
its readings comes to are the same."""

from __future__ import annotations

import random
from functools import cache
from zoneinfo import ZoneInfo

import msgspec
import pytest

from hombi.core.automation import (
    Course,
    EdgeKind,
    Passed,
    Phase,
    Program,
    Seen,
    State,
    Why,
    due_ms,
    lost_ms,
    rejoined,
    replay,
    step,
)
from hombi.core.automation.replay import Past
from hombi.core.kinds import KINDS
from hombi.core.series import Reading
from hombi.lab.physics import Mill
from tests.core.automation.world import BEAM, MIN, NOON, RACK, STARTS, program

WARMTH = "beam/temperature"
DAYS, EVERY, LOOK = 30, 5, 3
ZONE = ZoneInfo("Europe/Berlin")
END = NOON + DAYS * 1440 * MIN
TEXTS = [
    f'[watch]\nentity = "{RACK}"\nunder = "84 %"\nuntil = "86 %"\nheld = "12 min"',
    f'[watch]\nentity = "{RACK}"\nover = "84 %"\nuntil_held = "20 min"\n'
    '[only]\nbetween = ["06:30", "sunset"]\ndays = ["mon", "wed", "sat"]',
    f'[watch]\nany = [\n  {{ entity = "{RACK}", over = "85 %", until = "84 %" }},\n'
    f'  {{ entity = "{WARMTH}", under = "11 °C", held = "1 h" }},\n]',
    f'pause = "8 h"\n[watch]\nentity = "{RACK}"\nover = "= {BEAM} + 12 %"\nlost = "stay"',
    f'[watch]\nentity = "{RACK}"\nsilent = "25 min"',
    f'[watch]\nentity = "{BEAM}"\nfalling = "2 % in 1 h"\nuntil = "0.5 %"',
]


@cache
def month() -> list[tuple[str, Reading]]:
    """What the nodes of two rooms sent, some of it lost on the way."""
    mill, luck = Mill(3, NOON / 1000), random.Random(3)
    cellar, drying = mill.rooms["cellar"], mill.rooms["drying"]
    result: list[tuple[str, Reading]] = []
    away_until = 0
    for minute in range(0, DAYS * 1440, EVERY):
        mill.step(NOON / 1000 + minute * 60)
        mill.live_by_itself()
        if luck.random() < 0.002:
            away_until = minute + luck.randint(20, 200)
        if minute < away_until:
            continue
        at = NOON + minute * MIN
        for number, (entity, value) in enumerate(
            ((RACK, cellar.humidity), (BEAM, drying.humidity), (WARMTH, cellar.temperature))
        ):
            result.append((entity, Reading(at + number, 0, value, round(value, 1))))
    return result


def courses(made: Program) -> dict[str, Course]:
    kinds = {RACK: "humidity", BEAM: "humidity", WARMTH: "temperature"}
    return {
        entity: Course(
            entity, "", KINDS[kinds[entity]], [one for name, one in month() if name == entity]
        )
        for entity in made.entities
    }


def live(made: Program, restarts: random.Random) -> list[Why]:
    """Stepped as the hub does, every few minutes; now and then it is stopped, and
    begins again with what was kept."""
    world, state, edges = Past(courses(made), ZONE), State(), []
    heard: dict[str, int] = {}
    pending = [(name, one) for name, one in month() if name in made.entities][::-1]

    def stepped(event: Seen | Passed) -> None:
        nonlocal state
        done = step(made, state, event, world)
        state = done.state
        if done.why is not None:
            edges.append(done.why)

    for minute in range(0, DAYS * 1440, LOOK):
        now = NOON + minute * MIN
        while pending and pending[-1][1].at_ms <= now:
            name, one = pending.pop()
            world.now_ms = heard[name] = one.at_ms
            world.hear(name, one)
            stepped(Seen(one.value, one.quality, name))
        world.now_ms = now
        due = due_ms(made, state, world)
        lost = lost_ms(made, state, world)
        if (due is not None and due <= now) or (lost is not None and lost <= now):
            stepped(Passed())
        if restarts.random() < 0.003 and state.phase is not Phase.ON:
            kept = msgspec.convert(msgspec.json.decode(msgspec.json.encode(state)), State)
            state = rejoined(made, kept, heard.get, now)
    return edges


@pytest.mark.parametrize("text", TEXTS)
def test_a_replay_is_what_was_live(text: str) -> None:
    made = program(text, STARTS)
    result = replay(made, courses(made), NOON, END, ZONE)
    was = live(made, random.Random(5))
    assert len(was) > 8, "the month has something to say about it"
    mine = [(one.why.edge, one.why.lost) for one in result.acted]
    assert mine == [(one.edge, one.lost) for one in was]
    for one, other in zip(result.acted, was, strict=True):
        assert abs(one.why.at_ms - other.at_ms) <= (LOOK + 1) * MIN
    assert {one.edge for one in was} >= {EdgeKind.START}
