"""The sun, dates and rules of the calendar in a text: known days, by hand."""

from __future__ import annotations

import time
from datetime import date, datetime
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from hypothesis import assume, given
from hypothesis import strategies as st

from hombi.core.automation import Began, SwitchTo, parse
from hombi.core.automation.moments import Moment
from hombi.core.automation.only import Only
from hombi.core.automation.rules import Rule, _after
from hombi.core.automation.times import ClockTime, SunTime, span_of
from hombi.core.house_facts import HouseFacts
from hombi.core.sun import Position, sun_ms
from tests.core.automation.world import FACTS, MIN, STARTS, House, program

LONDON, NORTH = Position(51.5, -0.1), Position(69.6, 18.9)
ZONE, NORWAY = ZoneInfo("Europe/London"), ZoneInfo("Europe/Oslo")


def at(text: str, zone: ZoneInfo = ZONE) -> int:
    return round(datetime.fromisoformat(text).replace(tzinfo=zone).timestamp() * 1000)


@pytest.mark.parametrize(
    ("what", "day", "expected"),
    [
        # As almanacs have them for London.
        ("sunrise", "2026-06-21", "04:43"),
        ("sunset", "2026-06-21", "21:21"),
        ("sunrise", "2026-12-21", "08:04"),
        ("sunset", "2026-12-21", "15:53"),
        ("dawn", "2026-12-21", "07:23"),
        ("dusk", "2026-12-21", "16:34"),
    ],
)
def test_the_sun_is_where_almanacs_have_it(what: str, day: str, expected: str) -> None:
    result = sun_ms(what, date.fromisoformat(day), LONDON, ZONE)
    assert result is not None
    assert abs(result - at(f"{day} {expected}")) <= 2 * MIN


def test_beyond_the_polar_circle_there_are_days_without() -> None:
    assert sun_ms("sunset", date(2026, 6, 21), NORTH, NORWAY) is None
    moment = Moment(SunTime("sunset", 0, NORTH))
    result = moment.next_ms(at("2026-06-21 12:00", NORWAY), NORWAY)
    assert datetime.fromtimestamp(result / 1000, NORWAY).strftime("%d %b") in (
        "25 Jul",
        "26 Jul",
        "27 Jul",
    )
    only = Only((SunTime("sunset", 0, NORTH), ClockTime(6 * 60)))
    assert not only.allows(at("2026-06-21 23:30", NORWAY), NORWAY)


def test_a_moment_of_the_sun_starts_it() -> None:
    house = House(program('[watch]\nat = "sunset - 20 min"\nlasts = "3 h"'))
    assert house.program.sentence({}).startswith("At 20 min before sunset, for 3 h: ")
    house.step(0, Began())
    # 25 November in London: the sun sets at 15:58.
    assert house.due is not None
    assert abs(house.due - 218) < 2
    assert house.at(house.due) == (SwitchTo("mister/switch", 1.0),)
    assert house.edges[0].text.endswith(", 20 min before sunset")


SUNSET, SUNRISE = SunTime("sunset", 0, LONDON), SunTime("sunrise", 0, LONDON)


@pytest.mark.parametrize(
    ("begins", "ends", "day", "expected"),
    [
        (SUNSET, ClockTime(23 * 60 + 30), "2026-06-21", ("2026-06-21 21:21", "2026-06-21 23:30")),
        (SUNSET, ClockTime(20 * 60), "2026-06-21", None),  # it is light until later
        (SUNSET, ClockTime(20 * 60), "2026-12-21", ("2026-12-21 15:53", "2026-12-21 20:00")),
        (SUNSET, SUNRISE, "2026-12-21", ("2026-12-21 15:53", "2026-12-22 08:04")),
        (SUNRISE, SUNSET, "2026-12-21", ("2026-12-21 08:04", "2026-12-21 15:53")),
        (ClockTime(6 * 60), SUNRISE, "2026-06-21", None),  # it is light by then
        (ClockTime(6 * 60), SUNRISE, "2026-12-21", ("2026-12-21 06:00", "2026-12-21 08:04")),
        (SUNSET, ClockTime(60), "2026-06-21", ("2026-06-21 21:21", "2026-06-22 01:00")),
    ],
)
def test_a_span_with_the_sun_in_it(
    begins: ClockTime | SunTime,
    ends: ClockTime | SunTime,
    day: str,
    expected: tuple[str, str] | None,
) -> None:
    result = span_of(date.fromisoformat(day), begins, ends, ZONE)
    if expected is None:
        assert result is None
    else:
        assert result is not None
        assert all(abs(a - at(b)) <= 2 * MIN for a, b in zip(result, expected, strict=True))


@given(
    st.sampled_from([(SUNSET, ClockTime(1410)), (SUNSET, SUNRISE), (ClockTime(360), SUNRISE)]),
    st.sampled_from(["", "days", "dates"]),
    st.datetimes(datetime(2026, 1, 1), datetime(2027, 12, 31)),
)
def test_what_is_allowed_and_what_is_planned_agree(
    between: tuple[SunTime | ClockTime, SunTime | ClockTime], also: str, when: datetime
) -> None:
    rest = {"days": 'days = ["sat", "mon"]', "dates": 'dates = ["12-24..01-06", "06-21"]'}
    text = '[watch]\nentity = "rack/humidity"\nover = "70 %"\n[only]\n' + rest.get(also, "")
    only = program(text).only
    only = Only(between, only.days, only.dates)
    now = round(when.timestamp() * 1000)
    change = only.next_change_ms(now, ZONE)
    assert change is not None
    assert change > now
    for part in range(1, 20):
        between_ms = now + (change - now) * part // 20
        assert only.allows(between_ms, ZONE) == only.allows(now, ZONE)


def test_dates_are_days_of_every_year_or_of_one() -> None:
    dates = '["12-24..01-06", "02-29", "2027-03-01..2027-03-03"]'
    text = f'[watch]\nevery = "1 h"\n[only]\ndates = {dates}'
    only = program(text).only
    allowed = {
        "2026-12-23 23:59": False, "2026-12-24 00:00": True, "2027-01-06 23:59": True,
        "2027-01-07 00:00": False, "2028-02-29 12:00": True, "2027-02-28 12:00": False,
        "2027-03-02 12:00": True, "2028-03-02 12:00": False,
    }  # fmt: skip
    assert {one: only.allows(at(one), ZONE) for one in allowed} == allowed
    sentence = program(text).sentence({})
    assert "only from 24 Dec to 6 Jan and on 29 Feb and from 1 Mar 2027 to 3 Mar 2027" in sentence


@pytest.mark.parametrize(
    ("rule", "first", "after", "expected"),
    [
        ("FREQ=MONTHLY;BYDAY=1SU;BYHOUR=9", None, "2026-11-27 12:00", "2026-12-06 09:00"),
        ("freq=weekly;byday=tu,fr;byhour=7", None, "2026-11-27 07:00", "2026-12-01 07:00"),
        ("FREQ=WEEKLY;INTERVAL=2;BYDAY=TU;BYHOUR=7", "2026-12-01", "2026-12-01 07:00",
         "2026-12-15 07:00"),
        # What a rule leaves out is as on the day from which it counts, a Tuesday.
        ("FREQ=WEEKLY;BYHOUR=7", "2026-12-01", "2029-06-06 12:00", "2029-06-12 07:00"),
        ("FREQ=MONTHLY;BYHOUR=7", "2024-01-31", "2027-02-01 12:00", "2027-03-31 07:00"),
        ("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29;BYHOUR=12", None, "2026-11-27 12:00",
         "2028-02-29 12:00"),
        # The clocks go forward over 01:30 on 28 March 2027.
        ("FREQ=DAILY;BYHOUR=1;BYMINUTE=30", None, "2027-03-27 12:00", "2027-03-28 02:00"),
        # And back over it on 25 October 2026: it comes once, the first time.
        ("FREQ=DAILY;BYHOUR=1;BYMINUTE=30", None, "2026-10-25 01:30", "2026-10-26 01:30"),
    ],
)  # fmt: skip
def test_rules_of_the_calendar(rule: str, first: str | None, after: str, expected: str) -> None:
    begins = {} if first is None else {"first": date.fromisoformat(first)}
    assert Rule(rule, **begins).next_ms(at(after), ZONE) == at(expected)


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ('at = "sunst"', "did you mean sunset?"),
        ('at = "sunset - 9 h"', "more than 6 h away"),
        ('at = "sunset - soon"', "'soon'"),
        ('at = "25:00"', "not a time of the day"),
        ('rule = "FREQ=HOURLY"', "no FREQ of days"),
        ('rule = "FREQ=DAILY;COUNT=3"', "'COUNT' is not part"),
        ('rule = "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"', "never comes"),
        ('rule = "FREQ=DAILY;BYHOUR=99"', "cannot be understood"),
        ('rule = "FREQ=DAILY;UNTIL=20270101T000000Z"', "'UNTIL' is not part"),
        # These would keep the library busy for ever, or for seconds.
        ('rule = "FREQ=DAILY;INTERVAL=0"', "INTERVAL is from 1 to 3660"),
        ('rule = "FREQ=DAILY;INTERVAL=x"', "INTERVAL is from 1 to 3660"),
        ('rule = "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30"', "never comes"),
        ('rule = "FREQ=DAILY;INTERVAL=7;BYDAY=TU"', "never comes"),
        ('rule = "FREQ=MONTHLY;BYDAY=6SU"', "never comes"),
        ('rule = "FREQ=DAILY"\nfrom = "2100-01-01"', "is not a day"),
        ('rule = "FREQ=DAILY;BYHOUR=1,2,3,4,5;BYMINUTE=0,10,20,30,40"', "24 times"),
        ('rule = "FREQ=DAILY"\nfrom = "2026-13-01"', "is not a day"),
        ('at = "06:00"\nrule = "FREQ=DAILY"', "keep one of them"),
        ('every = "1 h"\n[only]\nbetween = ["sunset"]', "not from when and to when"),
        ('every = "1 h"\n[only]\ndates = ["02-30"]', "neither a day"),
        ('every = "1 h"\n[only]\ndates = ["2027-01-02..2027-01-01"]', "in their order"),
        ('every = "1 h"\n[only]\ndates = [3]', "neither a day"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_at_once(text: str, what: str) -> None:
    begin = time.monotonic()
    result = parse(f'name = "Try"\n[watch]\n{text}\n{STARTS}', FACTS)
    assert result.program is None
    assert any(what in str(mistake) for mistake in result.mistakes), [
        str(mistake) for mistake in result.mistakes
    ]
    assert time.monotonic() - begin < 0.5, "no rule keeps the hub from its work"


def test_without_a_place_there_is_no_sun() -> None:
    facts = HouseFacts(FACTS.entities, FACTS.people)
    result = parse(f'name = "Try"\n[watch]\nat = "sunset"\n{STARTS}', facts)
    assert "does not know where the house is" in str(result.mistakes[0])
    assert "house.latitude" in str(result.mistakes[0])


def test_hours_that_passed_while_nobody_looked_end_it_at_once() -> None:
    """After a restart, one that is on is not left on until tomorrow."""
    text = '[watch]\nentity = "door/contact"\nis = "open"\n[only]\nbetween = "11:00-12:30"'
    house = House(program(text))
    house.says(0, "door/contact", 1)
    assert house.due == 30
    house.now_ms += 50 * MIN
    assert house.due == 50
    house.at(50)
    assert [edge.edge.value for edge in house.edges] == ["start", "end"]


def test_hours_end_it_also_while_its_limit_is_not_known() -> None:
    text = '[watch]\nentity = "beam/humidity"\nover = "= rack/humidity"\n'
    text += '[only]\nbetween = "11:00-12:30"'
    house = House(program(text))
    house.says(0, "rack/humidity", 50)
    house.says(1, "beam/humidity", 60)
    del house.values["rack/humidity"]
    house.at(30)
    assert [edge.edge.value for edge in house.edges] == ["start", "end"]
    assert house.edges[1].text == "its hours were over, after 29 min"


RULES = st.builds(
    "".join,
    st.tuples(
        st.sampled_from(["FREQ=DAILY", "FREQ=WEEKLY", "FREQ=MONTHLY", "FREQ=YEARLY"]),
        st.sampled_from(["", ";INTERVAL=2", ";INTERVAL=3;WKST=SU", ";INTERVAL=10"]),
        st.sampled_from(["", ";BYDAY=MO,FR", ";BYMONTHDAY=29,-1", ";BYDAY=TU;BYSETPOS=-1"]),
        st.sampled_from(["", ";BYMONTH=2,7", ";BYMONTH=10"]),
        st.sampled_from([";BYHOUR=9", ";BYHOUR=0,23;BYMINUTE=15"]),
    ),
)


@given(
    RULES,
    st.dates(date(2000, 1, 1), date(2030, 12, 31)),
    st.datetimes(datetime(2026, 1, 1), datetime(2045, 1, 1)),
)
def test_a_rule_comes_when_the_library_says_in_its_own_year(
    rule: str, first: date, wall: datetime
) -> None:
    known = rrulestr(rule, dtstart=datetime.combine(first, datetime.min.time()))
    wanted = next(known.replace(until=datetime(2060, 1, 1)).xafter(wall, count=1), None)
    assume(wanted is not None)
    assert _after(Rule(rule, first), wall) == wanted
