"""Automations that watch the clock."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

import pytest

from hombi.core.automation import (
    Began,
    Phase,
    SwitchTo,
    parse,
)
from hombi.core.automation.account import account
from hombi.core.automation.moments import Moment
from hombi.core.automation.times import ClockTime
from tests.core.automation.world import (
    FACTS,
    NOON,
    STARTS,
    House,
    program,
)


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
    result = []
    for _ in range(32):
        assert house.due is not None
        result.append(house.due)
        house.at(house.due)
    # From midnight on: 12:05, 12:30 … 23:45, and from midnight again.
    assert result[:2] == [5, 30]
    assert result[27:31] == [680, 705, 720, 745]
    # The day on which the clocks go back has 25 hours.
    zone = ZoneInfo("Europe/Berlin")
    night = round(datetime(2026, 10, 25, 0, tzinfo=zone).timestamp() * 1000)
    at_three = Moment(ClockTime(180)).next_ms(night, zone)
    assert (at_three - night) / 3_600_000 == 4
    assert Moment(ClockTime(150)).next_ms(night, zone) < at_three
    spring = round(datetime(2026, 3, 29, 0, tzinfo=zone).timestamp() * 1000)
    assert Moment(ClockTime(150)).next_ms(spring, zone) - spring <= 3 * 3_600_000


@pytest.mark.parametrize(
    ("watch", "said"),
    [
        ('at = "25:00"', "is not a time of the day"),
        ('at = "soon"', "is not a time of the day"),
        ('every = "10 s"', "from 1 min to 24 h"),
        ('at = "12:00"\nevery = "1 h"', "has at and every"),
        ('every = "1 h"\nlasts = "2 h"', "over before it begins again"),
        ('at = "12:00"\nentity = "rack/humidity"', "'entity' means nothing here"),
    ],
)
def test_a_moment_that_cannot_be_is_named(watch: str, said: str) -> None:
    result = parse(f'name = "x"\n[watch]\n{watch}{STARTS}', FACTS)
    assert any(said in str(mistake) for mistake in result.mistakes), [
        str(mistake) for mistake in result.mistakes
    ]


@pytest.mark.parametrize(
    ("watch", "only", "said"),
    [
        ('at = "06:45"', 'days = ["mon", "fri"]', "27 Nov 06:45"),
        ('at = "13:00"', "", "13:00"),
        ('every = "1 min"', 'days = ["sun"]', "29 Nov 00:00"),
        ('every = "15 min"', 'between = "06:00-07:10"', "26 Nov 06:00"),
        ('at = "sunset"', 'dates = ["12-24..12-26"]', "24 Dec 15:54"),
        # Never at an hour that is allowed: then the next one without.
        ('at = "06:45"', 'between = "07:00-08:00"', "26 Nov 06:45"),
    ],
)
def test_the_account_names_the_next_time_that_is_allowed(watch: str, only: str, said: str) -> None:
    one = program(f"[watch]\n{watch}\n[only]\n{only}")
    line = account(one, {}, NOON, ZoneInfo("UTC")).lines[0]
    assert line.text.endswith(f"; the next time is {said}."), line
