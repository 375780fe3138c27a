"""Whatever comes: odd data, and any course of events."""

from __future__ import annotations

import tomllib
from typing import Any

import msgspec
import tomlkit
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.automation import (
    Began,
    EdgeKind,
    Seen,
    State,
    parse,
)
from hombi.core.quality import Quality
from tests.core.automation.world import (
    BEAM,
    BOTH,
    DOOR,
    FACTS,
    FOLLOWS,
    MIN,
    RACK,
    STARTS,
    WAITS,
    House,
    program,
)


@given(st.data())
def test_any_of_one_twice_is_that_one(data: Any) -> None:
    """A group whose parts say the same comes to the same edges as the one alone."""
    held = data.draw(st.sampled_from(["", ', held = "4 min"']))
    part = f'entity = "{RACK}", over = "70 %", until = "65 %"{held}'
    alone_text = "\n".join(
        f"{k} = {v!r}" for k, v in tomllib.loads("x = {" + part + "}")["x"].items()
    ).replace("'", '"')
    alone = House(program(f"[watch]\n{alone_text}"))
    word = data.draw(st.sampled_from(["any", "all"]))
    group = House(program(f"[watch]\n{word} = [{{ {part} }}, {{ {part} }}]"))
    now = 0.0
    for gap, value in data.draw(
        st.lists(st.tuples(st.integers(1, 9), st.sampled_from([60.0, 67.0, 72.0])), max_size=25)
    ):
        for minute in range(gap):
            for house in (alone, group):
                house.at(now + minute)
        now += gap
        for house in (alone, group):
            house.says(now, RACK, value)
        assert alone.state.phase == group.state.phase
    assert [(e.edge, e.at_ms) for e in alone.edges] == [(e.edge, e.at_ms) for e in group.edges]


KEYS = (
    "entity over under within outside is is_not changes silent held until until_held "
    "lost all any of at_least at every rule from lasts between days dates when home switch set to "
    "for taking wait wait_until confirmed otherwise branch duty scene notify title text at_most "
    "name again pause watch only starts ends remind"
)
WORDS = st.sampled_from(KEYS.split())
ODD = st.recursive(
    st.sampled_from([RACK, DOOR, "70 %", "= rack/humidity + 5 %", "= (", "5 min", "", "x", "on",
                     "06:00-22:00", "06:45", "{value}", "{", "\x07", "sunset - 20 min", "usual",
                     "stop", "FREQ=DAILY", "12-24..12-26", "skip"])
    | st.integers(-5, 10**20) | st.booleans() | st.floats(allow_nan=False),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(WORDS, inner, max_size=5),
    max_leaves=25,
)  # fmt: skip


@given(st.dictionaries(WORDS, ODD, max_size=6))
def test_no_data_however_odd_makes_it_fail(data: dict[str, Any]) -> None:
    result = parse(tomlkit.dumps(data), FACTS)
    assert result.program is not None or result.mistakes
    if result.program is not None:
        House(result.program).step(0, Began())
        result.program.sentence({})


TIMES = f"""again = "after"
[watch]
any = [
  {{ entity = "{DOOR}", changes = "5 min" }},
  {{ entity = "{RACK}", silent = "30 min" }},
  {{ entity = "{BEAM}", over = "70 %", until_held = "3 min" }},
]
[only]
between = ["11:30", "sunset"]
[[starts]]
wait_until = {{ entity = "{BEAM}", under = "70 %" }}
at_most = "20 min"
otherwise = "stop"
[[starts]]
branch = [
  {{ when = {{ entity = "{RACK}", over = "60 %" }}, switch = "mister/switch", to = "on" }},
  {{ wait = "2 min" }},
]
[[starts]]
duty = "Try"
to = "off"
[[ends]]
wait_until = {{ entity = "{DOOR}", is = "closed" }}
[[ends]]
switch = "mister/switch"
to = "off"
"""

AT_A_TIME = '[watch]\nat = "12:30"\nlasts = "20 min"\n'

MANY = f"""pause = "10 min"
[watch]
at_least = 2
of = [
  {{ entity = "{RACK}", over = "70 %", until = "60 %" }},
  {{ entity = "{BEAM}", under = "= {RACK} - 3 %", held = "3 min", lost = "stay" }},
  {{ entity = "{DOOR}", is_not = "open" }},
]
[only]
between = "11:30-16:00"
when = [ {{ entity = "{DOOR}", is = "closed" }} ]
[[remind]]
every = "1 min"
notify = "everyone"
title = "{{for}}"
"""


@given(
    st.sampled_from(
        [BOTH, WAITS, FOLLOWS, MANY, TIMES, '[watch]\nat = "12:30"\nlasts = "20 min"\n']
    ),
    st.sampled_from([0.0, 3.0 * MIN, 1440.0 * MIN]),
    st.lists(
        st.tuples(
            st.sampled_from([0.1, 1.0, 3.0, 7.0, 60.0]),
            st.sampled_from([RACK, BEAM, DOOR]),
            st.sampled_from([None, 0, 1, 50, 62, 70, 75, 80, "bad", "gone"]),
        ),
        max_size=40,
    ),
)
def test_whatever_comes_ends_follow_starts_and_a_kept_state_goes_on(
    text: str, rhythm_ms: float, course: list[tuple[float, str, Any]]
) -> None:
    house = House(program(text, "" if "[[starts]]" in text else STARTS), rhythm_ms=rhythm_ms)
    now = 0.0
    for pause, entity, what in course:
        now += pause
        if what == "gone":
            house.values.pop(entity, None)
        elif what == "bad":
            house.step(now, Seen(None, Quality.NO_VALUE, entity))
        elif what is None:
            house.at(now)
        else:
            house.says(now, entity, float(what >= 60 if entity == DOOR else what))
        kept = msgspec.json.encode(house.state)
        assert msgspec.convert(msgspec.json.decode(kept), State) == house.state
    edges = [edge.edge for edge in house.edges if edge.edge is not EdgeKind.LOST]
    assert edges == ([EdgeKind.START, EdgeKind.END] * 50)[: len(edges)]
