"""The words of the language: what they mean, and the mistakes in them."""

from __future__ import annotations

from dataclasses import replace

import pytest

from hombi.core.automation import Phase, Program, parse
from hombi.core.house_facts import EntityFacts
from hombi.core.kinds import KINDS
from tests.core.automation.world import (
    BEAM,
    DOOR,
    FACTS,
    RACK,
    STARTS,
    House,
    program,
)

ONE = f'entity = "{RACK}"'
OVER = f'[watch]\n{ONE}\nover = "70 %"\n'
DIM = f'{OVER}[[ends]]\nset = "lamp/level"\nto = "4 %"\n'
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
        (f'{OVER}[[ends]]\nset = "lamp/level"\nto = "other"', "'other' is not a number"),
        (f'{OVER}[[ends]]\nset = "lamp/level"\nto = 40', 'write "40 %"'),
        (f'{OVER}[[ends]]\nset = "lamp/level"\nto = "+10 %"', "is a step"),
        (f'[watch]\n{ONE}\nover = "60,5 %"', "write '60.5 %'"),
        ('[watch]\nentity = "beam/temperature"\nunder = "\u22125 °C"', "write '-5 °C'"),
        ('[watch]\nentity = "beam/temperature"\nunder = "\u20135 °C"', "write '-5 °C'"),
        (f'{OVER}[[ends]]\nswitch = "mister/switch"\nto = 0', 'write "off"'),
        (f'{OVER}[[ends]]\nswitch = "mister/switch"', "to is missing"),
        (f'{OVER}[[ends]]\nduty = "x"\nto = "other"', "use 'on' or 'off'"),
        (f'{OVER}[[ends]]\nset = "mister/switch"\nto = "on"\ntaking = "3 s"', "two states"),
        (f'{DIM}taking = "2 h"', "1 h is the longest"),
        (f'{DIM}taking = "2 s"\nfor = "2 s"', "it would go back before it is there"),
        (f'{DIM}taking = "2 s"\nconfirmed = "1 s"', "before the entity can be there"),
        (f'{OVER}[[ends]]\nswitch = "mister/switch"\nto = "on"\ntaking = "3 s"', "'taking' means"),
        (f"{OVER}[[ends]]\nwait = 10", 'write wait = "10 min"'),
        (f"{OVER}[[ends]]\nwait = true", 'write wait = "5 min"'),
        (f"[watch]\n{ONE}\nover = true", 'write "100 %"'),
        (f"[watch]\n{ONE}\nover = inf", 'write "100 %"'),
        (f'[watch]\nentity = "{DOOR}"\nis = true', 'write "open"'),
        (f"[watch]\n{ONE}\nrising = 2", 'write rising = "2 % in 10 min"'),
        ("[watch]\nat = 06:45:00", 'write at = "06:45"'),
        (f'{OVER}[[ends]]\nwait = "soon"', "soon"),
        (f"{OVER}[[remind]]\n{REMIND}", "every is missing"),
        (f'{OVER}[[remind]]\nevery = "1 s"\n{REMIND}', "10 s is the shortest"),
        (f'{OVER}[[remind]]\nevery = "1 h"\nat_most = 0\n{REMIND}', "from 1 to 100"),
    ],
)
def test_mistakes_are_named(watch: str, said: str) -> None:
    result = parse(f'name = "x"\n{watch}{STARTS}', FACTS)
    assert result.program is None
    assert any(said in str(mistake) for mistake in result.mistakes), [
        str(mistake) for mistake in result.mistakes
    ]


def test_ranges_and_not() -> None:
    for text, values in (
        ('within = ["60 %", "65 %"]', {59.9: False, 60.0: True, 65.0: True, 65.1: False}),
        ('outside = ["60 %", "65 %"]', {59.9: True, 60.0: False, 65.0: False, 65.1: True}),
        ('is_not = "50 %"', {50.0: False, 49.0: True}),
    ):
        compared = program(f'[watch]\nentity = "{RACK}"\n{text}').watch.comparison
        for value, so in values.items():
            assert (compared.starts_with(value), compared.ends_with(value)) == (so, not so)


@pytest.mark.parametrize(
    ("limit", "said"),
    [
        ('over = "= rack/humidty + 5 %"', "did you mean rack/humidity"),
        ('over = "= rack/humidity + 5 K"', "does not fit"),
        ('over = "= beam/temperature"', "it gives temperature"),
        ('over = "= "', "is empty"),
        ('over = "= 1 % / 0"', "divides by zero"),
        ('within = ["= beam/temperature", "80 %"]', "it gives temperature"),
        ('is = "= rack/humidity"', "only over, under, within and outside take a formula"),
    ],
)
def test_a_formula_that_does_not_fit_is_named(limit: str, said: str) -> None:
    result = parse(f'name = "x"\n[watch]\nentity = "beam/humidity"\n{limit}{STARTS}', FACTS)
    assert result.program is None
    assert any(said in str(mistake) for mistake in result.mistakes), [
        str(mistake) for mistake in result.mistakes
    ]


def warnings(text: str, **others: Program) -> list[str]:
    result = parse(f'name = "x"\n{text}', FACTS, others)
    assert result.program is not None, [str(mistake) for mistake in result.mistakes]
    return [str(warning) for warning in result.warnings]


def test_two_that_fight_over_a_switch_are_named() -> None:
    ends = '[[ends]]\nswitch = "mister/switch"\nto = "off"\n'
    other = program(f'[watch]\nentity = "{BEAM}"\nover = "70 %"', STARTS + ends)
    (said,) = warnings(OVER + STARTS, damp=other)
    assert said.startswith("line 7, column 10: Try gives mister/switch another value: the two can")
    assert warnings(OVER + STARTS, x=other) == [], "it does not fight with itself"
    alike = program(f'[watch]\nentity = "{BEAM}"\nover = "70 %"')
    assert warnings(OVER + STARTS, damp=alike) == []


def test_a_range_follows_other_values() -> None:
    pair = f'["= {RACK} - 5 %", "= {RACK} + 5 %"]'
    for word, begins in (("within", 72.0), ("outside", 80.0)):
        one = program(f'[watch]\nentity = "{BEAM}"\n{word} = {pair}')
        assert f"{word} {RACK} - 5 % to {RACK} + 5 %" in one.sentence({})
        assert set(one.entities) == {BEAM, RACK}
        house = House(one)
        house.says(0, BEAM, begins)
        assert house.state.phase is Phase.IDLE, "nobody knows what it follows"
        house.says(1, RACK, 70)
        house.says(2, BEAM, begins)
        assert house.state.phase is Phase.ON
        house.says(3, BEAM, 80.0 if begins == 72.0 else 72.0)
        assert house.state.phase is Phase.IDLE
    half = program(f'[watch]\nentity = "{BEAM}"\nwithin = ["60 %", "= {RACK}"]')
    assert f"within 60 % to {RACK}" in half.sentence({})
    house = House(half)
    # With nothing between the two it is never so.
    for minute, (rack, beam, phase) in enumerate(
        [(70, 65, Phase.ON), (70, 71, Phase.IDLE), (55, 57, Phase.IDLE), (70, 60, Phase.ON)]
    ):
        house.says(minute, RACK, rack)
        house.says(minute + 0.5, BEAM, beam)
        assert house.state.phase is phase, (rack, beam)


def test_a_limit_of_zero_beside_a_formula_is_zero() -> None:
    watch = (
        '[watch]\nentity = "beam/temperature"\nover = "0 °C"\nuntil = "= beam/temperature - 1 K"'
    )
    house = House(program(watch))
    house.says(0, "beam/temperature", 1)
    assert house.state.phase is Phase.ON


@pytest.mark.parametrize(
    ("pair", "said"),
    [
        ('["= rack/humidty", "70 %"]', "no entity rack/humidty; did you mean rack/humidity?"),
        ('["= rack/humidity +", "70 %"]', "the formula"),
        ('["= rack/humidity", "warm"]', "'warm' is not a number"),
        ('["= rack/humidity", 70]', 'write "70 %"'),
        ('["= rack/humidity"]', "two limits in brackets"),
    ],
)
def test_what_is_wrong_in_a_range_is_named(pair: str, said: str) -> None:
    result = parse(f'name = "x"\n[watch]\nentity = "{BEAM}"\nwithin = {pair}{STARTS}', FACTS)
    assert result.program is None
    assert any(said in str(mistake) for mistake in result.mistakes), [
        str(mistake) for mistake in result.mistakes
    ]


@pytest.mark.parametrize("to", ["on", "other"])
def test_one_that_switches_what_it_watches_back_and_forth_is_named(to: str) -> None:
    watch = '[watch]\nentity = "mister/switch"\nis = "off"\n'
    back = f'[[ends]]\nswitch = "mister/switch"\nto = "{to}"\n'
    there = back.replace("ends", "starts")
    (said,) = warnings(f"{watch}{there}{back.replace(to, 'off')}")
    assert "line 6, column 10: it switches what it watches" in said
    assert warnings(f"{watch}{there}") == [], "once there, it stays"
    assert len(warnings(f"{watch}{there}{back}")) == (to == "other"), "it stays on"


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


def warned_of(watch: str, rest: str = STARTS) -> list[str]:
    rooms = {
        one: replace(facts, room="loft")
        for one, facts in FACTS.entities.items()
        if not one.startswith("rack")
    }
    lit = EntityFacts(KINDS["illuminance"], writable=False, room="loft")
    facts = replace(FACTS, entities={**FACTS.entities, **rooms, "loft/light": lit})
    result = parse(f'name = "Try"\n{watch}\n{rest}', facts)
    assert result.program is not None, result.mistakes
    return [warning.what for warning in result.warnings]


@pytest.mark.parametrize(
    ("watch", "said"),
    [
        (f'[watch]\n{ONE}\nover = "= rack/humidity + 5 %"', "it can never start"),
        (f'[watch]\n{ONE}\nunder = "= beam/humidity - 200 %"', "it can never start"),
        (f'[watch]\n{ONE}\nover = "= beam/humidity + 5 %"', ""),
        (
            f'[watch]\nentity = "{DOOR}"\nis = "open"\n[only]\n'
            'when = [ { entity = "mister/switch", is = "off" } ]',
            "its own action ends it",
        ),
        (
            f'[watch]\nentity = "{DOOR}"\nis = "open"\n[only]\n'
            'when = [ { entity = "loft/light", under = "50 lx" } ]',
            "can end itself by its own light",
        ),
        ('[watch]\nentity = "loft/light"\nunder = "50 lx"', "can end itself by its own light"),
        ('[watch]\nentity = "loft/light"\nover = "50 lx"', ""),
        (OVER, ""),
    ],
)
def test_a_warning_for_what_is_hardly_meant(watch: str, said: str) -> None:
    result = warned_of(watch)
    assert [said in one for one in result] == ([True] if said else [])
    if "mister/switch" in said or "own" in said:
        assert "mister/switch" in result[0]


def test_a_limit_that_an_action_moves_is_named() -> None:
    watch = '[watch]\nentity = "rack/humidity"\nover = "= lamp/level + 5 %"'
    (said,) = warned_of(watch, '\n[[starts]]\nset = "lamp/level"\nto = "40 %"\n')
    assert "lamp/level" in said
    assert "rack/humidity" in said


def test_the_end_of_a_range_names_both_limits() -> None:
    watched = House(program(f'[watch]\n{ONE}\nwithin = ["60 %", "70 %"]\n'))
    for minutes, value in ((0, 65), (1, 71)):
        watched.says(minutes, RACK, value)
    assert watched.edges[-1].text.startswith("71.0 %, no longer within 60 % to 70 %")
