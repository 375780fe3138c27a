"""Several watched together, what must be so beside, waits, ways back, reminders."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from datetime import UTC, datetime, tzinfo
from typing import Any
from zoneinfo import ZoneInfo

import msgspec
import pytest
import tomlkit
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.automation import (
    Began,
    EdgeKind,
    Effect,
    Event,
    Passed,
    Phase,
    Program,
    Seen,
    Sight,
    State,
    SwitchTo,
    Taken,
    Tell,
    Why,
    due_ms,
    parse,
    step,
)
from hombi.core.automation.moments import Moment
from hombi.core.house_facts import EntityFacts, HouseFacts
from hombi.core.kinds import KINDS
from hombi.core.quality import Quality

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
    },
    frozenset({"ada"}),
)
STARTS = '\n[[starts]]\nswitch = "mister/switch"\nto = "on"\n'
RACK, BEAM, DOOR = "rack/humidity", "beam/humidity", "door/contact"


def program(watch: str, rest: str = STARTS) -> Program:
    found = parse(f'name = "Try"\n{watch}\n{rest}', FACTS)
    assert found.program is not None, [str(one) for one in found.mistakes]
    return found.program


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

    def sight(self, entity: str) -> Sight:
        value = self.values.get(entity)
        known = value is not None
        return Sight(entity, "Cellar", value, known=known, rhythm_ms=self.rhythm_ms)

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
        found = due_ms(self.program, self.state, self)
        return None if found is None else (found - NOON) / MIN


BOTH = f"""[watch]
all = [
  {{ entity = "{RACK}", over = "70 %", held = "5 min", until = "60 %" }},
  {{ entity = "{DOOR}", is = "closed" }},
]"""


def test_all_of_them_must_be_so_and_one_that_is_not_ends_it() -> None:
    house = House(program(BOTH))
    assert "When rack/humidity is over 70 % for 5 min, until it is back under 60 % and" in (
        house.program.sentence({})
    )
    house.says(0, DOOR, 0)
    house.says(1, RACK, 75)
    assert (house.state.phase, house.due) == (Phase.HOLDING, 6)
    assert house.at(6) == (SwitchTo("mister/switch", 1.0),)
    (start,) = house.edges
    assert start.text == "rack/humidity: 75.0 % over 70 %; door/contact: it is closed"
    house.says(7, RACK, 65)
    assert house.state.phase is Phase.ON, "not back past its own until"
    house.says(9, DOOR, 1)
    assert house.edges[-1].text == "door/contact: it is open, after 9 min"
    assert house.edges[-1].edge is EdgeKind.END
    house.says(10, DOOR, 0)
    assert house.state.phase is Phase.ON, "the humidity is so all the while"


def test_any_or_so_many_of_them() -> None:
    parts = f"""{{ entity = "{RACK}", over = "70 %" }}, {{ entity = "{BEAM}", over = "70 %" }},
        {{ entity = "{DOOR}", is = "open" }}"""
    house = House(program(f"[watch]\nany = [{parts}]"))
    house.says(0, BEAM, 80)
    house.says(1, DOOR, 1)
    house.says(2, BEAM, 50)
    assert [one.edge for one in house.edges] == [EdgeKind.START]
    house.says(3, DOOR, 0)
    assert [one.edge for one in house.edges] == [EdgeKind.START, EdgeKind.END]
    two = House(program(f"[watch]\nat_least = 2\nof = [{parts}]"))
    assert "at least 2 of these" in two.program.sentence({})
    two.says(0, BEAM, 80)
    assert two.state.phase is Phase.HOLDING
    two.says(1, RACK, 80)
    assert two.state.phase is Phase.ON


def test_a_new_one_looks_at_all_of_them() -> None:
    house = House(program(BOTH.replace(', held = "5 min"', "")))
    house.values = {DOOR: 0, RACK: 75}
    house.step(0, Began())
    assert house.state.phase is Phase.ON
    taken = house.step(5, Taken("it was removed"))
    assert (taken, house.state) == ((), State())


def test_one_that_is_not_heard_any_more_ends_it_or_stays() -> None:
    for lost, edge in (("end", EdgeKind.END), ("stay", EdgeKind.LOST)):
        text = BOTH.replace('until = "60 %"', f'until = "60 %", lost = "{lost}"')
        house = House(program(text))
        house.rhythm_ms = 10 * MIN
        house.says(0, DOOR, 0)
        house.says(1, RACK, 75)
        house.at(6)
        told = house.at(11.1)
        assert (house.edges[-1].edge, house.edges[-1].lost) == (edge, True)
        assert any(isinstance(one, Tell) for one in told)


def test_what_must_be_so_beside_ends_and_brings_back() -> None:
    only = f'[only]\nwhen = [{{ entity = "{DOOR}", is = "closed" }}]'
    house = House(program(f'[watch]\nentity = "{RACK}"\nover = "70 %"\n{only}'))
    assert "only while door/contact is closed" in house.program.sentence({})
    house.says(0, RACK, 80)
    assert house.state.phase is Phase.WAITING, "nobody knows the door"
    house.says(1, DOOR, 0)
    assert house.state.phase is Phase.ON
    house.says(2, DOOR, 1)
    assert house.edges[-1].text == "door/contact was open, not closed, after 1 min"
    assert house.state.phase is Phase.WAITING
    house.says(3, DOOR, 0)
    assert house.state.phase is Phase.ON


def test_it_rests_between_two_starts() -> None:
    house = House(program(f'pause = "1 h"\n[watch]\nentity = "{RACK}"\nover = "70 %"'))
    house.says(0, RACK, 80)
    house.says(5, RACK, 60)
    house.says(6, RACK, 80)
    assert (house.state.phase, house.due) == (Phase.WAITING, 60)
    house.at(60)
    assert [one.edge for one in house.edges] == [EdgeKind.START, EdgeKind.END, EdgeKind.START]


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


def test_actions_wait_go_back_and_are_over_with_the_start() -> None:
    house = House(program(WAITS, ""))
    house.values["lamp/level"] = 15.0
    assert house.says(0, DOOR, 1) == (SwitchTo("mister/switch", 1.0),)
    assert house.due == 5
    assert house.at(5) == (SwitchTo("mister/switch", 0.0),)
    assert house.due == 10
    kept = msgspec.convert(msgspec.to_builtins(house.state), State)
    assert kept == house.state, "a wait survives a restart"
    assert house.at(10) == (Tell("ada", "Still open", ""),)
    assert house.due is None
    assert house.says(20, DOOR, 0) == ()
    assert house.due == 21
    assert house.at(21) == (SwitchTo("lamp/level", 40.0, "40 %"),)
    assert house.at(23) == (SwitchTo("lamp/level", 15.0),)
    # One that ends early says nothing any more, but what it switched goes back.
    house.says(30, DOOR, 1)
    house.says(31, DOOR, 0)
    assert house.at(35) == (SwitchTo("lamp/level", 40.0, "40 %"), SwitchTo("mister/switch", 0.0))
    # One that is removed sees to what would still go back.
    house.says(41, DOOR, 1)
    gone = house.step(42, Taken("it was removed"))
    assert SwitchTo("mister/switch", 0.0) in gone
    assert house.state == State()


def test_reminders_while_it_lasts() -> None:
    text = f"""[watch]
entity = "{DOOR}"
is = "open"
[[remind]]
every = "15 min"
at_most = 2
notify = "everyone"
title = "Still open: {{for}}"
"""
    house = House(program(text))
    assert "Every 15 min while it lasts, 2 times at most" in house.program.sentence({})
    house.says(0, DOOR, 1)
    assert house.due == 15
    assert house.at(15) == (Tell("everyone", "Still open: 15 min", ""),)
    assert house.at(16) == ()
    assert house.at(31) == (Tell("everyone", "Still open: 31 min", ""),)
    assert house.due is None
    house.says(40, DOOR, 0)
    house.says(41, DOOR, 1)
    assert house.due == 56, "the next one counts anew"
    assert house.at(120) == (Tell("everyone", "Still open: 1 h 19 min", ""),), "once for all missed"


ONE = f'entity = "{RACK}"'
OVER = f'[watch]\n{ONE}\nover = "70 %"\n'
IN_BRACES = f'{{ {ONE}, over = "70 %" }}'
REMIND = 'notify = "everyone"\ntitle = "x"\n'


@pytest.mark.parametrize(
    ("watch", "said"),
    [
        ("[watch]\nall = []", "all needs two or more"),
        ('[watch]\nall = "x"', "all is a list of tables in braces"),
        (f"[watch]\nall = [{IN_BRACES}]", "needs two or more"),
        (f"[watch]\nany = [{{ {ONE} }}, {IN_BRACES}]", "names no limit"),
        (f"[watch]\nof = [{IN_BRACES}]", "in one way"),
        (f"[watch]\nat_least = 3\nof = [{IN_BRACES}, {IN_BRACES}]", "from 1 to 2"),
        (f"[watch]\n{ONE}\nany = [{IN_BRACES}, {IN_BRACES}]", "'entity' means nothing here"),
        (f'[watch]\n{ONE}\nwithin = "60 %"', "two limits in brackets"),
        (f'[watch]\n{ONE}\nwithin = ["70 %", "60 %"]', "the lower one"),
        (f'[watch]\nentity = "{DOOR}"\noutside = ["70 %", "60 %"]', "has two states"),
        (f'{OVER}[only]\nwhen = [{{ {ONE}, held = "1 min" }}]', "'held' means nothing here"),
        (f'{OVER}[[ends]]\nset = "{RACK}"\nto = "5 %"', "cannot be set"),
        (f'{OVER}[[ends]]\nset = "lamp/level"\nto = "500 %"', "beyond what a level can be"),
        (f'{OVER}[[ends]]\nwait = "soon"', "soon"),
        (f"{OVER}[[remind]]\n{REMIND}", "every is missing"),
        (f'{OVER}[[remind]]\nevery = "1 s"\n{REMIND}', "10 s is the shortest"),
        (f'{OVER}[[remind]]\nevery = "1 h"\nat_most = 0\n{REMIND}', "from 1 to 100"),
    ],
)
def test_mistakes_are_named(watch: str, said: str) -> None:
    found = parse(f'name = "x"\n{watch}{STARTS}', FACTS)
    assert found.program is None
    assert any(said in str(one) for one in found.mistakes), [str(one) for one in found.mistakes]


def test_ranges_and_not() -> None:
    for text, values in (
        ('within = ["60 %", "65 %"]', {59.9: False, 60.0: True, 65.0: True, 65.1: False}),
        ('outside = ["60 %", "65 %"]', {59.9: True, 60.0: False, 65.0: False, 65.1: True}),
        ('is_not = "50 %"', {50.0: False, 49.0: True}),
    ):
        compared = program(f'[watch]\nentity = "{RACK}"\n{text}').watch.comparison
        for value, so in values.items():
            assert (compared.starts_with(value), compared.ends_with(value)) == (so, not so)


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


FOLLOWS = """[watch]
entity = "beam/humidity"
over = "= rack/humidity + 5 %"
until = "= rack/humidity"
"""


def test_a_limit_follows_another_value() -> None:
    house = House(program(FOLLOWS))
    assert "over rack/humidity + 5 %, until it is back under rack/humidity" in (
        house.program.sentence({})
    )
    assert house.program.entities == (BEAM, RACK)
    house.says(0, BEAM, 80)
    assert house.state.phase is Phase.IDLE, "nobody knows the other one"
    house.says(1, RACK, 76)
    assert house.state.phase is Phase.IDLE
    house.says(2, RACK, 74)
    assert house.state.phase is Phase.ON, "the limit came down to it"
    assert house.edges[0].text == "80.0 % over 79 %"
    house.says(3, RACK, 78)
    assert house.state.phase is Phase.ON, "80 is over until"
    house.says(4, RACK, 80)
    assert house.edges[-1].text == "80.0 %, back past 80 %, after 2 min"
    half = House(program(FOLLOWS.replace('"= rack/humidity"', '"60 %"')))
    half.says(0, RACK, 60)
    half.says(0, BEAM, 70)
    assert half.state.phase is Phase.ON
    half.says(1, BEAM, 60)
    assert half.state.phase is Phase.IDLE


@pytest.mark.parametrize(
    ("limit", "said"),
    [
        ('over = "= rack/humidty + 5 %"', "did you mean rack/humidity"),
        ('over = "= rack/humidity + 5 K"', "does not fit"),
        ('over = "= beam/temperature"', "it gives temperature"),
        ('over = "= "', "is empty"),
        ('over = "= 1 % / 0"', "divides by zero"),
        ('within = ["= rack/humidity", "80 %"]', "is no number"),
        ('is = "= rack/humidity"', "only over and under take a formula"),
    ],
)
def test_a_formula_that_does_not_fit_is_named(limit: str, said: str) -> None:
    found = parse(f'name = "x"\n[watch]\nentity = "beam/humidity"\n{limit}{STARTS}', FACTS)
    assert found.program is None
    assert any(said in str(one) for one in found.mistakes), [str(one) for one in found.mistakes]


def test_a_moment_of_the_day_starts_it_and_its_time_ends_it() -> None:
    text = '[watch]\nat = "12:30"\nlasts = "20 min"\n[only]\ndays = ["wed", "fri"]\n'
    house = House(program(text, STARTS + '[[ends]]\nswitch = "mister/switch"\nto = "off"\n'))
    assert house.program.sentence({}).startswith("At 12:30, for 20 min, only on Wed, Fri: ")
    house.step(0, Began())
    assert house.due == 30
    assert house.at(30) == (SwitchTo("mister/switch", 1.0),)
    assert (house.edges[0].text, house.due) == ("it is 12:30", 50)
    assert house.at(50) == (SwitchTo("mister/switch", 0.0),)
    assert house.due == 30 + 1440
    assert house.at(30 + 1440) == (), "a Thursday"
    assert house.due == 30 + 2 * 1440
    assert len(house.at(30 + 2 * 1440)) == 1


def test_one_that_was_missed_by_long_is_not_made_up_for() -> None:
    for late, done in ((5, 1), (11, 0)):
        house = House(program('[watch]\nat = "12:30"\n'))
        house.step(0, Began())
        assert len(house.at(30 + late)) == done
        assert house.state.phase is Phase.IDLE
        assert house.due == 30 + 1440


def test_again_and_again_by_the_houses_clock() -> None:
    house = House(program('[watch]\nevery = "25 min"\n'))
    house.step(0, Began())
    found = []
    for _ in range(32):
        assert house.due is not None
        found.append(house.due)
        house.at(house.due)
    # From midnight on: 12:05, 12:30 … 23:45, and from midnight again.
    assert found[:2] == [5, 30]
    assert found[27:31] == [680, 705, 720, 745]
    # The day on which the clocks go back has 25 hours.
    zone = ZoneInfo("Europe/Berlin")
    night = round(datetime(2026, 10, 25, 0, tzinfo=zone).timestamp() * 1000)
    at_three = Moment(3 * 60).next_ms(night, zone)
    assert (at_three - night) / 3_600_000 == 4
    assert Moment(150).next_ms(night, zone) < at_three
    spring = round(datetime(2026, 3, 29, 0, tzinfo=zone).timestamp() * 1000)
    assert Moment(150).next_ms(spring, zone) - spring <= 3 * 3_600_000


@pytest.mark.parametrize(
    ("watch", "said"),
    [
        ('at = "25:00"', "is no time of the day"),
        ('at = "soon"', "is no time of the day"),
        ('every = "10 s"', "from 1 min to 24 h"),
        ('at = "12:00"\nevery = "1 h"', "has at and every"),
        ('every = "1 h"\nlasts = "2 h"', "over before it begins again"),
        ('at = "12:00"\nentity = "rack/humidity"', "'entity' means nothing here"),
    ],
)
def test_a_moment_that_cannot_be_is_named(watch: str, said: str) -> None:
    found = parse(f'name = "x"\n[watch]\n{watch}{STARTS}', FACTS)
    assert any(said in str(one) for one in found.mistakes), [str(one) for one in found.mistakes]


def warnings(text: str, **others: Program) -> list[str]:
    found = parse(f'name = "x"\n{text}', FACTS, others)
    assert found.program is not None, [str(one) for one in found.mistakes]
    return [str(one) for one in found.warnings]


def test_two_that_fight_over_a_switch_are_named() -> None:
    ends = '[[ends]]\nswitch = "mister/switch"\nto = "off"\n'
    other = program(f'[watch]\nentity = "{BEAM}"\nover = "70 %"', STARTS + ends)
    (said,) = warnings(OVER + STARTS, Damp=other)
    assert said.startswith("line 7, column 10: Damp gives mister/switch another value: the two can")
    alike = program(f'[watch]\nentity = "{BEAM}"\nover = "70 %"')
    assert warnings(OVER + STARTS, Damp=alike) == []


@pytest.mark.parametrize(
    ("more", "never"),
    [
        ('under = "60 %"', True),
        ('under = "70 %"', True),
        ('under = "80 %"', False),
        ('within = ["50 %", "60 %"]', True),
        ('within = ["50 %", "80 %"]', False),
        ('outside = ["50 %", "60 %"]', False),
    ],
)
def test_what_can_never_start_is_named(more: str, never: bool) -> None:
    both = f'[watch]\nall = [{IN_BRACES}, {{ entity = "{RACK}", {more} }}]\n'
    beside = f'{OVER}[only]\nwhen = [{{ entity = "{RACK}", {more} }}]\n'
    for text in (both, beside):
        said = warnings(text + STARTS)
        assert bool(said) == never, said
        assert all("it can never start: rack/humidity" in one for one in said)
    assert warnings(both.replace("all =", "any =") + STARTS) == []


def test_a_light_stays_on_when_somebody_comes_back_in_time() -> None:
    text = f"""[watch]
entity = "{DOOR}"
is = "open"
[[starts]]
switch = "mister/switch"
to = "on"
[[ends]]
wait = "5 min"
[[ends]]
switch = "mister/switch"
to = "off"
"""
    house = House(program(text, ""))
    house.says(0, DOOR, 1)
    house.says(1, DOOR, 0)
    house.says(4, DOOR, 1)
    assert house.at(7) == ()
    house.says(10, DOOR, 0)
    assert house.at(15) == (SwitchTo("mister/switch", 0.0),)


def test_an_account_has_numbers_also_where_a_limit_is_not_known() -> None:
    house = House(program(FOLLOWS))
    house.says(0, RACK, 60)
    house.says(0, BEAM, 70)
    house.values.pop(RACK)
    house.step(1, Taken("it was removed"))
    assert [one.limit for one in house.edges] == [65.0, 0.0]
    both = f"""[watch]
any = [ {{ entity = "{BEAM}", over = "= {RACK} + 5 %" }}, {{ entity = "{DOOR}", is = "open" }} ]
"""
    several = House(program(both))
    several.says(0, RACK, 60)
    several.says(0, BEAM, 70)
    assert several.edges[0].text == "beam/humidity: 70.0 % over 65 %"
    assert several.edges[0].limit == 65.0
    several.step(1, Taken("it was removed"))
    assert all(one.limit == one.limit for one in several.edges), "no number that is none"


KEYS = (
    "entity over under within outside is is_not held until lost all any of at_least at every lasts "
    "between days when switch set to for wait scene notify title text at_most name pause watch "
    "only starts ends remind"
)
WORDS = st.sampled_from(KEYS.split())
ODD = st.recursive(
    st.sampled_from([RACK, DOOR, "70 %", "= rack/humidity + 5 %", "= (", "5 min", "", "x", "on",
                     "06:00-22:00", "06:45", "{value}", "{", "\x07"])
    | st.integers(-5, 10**20) | st.booleans() | st.floats(allow_nan=False),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(WORDS, inner, max_size=5),
    max_leaves=25,
)  # fmt: skip


@given(st.dictionaries(WORDS, ODD, max_size=6))
def test_no_data_however_odd_makes_it_fail(data: dict[str, Any]) -> None:
    found = parse(tomlkit.dumps(data), FACTS)
    assert found.program is not None or found.mistakes
    if found.program is not None:
        House(found.program).step(0, Began())
        found.program.sentence({})


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
    st.sampled_from([BOTH, WAITS, FOLLOWS, MANY, '[watch]\nat = "12:30"\nlasts = "20 min"\n']),
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
    edges = [one.edge for one in house.edges if one.edge is not EdgeKind.LOST]
    assert edges == ([EdgeKind.START, EdgeKind.END] * 50)[: len(edges)]
