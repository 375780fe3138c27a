"""Branches, waits for something, starts that come while actions wait, and duty."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import pytest

from hombi.core.automation import (
    EdgeKind,
    OnDuty,
    Phase,
    SwitchTo,
    Taken,
    Tell,
    Wait,
    Waiting,
    parse,
    read_sequence,
)
from hombi.core.automation.actions import WaitUntil
from hombi.core.automation.state import GoesBack
from hombi.core.house_facts import HouseFacts
from hombi.hub.automations.runner import state_of
from tests.core.automation.world import DOOR, FACTS, MIN, NOON, RACK, WAITS, House, program

WATCH = f'[watch]\nentity = "{DOOR}"\nis = "open"\n'
TELL = '[[starts]]\nnotify = "ada"\ntitle = "{name}"\n'
MISTER, LAMP = "mister/switch", "lamp/level"
TOLD = (Tell("ada", "Try", ""),)


@pytest.mark.parametrize(("otherwise", "late"), [("", TOLD), ("go on", TOLD), ("stop", ())])
def test_waits_until_something_is_so(otherwise: str, late: tuple[Tell, ...]) -> None:
    rest = f'otherwise = "{otherwise}"\n' if otherwise else ""
    until = f'[[starts]]\nwait_until = {{ entity = "{RACK}", under = "60 %" }}\n'
    text = f'{WATCH}{until}at_most = "1 h"\n{rest}{TELL}'
    house = House(program(text, ""))
    house.says(0, RACK, 70)
    assert house.says(1, DOOR, 1) == ()
    assert house.due == 61
    assert house.says(2, RACK, 65) == ()
    assert house.says(3, RACK, 59) == TOLD
    assert house.due is None
    # It is so already: nothing is waited for.
    house.says(4, DOOR, 0)
    assert house.says(5, DOOR, 1) == TOLD
    # It is never so.
    house.says(6, DOOR, 0)
    house.says(7, RACK, 70)
    house.says(8, DOOR, 1)
    assert house.at(68) == late
    assert (house.state.waits, house.says(69, RACK, 50)) == ((), ())


@pytest.mark.parametrize(
    ("action", "entity", "other", "done", "effect"),
    [
        ('switch = "mister/switch"\nto = "on"', MISTER, 0, 1, SwitchTo(MISTER, 1.0)),
        ('set = "lamp/level"\nto = "40 %"', LAMP, 10, 39.9, SwitchTo(LAMP, 40.0, "40 %")),
    ],
)
@pytest.mark.parametrize(("otherwise", "late"), [("", ()), ("go on", TOLD), ("stop", ())])
def test_what_follows_waits_until_it_is_confirmed(
    action: str, entity: str, other: float, done: float, effect: SwitchTo,
    otherwise: str, late: tuple[Tell, ...],
) -> None:  # fmt: skip
    rest = f'otherwise = "{otherwise}"\n' if otherwise else ""
    text = f'{WATCH}[[starts]]\n{action}\nconfirmed = "30 min"\n{rest}{TELL}'
    result = program(text, "")
    house = House(result)
    house.says(0, entity, other)
    assert house.says(1, DOOR, 1) == (effect,)
    assert house.says(2, entity, other) == ()
    assert house.says(3, entity, done) == TOLD
    assert house.due is None
    house.says(4, DOOR, 0)
    house.says(5, entity, other)
    assert house.says(6, DOOR, 1) == (effect,)
    assert house.at(36) == late
    assert house.says(37, entity, done) == ()
    # Over a past, nobody was asked: it counts as done.
    house = House(result, obeyed=True)
    assert house.says(1, DOOR, 1) == (effect, *TOLD)
    said = result.sentence({})
    assert ("go on once it is confirmed, or after" if late else "stop unless it is") in said


BRANCH = f"""{WATCH}[[starts]]
branch = [
  {{ when = {{ entity = "{RACK}", over = "80 %" }}, switch = "mister/switch", to = "off" }},
  {{ when = {{ entity = "{RACK}", over = "60 %" }}, wait = "5 min" }},
  {{ switch = "mister/switch", to = "on" }},
]
{TELL}"""


def test_the_first_branch_that_is_so_is_gone() -> None:
    for value, at_once, later in (
        (90, (SwitchTo("mister/switch", 0.0), *TOLD), ()),
        (70, (), TOLD),
        (50, (SwitchTo("mister/switch", 1.0), *TOLD), ()),
    ):
        house = House(program(BRANCH, ""))
        house.says(0, RACK, value)
        assert house.says(1, DOOR, 1) == at_once, value
        assert house.at(6) == later
    said = house.program.sentence({})
    assert f"if {RACK} is over 80 %, mister/switch off, else if" in said
    assert RACK in house.program.entities, "its reading must be known"


def test_a_branch_that_nobody_is_right_for_does_nothing() -> None:
    text = f'{WATCH}[[starts]]\nbranch = [ {{ when = {{ entity = "{RACK}", over = "80 %" }}, '
    house = House(program(text + 'switch = "mister/switch", to = "on" } ]\n' + TELL, ""))
    assert house.says(1, DOOR, 1) == TOLD, "the value is not known"


@pytest.mark.parametrize(
    ("again", "told_at"), [("", [12]), ("afresh", [12]), ("skip", [10]), ("after", [10, 20])]
)
def test_a_start_while_the_actions_of_the_one_before_wait(again: str, told_at: list[int]) -> None:
    """It starts at 0 and at 2 minutes, and each run takes ten."""
    head = f'again = "{again}"\n' if again else ""
    rule = '[watch]\nevery = "2 min"\n[only]\nbetween = "12:00-12:03"\n'
    text = f'{head}{rule}[[starts]]\nwait = "10 min"\n{TELL}'
    house = House(program(text, ""))
    halves = [half / 2 for half in range(-1, 80)]
    assert [minute for minute in halves if house.at(minute)] == told_at


def test_what_is_queued_is_not_due_before_what_is_under_way_is_done() -> None:
    """Else the hub would look for it without a pause."""
    head = 'again = "after"\n[watch]\nevery = "2 min"\n[only]\nbetween = "12:00-12:03"\n'
    waits = '[[starts]]\nwait = "10 min"\n' * 2
    house = House(program(f"{head}{waits}{TELL}", ""))
    told, minute = [], -0.5
    for _ in range(40):
        if house.at(minute):
            told.append(minute)
        assert house.due is None or house.due > minute, "it is never due in the past"
        minute = house.due if house.due is not None and house.due < 100 else 100
    assert told == [20, 40]


def test_waits_survive_while_it_is_taken_off_duty() -> None:
    text = f'{WATCH}{TELL}[[ends]]\nwait_until = {{ entity = "{RACK}", under = "60 %" }}\n'
    text += '[[ends]]\nswitch = "mister/switch"\nto = "off"\n'
    house = House(program(text, ""))
    house.says(0, RACK, 70)
    house.says(1, DOOR, 1)
    assert house.says(2, DOOR, 0) == ()
    assert house.step(3, Taken("it was removed")) == (SwitchTo("mister/switch", 0.0),)


def test_one_puts_another_on_duty_and_itself_off() -> None:
    text = (
        f'{WATCH}[[starts]]\nduty = "Try"\nto = "off"\n[[starts]]\nduty = "Fan by night"\nto = "on"'
    )
    assert House(program(text, "")).says(0, DOOR, 1) == (
        OnDuty("try", False),
        OnDuty("fan-by-night", True),
    )
    facts = type(FACTS)(FACTS.entities, FACTS.people, automations=frozenset({"fan-by-day"}))
    result = parse(f'name = "Try"\n{text}\n', facts)
    assert "did you mean fan-by-day?" in str(result.mistakes[0])
    assert len(result.mistakes) == 1, "it knows itself"


@pytest.mark.parametrize(
    ("action", "said"),
    [
        ("branch = []", "list of 1 to 20"),
        ('branch = [ { scene = "x" }, { wait = "1 min" } ]', "only the last option is without"),
        ('branch = [ { when = 3, wait = "1 min" } ]', "when is a table"),
        ('branch = [ { wait = "1 min" } ]\nto = "on"', "'to' means nothing here"),
        ('wait_until = "open"', "is a table in braces"),
        (f'wait_until = {{ entity = "{DOOR}", is = "open", held = "5 min" }}', "'held' means"),
        ('switch = "mister/switch"\nto = "on"\notherwise = "stop"', "is not confirmed"),
        ('switch = "mister/switch"\nto = "on"\nconfirmed = "soon"', "soon"),
        (f'wait_until = {{ entity = "{DOOR}", is = "open" }}\notherwise = "x"', "neither stop nor"),
        ('duty = "Try"', "to is missing"),
        ('together = [ { wait = "1 min" } ]', "list of 2 to 10"),
        ('together = [ { wait = "1 min" }, { wait = 3 } ]', "is a length of time"),
    ],
)
def test_what_cannot_be_is_named(action: str, said: str) -> None:
    result = parse(f'name = "Try"\n{WATCH}[[starts]]\n{action}\n', FACTS)
    assert any(said in str(mistake) for mistake in result.mistakes), [
        str(mistake) for mistake in result.mistakes
    ]


def test_again_is_one_of_three() -> None:
    result = parse(f'name = "Try"\nagain = "queue"\n{WATCH}{TELL}', FACTS)
    assert "'queue' is none of skip, afresh, after" in str(result.mistakes[0])
    assert House(program(f'again = "skip"\n{WATCH}{TELL}', "")).state.phase is Phase.IDLE


CLOSE_UP = """name = "Close up"
[takes]
lamp = "lamp/level"
to = "0 %"
[[steps]]
set = "{lamp}"
to = "{to}"
[[steps]]
wait = "5 min"
[[steps]]
notify = "ada"
title = "{name}: closed, {to}"
"""


def with_sequences(**texts: str) -> HouseFacts:
    named = {key.replace("_", "-"): text for key, text in texts.items()}
    return replace(FACTS, sequences=named)


def test_a_sequence_is_run_in_its_place_with_what_it_is_given() -> None:
    text = f'name = "Try"\n{WATCH}[[starts]]\nrun = "Close up"\nwith = {{ to = "40 %" }}\n{TELL}'
    result = parse(text, with_sequences(close_up=CLOSE_UP)).program
    assert result is not None
    assert "run “Close up”; tell ada" in result.sentence({})
    house = House(result)
    assert house.says(0, DOOR, 1) == (SwitchTo("lamp/level", 40.0, "40 %"),)
    assert house.at(5) == (Tell("ada", "Try: closed, 40 %", ""), *TOLD)
    branch = f'branch = [ {{ when = {{ entity = "{RACK}", over = "60 %" }}, run = "Close up" }} ]'
    result = parse(f'name = "Try"\n{WATCH}[[starts]]\n{branch}', with_sequences(close_up=CLOSE_UP))
    assert result.program is not None
    house = House(result.program)
    house.says(0, RACK, 70)
    assert house.says(1, DOOR, 1) == (SwitchTo("lamp/level", 0.0, "0 %"),)


@pytest.mark.parametrize(
    ("run", "sequences", "said"),
    [
        ('run = "Close up"', {}, "no sequence Close up"),
        ('run = "Clse up"', {"close_up": CLOSE_UP}, "did you mean close-up?"),
        ('run = "Close up"\nwith = { lmp = "x" }', {"close_up": CLOSE_UP}, "did you mean lamp?"),
        ('run = "Close up"\nwith = { lamp = 3 }', {"close_up": CLOSE_UP}, "table of texts"),
        ('run = "Close up"\nwith = { lamp = "x/y" }', {"close_up": CLOSE_UP}, "no entity x/y"),
        (
            'run = "A"',
            {"a": 'name = "A"\n[[steps]]\nrun = "B"', "b": 'name = "B"\n[[steps]]\nrun = "A"'},
            "a → b → a",
        ),
        (
            'run = "A"',
            {
                one: f'name = "{one}"\n' + f'[[steps]]\nrun = "{after}"\n' * 40
                for one, after in zip("abcd", "bcde", strict=True)
            }
            | {"e": 'name = "e"\n' + '[[steps]]\nwait = "1 s"\n' * 40},
            "more than 500 steps",
        ),
    ],
)
def test_a_sequence_that_cannot_be_run_is_named(
    run: str, sequences: dict[str, str], said: str
) -> None:
    result = parse(f'name = "Try"\n{WATCH}[[starts]]\n{run}\n', with_sequences(**sequences))
    assert any(said in str(mistake) for mistake in result.mistakes), [
        str(mistake) for mistake in result.mistakes
    ]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('name = "A"', "a sequence has steps"),
        ('name = "A"\nsteps = [ 3 ]', "a sequence has steps"),
        ('name = "A"\n[takes]\nvalue = "x"\n[[steps]]\nwait = "1 min"', "cannot be a name"),
        ('name = "A"\n[takes]\nx = 3\n[[steps]]\nwait = "1 min"', "must be a text"),
        ('name = "A"\n[[steps]]\nswitch = "{lamp}"\nto = "on"', "no entity {lamp}"),
        ('name = "A"\n[watch]\n[[steps]]\nwait = "1 min"', "'watch' means nothing here"),
        ("[[steps]]\nwait = 3", "wait is a length of time"),
    ],
)
def test_what_is_wrong_in_a_sequence_is_named(text: str, said: str) -> None:
    result, mistakes = read_sequence(text, FACTS)
    assert result is None
    assert any(said in str(mistake) for mistake in mistakes), [str(mistake) for mistake in mistakes]


LANES = f"""{WATCH}[[starts]]
together = [
  {{ run = "Slow" }},
  {{ run = "Quick" }},
  {{ switch = "mister/switch", to = "on" }},
]
{TELL}"""
SLOW = 'name = "Slow"\n[[steps]]\nwait = "10 min"\n[[steps]]\nset = "lamp/level"\nto = "20 %"\n'
QUICK = f"""name = "Quick"
[[steps]]
set = "lamp/level"
to = "80 %"
[[steps]]
wait_until = {{ entity = "{RACK}", under = "60 %" }}
at_most = "1 h"
[[steps]]
notify = "ada"
title = "dry"
"""


def lanes(ends: bool = False) -> House:
    text = LANES.replace("[[starts]]", "[[ends]]") if ends else LANES
    result = parse(f'name = "Try"\n{text}', with_sequences(slow=SLOW, quick=QUICK))
    assert result.program is not None, [str(mistake) for mistake in result.mistakes]
    return House(result.program)


@pytest.mark.parametrize("dry_at", [3, 20])
def test_what_is_done_side_by_side_meets_when_all_of_it_is_done(dry_at: int) -> None:
    house, done = lanes(), {}
    house.says(0, RACK, 70)
    done[1.0] = house.says(1, DOOR, 1)
    for minute in range(2, 30):
        result = house.says(minute, RACK, 50) if minute == dry_at else house.at(minute)
        if result:
            done[float(minute)] = result
    set_80, set_20 = SwitchTo("lamp/level", 80.0, "80 %"), SwitchTo("lamp/level", 20.0, "20 %")
    dry = Tell("ada", "dry", "")
    if dry_at == 3:
        after = {3.0: (dry,), 11.0: (set_20, *TOLD)}
    else:
        after = {11.0: (set_20,), 20.0: (dry, *TOLD)}
    assert done == {1.0: (set_80, SwitchTo("mister/switch", 1.0)), **after}
    assert house.state.waits == ()


def test_what_waits_side_by_side_is_done_once_when_nobody_goes_on_with_it() -> None:
    house = lanes(ends=True)
    house.says(0, RACK, 70)
    house.says(1, DOOR, 1)
    house.says(2, DOOR, 0)
    assert len(house.state.waits) == 2
    assert house.step(3, Taken("it was removed")) == (
        SwitchTo("lamp/level", 20.0, "20 %"),
        Tell("ada", "dry", ""),
        *TOLD,
    )


def test_what_waits_is_kept_by_a_key_that_another_layout_has_too() -> None:
    rest = """
[[starts]]
branch = [
  { when = { entity = "door/contact", is = "open" }, switch = "mister/switch", to = "off" },
  { wait = "10 min" },
]
[[starts]]
together = [ { wait = "20 min" }, { notify = "ada", title = "Both" } ]
[[starts]]
switch = "mister/switch"
to = "on"
confirmed = "30 s"
"""
    steps = program(WATCH, rest).flows[EdgeKind.START]
    waits = {
        steps.key(place) for place, step in enumerate(steps) if isinstance(step, (Wait, WaitUntil))
    }
    assert waits == {"0.branch.1", "1.together.0", "2.confirmed"}
    for place, step in enumerate(steps):
        if isinstance(step, Wait):
            assert steps.place(steps.key(place), until=False) == place + 1
        if isinstance(step, WaitUntil):
            assert steps.place(steps.key(place), until=True) == place
    assert steps.place("7.branch.3", until=True) == len(steps), "a step that is gone is over"


def test_a_state_as_0_3_kept_it_goes_on() -> None:
    """It waits behind the second step, and for a door; and a lamp goes back."""
    stored = {
        "phase": "on",
        "since_ms": NOON,
        "waits": [
            {"due_ms": NOON + MIN, "edge": "start", "place": 2, "fields": {"name": "x"}},
            {"due_ms": NOON + MIN, "edge": "start", "place": 0, "fields": {}},
            {"due_ms": NOON + MIN, "edge": "end", "place": 0, "fields": {}, "until": True},
            {"due_ms": NOON + MIN, "edge": "", "place": 0, "entity": "lamp/level", "to": 4.0},
        ],
    }
    state = state_of(stored)
    assert state.phase is Phase.ON
    behind, queued, until, back = state.waits
    assert back == GoesBack(NOON + MIN, "lamp/level", 4.0)
    assert isinstance(behind, Waiting)
    assert isinstance(queued, Waiting)
    assert isinstance(until, Waiting)
    steps = program(WAITS, "").flows[EdgeKind.START]
    assert [steps.place(one.at, until=one.until) for one in (behind, queued, until)] == [2, 0, 0]
    assert (queued.at, until.until) == ("", True)
    assert state_of(msgspec.to_builtins(state)) == state
