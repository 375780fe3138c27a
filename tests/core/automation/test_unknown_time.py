"""While nobody knows what time it is, nothing begins or ends by it."""

from __future__ import annotations

from hombi.core.automation import Began, Phase, Taken
from tests.core.automation.world import RACK, House, program

HOURS = f"""[watch]
entity = "{RACK}"
under = "82 %"
until = "86 %"
[only]
between = "06:00-22:00"
"""
ENDS = '\n[[ends]]\nswitch = "mister/switch"\nto = "off"\n'


def test_an_automation_with_hours_waits_and_starts_once_the_time_is_known() -> None:
    house = House(program(HOURS), time_known=False)
    house.says(0, RACK, 80)
    assert (house.state.phase, house.edges) == (Phase.WAITING, [])
    house.time_known = True
    house.at(1)
    assert house.state.phase is Phase.ON


def test_what_is_on_ends_by_what_it_sees_and_not_by_its_hours() -> None:
    house = House(program(HOURS))
    house.says(0, RACK, 80)
    house.time_known = False
    house.at(14 * 60)
    assert house.state.phase is Phase.ON, "whether its hours are over is not known"
    house.says(14 * 60 + 1, RACK, 87)
    assert house.state.phase is Phase.IDLE


def test_one_that_is_taken_off_duty_ends_as_its_text_says() -> None:
    house = House(program(HOURS, ENDS))
    house.says(0, RACK, 80)
    house.time_known = False
    assert house.step(1, Taken("it was taken off duty")) != ()
    assert house.state.phase is Phase.IDLE


def test_no_moment_comes() -> None:
    house = House(program('[watch]\nat = "12:30"\n'), time_known=False)
    house.step(0, Began())
    house.at(30)
    house.at(60)
    assert house.edges == []


def test_what_goes_by_no_hours_does_not_care() -> None:
    house = House(program(HOURS.partition("[only]")[0]), time_known=False)
    house.says(0, RACK, 80)
    assert house.state.phase is Phase.ON
