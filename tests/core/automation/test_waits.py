"""Waits, ways back, reminders, rests, and who sees to them."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import msgspec

from hombi.core.automation import (
    Acknowledged,
    Began,
    Course,
    EdgeKind,
    Phase,
    Seen,
    State,
    SwitchOver,
    SwitchTo,
    Taken,
    Tell,
)
from hombi.core.automation.account import Beside, account
from hombi.core.kinds import KINDS
from hombi.core.series import Reading
from tests.core.automation.world import (
    DOOR,
    MIN,
    NOON,
    RACK,
    WAITS,
    House,
    program,
)


def test_it_rests_between_two_starts() -> None:
    house = House(program(f'pause = "1 h"\n[watch]\nentity = "{RACK}"\nover = "70 %"'))
    house.says(0, RACK, 80)
    house.says(5, RACK, 60)
    house.says(6, RACK, 80)
    assert (house.state.phase, house.due) == (Phase.WAITING, 60)
    house.at(60)
    assert [edge.edge for edge in house.edges] == [EdgeKind.START, EdgeKind.END, EdgeKind.START]


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


def test_what_is_switched_over_goes_back_to_what_it_was() -> None:
    over = '[[starts]]\nswitch = "mister/switch"\nto = " Other"\nfor = "5 min"\n'
    house = House(program(f'[watch]\nentity = "{DOOR}"\nis = "open"', over))
    assert "mister/switch to its other state for 5 min" in house.program.sentence({})
    house.values["mister/switch"] = 1.0
    assert house.says(0, DOOR, 1) == (SwitchOver("mister/switch"),)
    house.values["mister/switch"] = 0.0
    assert house.at(5) == (SwitchTo("mister/switch", 1.0),)
    # Nobody knows what it was: there is nothing to go back to.
    unknown = House(house.program)
    assert unknown.says(0, DOOR, 1) == (SwitchOver("mister/switch"),)
    assert unknown.due is None


def test_what_is_set_slowly_says_so() -> None:
    slow = '[[starts]]\nset = "lamp/level"\nto = "40 %"\ntaking = "15 min"\nfor = "1 h"\n'
    house = House(program(f'[watch]\nentity = "{DOOR}"\nis = "open"', slow))
    assert "lamp/level to 40 % over 15 min for 1 h" in house.program.sentence({})
    house.values["lamp/level"] = 5.0
    (effect,) = house.says(0, DOOR, 1)
    assert effect == SwitchTo("lamp/level", 40.0, "40 %", 900_000)
    assert effect.spoken(str) == "lamp/level 40 % over 15 min"
    assert house.at(60) == (SwitchTo("lamp/level", 5.0),), "the way back is at once"


def test_reminders_while_it_lasts() -> None:
    text = f"""[watch]
entity = "{DOOR}"
is = "open"
[[remind]]
every = "15 min"
at_most = 2
notify = "everyone"
title = "Still open: {{for}}"
text = "since {{since}}"
"""
    house = House(program(text))
    assert "Every 15 min while it lasts, 2 times at most" in house.program.sentence({})
    house.says(0, DOOR, 1)
    assert house.due == 15
    assert house.at(15) == (Tell("everyone", "Still open: 15 min", "since 12:00"),)
    assert house.at(16) == ()
    assert house.at(31) == (Tell("everyone", "Still open: 31 min", "since 12:00"),)
    assert house.due is None
    house.says(40, DOOR, 0)
    house.says(41, DOOR, 1)
    assert house.due == 56, "the next one counts anew"
    seen = House(house.program, state=house.state, now_ms=house.now_ms)
    seen.values[DOOR] = 1
    assert seen.step(50, Acknowledged()) == ()
    assert (seen.due, seen.at(120)) == (None, ()), "somebody sees to it"
    seen.says(130, DOOR, 0)
    seen.says(131, DOOR, 1)
    assert seen.due == 146, "and the next time it reminds again"
    assert house.at(120) == (Tell("everyone", "Still open: 1 h 19 min", "since 12:41"),), (
        "once for all missed"
    )


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


ENDS = f"""[watch]
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


def test_who_is_taken_away_while_its_end_waits_does_the_rest_at_once() -> None:
    for last, wanted in (
        (lambda house: None, (SwitchTo("mister/switch", 0.0),)),  # on: the whole of its end
        (lambda house: house.says(1, DOOR, 0), (SwitchTo("mister/switch", 0.0),)),  # what is left
        (lambda house: (house.says(1, DOOR, 0), house.at(7)), ()),  # all of it was done
    ):
        house = House(program(ENDS, ""))
        house.says(0, DOOR, 1)
        last(house)
        assert house.step(8, Taken("it was removed")) == wanted
        silent = House(program(ENDS, ""))
        silent.says(0, DOOR, 1)
        assert silent.step(8, Taken("it was removed", silently=True)) == ()


def test_a_start_while_its_actions_still_wait_begins_them_anew() -> None:
    text = '[watch]\nevery = "5 min"\n[[starts]]\nwait = "12 min"\n'
    text += '[[starts]]\nnotify = "ada"\ntitle = "x"\n'
    house = House(program(text, ""))
    house.step(0, Began())
    for minute in (5, 10, 15, 20):
        assert house.at(minute) == ()
        assert len(house.state.waits) == 1


def test_the_account_says_what_is_still_to_come() -> None:
    text = f"""[watch]
entity = "{DOOR}"
is = "open"
[[remind]]
every = "15 min"
at_most = 2
notify = "everyone"
title = "Still open"
"""
    starts = """[[starts]]
switch = "mister/switch"
to = "on"
for = "5 min"
[[starts]]
wait = "10 min"
[[starts]]
notify = "ada"
title = "Ten minutes"
[[starts]]
switch = "mister/switch"
to = "off"
[[starts]]
wait_until = { entity = "rack/humidity", over = "70 %" }
at_most = "1 h"
otherwise = "stop"
[[starts]]
branch = [{ notify = "ada", title = "Damp" }]
"""
    house = House(program(text, starts))

    def coming(minutes: float) -> list[str]:
        at = NOON + round(minutes * MIN)
        opened = [Reading(NOON, 0, 1.0, 1.0)]
        courses = {
            DOOR: Course("Door", "", KINDS["contact"], opened),
            RACK: Course("Rack", "", KINDS["humidity"], []),
        }
        beside = Beside(NOON, house.state, {"mister/switch": "Cellar mister"})
        one = account(house.program, courses, at, ZoneInfo("UTC"), beside)
        at_end = [line.text for line in one.lines].index("It ends when the value is not open.")
        return [line.text for line in one.lines][at_end + 1 :]

    house.says(0, DOOR, 1)
    assert coming(1) == [
        "At 12:05 Cellar mister goes back to what it was.",
        "At 12:10 it goes on: tell ada “Ten minutes”; Cellar mister off.",
        "At 12:15 it reminds: tell everyone “Still open”.",
    ]
    house.at(5)
    house.at(10)
    assert coming(11) == [
        "It goes on once Rack is over 70 %, until 13:10 at most: tell ada “Damp”.",
        "At 12:15 it reminds: tell everyone “Still open”.",
    ]
    house.at(15)
    assert coming(16)[-1] == "At 12:30 it reminds: tell everyone “Still open”."
    house.step(17, Acknowledged())
    assert coming(17) == [
        "It goes on once Rack is over 70 %, until 13:10 at most: tell ada “Damp”."
    ]
    house.says(18, RACK, 75)
    house.step(18, Seen(75, entity=RACK))
    assert coming(19) == []
