"""Several watched together, what must be so beside, limits that follow other values."""

from __future__ import annotations

from hombi.core.automation import (
    Began,
    EdgeKind,
    Phase,
    State,
    SwitchTo,
    Taken,
    Tell,
)
from tests.core.automation.world import (
    BEAM,
    BOTH,
    DOOR,
    FOLLOWS,
    MIN,
    RACK,
    House,
    program,
)


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
    assert [edge.edge for edge in house.edges] == [EdgeKind.START]
    house.says(3, DOOR, 0)
    assert [edge.edge for edge in house.edges] == [EdgeKind.START, EdgeKind.END]
    two = House(program(f"[watch]\nat_least = 2\nof = [{parts}]"))
    assert "at least 2 of these" in two.program.sentence({})
    two.says(0, BEAM, 80)
    assert two.state.phase is Phase.IDLE, "one of them is so, and none is held"
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


def test_an_account_has_numbers_also_where_a_limit_is_not_known() -> None:
    house = House(program(FOLLOWS))
    house.says(0, RACK, 60)
    house.says(0, BEAM, 70)
    house.values.pop(RACK)
    house.step(1, Taken("it was removed"))
    assert [edge.limit for edge in house.edges] == [65.0, 0.0]
    both = f"""[watch]
any = [ {{ entity = "{BEAM}", over = "= {RACK} + 5 %" }}, {{ entity = "{DOOR}", is = "open" }} ]
"""
    several = House(program(both))
    several.says(0, RACK, 60)
    several.says(0, BEAM, 70)
    assert several.edges[0].text == "beam/humidity: 70.0 % over 65 %"
    assert several.edges[0].limit == 65.0
    several.step(1, Taken("it was removed"))
    assert all(edge.limit == edge.limit for edge in several.edges), "no number that is none"


def test_what_is_not_heard_any_more_keeps_it_on_but_starts_nothing() -> None:
    text = f"""[watch]
all = [
  {{ entity = "{RACK}", over = "70 %", lost = "stay" }},
  {{ entity = "{DOOR}", is = "open" }},
]"""
    house = House(program(text), rhythm_ms=10.0 * MIN)
    house.says(0, RACK, 80)
    house.at(11)
    house.says(12, DOOR, 1)
    assert house.state.phase is Phase.IDLE, "nobody knows the humidity"
    house.says(13, RACK, 80)
    assert house.state.phase is Phase.ON
    house.at(30)
    assert house.state.phase is Phase.ON, "its text says that it stays"
