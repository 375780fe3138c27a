"""What happens and does not last: a press starts an automation each time."""

from __future__ import annotations

from dataclasses import replace
from zoneinfo import ZoneInfo

import pytest

from hombi.core.automation import Began, Passed, Phase, Seen, SwitchTo, Threshold, parse, write
from hombi.core.automation.account import account
from hombi.core.automation.replay import Course, replay
from hombi.core.house_facts import EntityFacts
from hombi.core.kinds import KINDS
from hombi.core.quality import Quality
from hombi.core.series import Reading
from tests.core.automation.world import FACTS, MIN, NOON, STARTS, House

PRESS = KINDS["press"].with_words(("pressed", "double", "held"))
PRESSED, DOUBLE, HELD = 0.0, 1.0, 2.0
BUTTON, DIAL, MODE = "dial/button", "dial/dial", "stove/mode"
MODES = KINDS["choice"].with_words(("off", "Heat", "auto"))
HERE = replace(
    FACTS,
    entities={
        **FACTS.entities,
        BUTTON: EntityFacts(PRESS, False),
        "bell/ring": EntityFacts(KINDS["ring"], False),
        DIAL: EntityFacts(KINDS["turn"], False),
        MODE: EntityFacts(MODES, True),
    },
)
DOUBLES = f'[watch]\nentity = "{BUTTON}"\nis = "double"\n'
ON = (SwitchTo("mister/switch", 1.0),)


def house(watch: str, rest: str = STARTS) -> House:
    result = parse(f'name = "Try"\n{watch}\n{rest}', HERE)
    assert result.program is not None, [str(mistake) for mistake in result.mistakes]
    return House(result.program)


def test_each_press_starts_it_and_nothing_of_before_does() -> None:
    there = house(DOUBLES)
    assert there.program.sentence({}).startswith("When dial/button sends double: ")
    there.values[BUTTON] = DOUBLE
    assert there.step(0, Began()) == (), "what happened before it was looked at is over"
    done = [
        there.says(0.1, BUTTON, PRESSED),
        there.says(0.2, BUTTON, DOUBLE),
        there.says(0.3, BUTTON, DOUBLE),
        there.step(0.4, Passed()),
    ]
    assert done == [(), ON, ON, ()]
    assert [edge.text for edge in there.edges] == ["it sent double", "it sent double"]
    assert (there.state.phase, there.due) == (Phase.IDLE, None)
    bad = there.step(0.5, Seen(DOUBLE, Quality.OUT_OF_RANGE, entity=BUTTON))
    assert bad == ()


def test_one_that_lasts_ends_and_goes_on_with_each_press() -> None:
    there = house(DOUBLES + 'lasts = "5 min"\n', STARTS + STARTS.replace("starts", "ends"))
    assert "sends double, for 5 min" in there.program.sentence({})
    there.says(0, BUTTON, DOUBLE)
    assert (there.state.phase, there.due) == (Phase.ON, 5)
    there.says(3, BUTTON, DOUBLE)
    assert there.due == 8
    there.says(4, BUTTON, PRESSED)
    assert there.due == 8
    there.at(8)
    assert there.state.phase is Phase.IDLE
    assert [edge.edge.value for edge in there.edges] == ["start", "start", "end"]
    assert there.edges[-1].text == "after 5 min"


def test_so_many_within_a_time() -> None:
    there = house('[watch]\nentity = "bell/ring"\nis = "rung"\ntimes = "3 in 10 s"\n')
    assert "sends rung 3 times within 10 s" in there.program.sentence({})
    at_s = [0, 6, 12, 14, 15, 16, 17]
    started = [bool(there.says(s / 60, "bell/ring", 0.0)) for s in at_s]
    # 6, 12 and 14 s; then they are counted anew.
    assert started == [False, False, False, True, False, False, True]
    assert there.edges[0].text == "it sent rung, 3 times"


def test_only_while_it_may_and_not_later() -> None:
    there = house(DOUBLES + f'[only]\nwhen = [{{ entity = "{MODE}", is = "heat" }}]\n')
    there.values[MODE] = 0.0
    assert there.says(0, BUTTON, DOUBLE) == ()
    assert there.says(1, MODE, 1.0) == (), "the press is over"
    assert there.says(2, BUTTON, DOUBLE) == ON


def test_any_of_several_buttons() -> None:
    parts = ", ".join(
        f'{{ entity = "{entity}", is = "{word}" }}'
        for entity, word in ((BUTTON, "held"), ("bell/ring", "rung"))
    )
    there = house(f"[watch]\nany = [{parts}]\n")
    there.step(0, Began())
    assert there.says(1, BUTTON, HELD) == ON
    assert there.says(2, "bell/ring", 0.0) == ON
    assert there.says(3, BUTTON, PRESSED) == ()
    assert there.edges[0].text == "dial/button: it sent held"


def test_a_dial_says_how_far() -> None:
    there = house(f'[watch]\nentity = "{DIAL}"\nover = "0 %"\n')
    assert there.program.sentence({}).startswith("When dial/dial sends over 0 %")
    assert [bool(there.says(n / 60, DIAL, by)) for n, by in enumerate((4, -4, 8))] == [
        True,
        False,
        True,
    ]
    assert there.edges[-1].text == "it sent 8 % right"


def test_a_choice_is_watched_and_set_by_its_words() -> None:
    there = house(
        f'[watch]\nentity = "{MODE}"\nis_not = "off"\n',
        f'[[starts]]\nset = "{MODE}"\nto = "AUTO"\n',
    )
    assert there.program.sentence({}) == ("When stove/mode is not off: stove/mode to auto.")
    assert there.says(0, MODE, 1.0)
    assert there.edges[0].text == "it is Heat"


@pytest.mark.parametrize(
    ("watch", "said"),
    [
        (DOUBLES + 'held = "5 s"', "held does not go with what happens"),
        (DOUBLES + 'lost = "stay"', "lost does not go with what happens"),
        (DOUBLES + 'times = "1 in 5 s"', "not how often"),
        (DOUBLES + 'times = "3 in soon"', "soon"),
        (f'[watch]\nentity = "{BUTTON}"\nis = "thrice"', "use 'pressed', 'double' or 'held'"),
        (f'[watch]\nentity = "{BUTTON}"\nchanges = "5 s"', "a press happens, and is not changes"),
        (f'[watch]\nentity = "{BUTTON}"\nis = true', 'write "double"'),
        ('[watch]\nentity = "door/contact"\nis = "open"\nlasts = "5 min"', "until it is another"),
        ('[watch]\nentity = "door/contact"\nis = "open"\ntimes = "3 in 5 s"', "goes with what"),
        (
            f'[watch]\nentity = "door/contact"\nis = "open"\n[only]\n'
            f'when = [{{ entity = "{BUTTON}", is = "double" }}]',
            "happens, and is no state to ask for",
        ),
        (
            f'[watch]\nall = [{{ entity = "{BUTTON}", is = "double" }}, '
            '{ entity = "door/contact", is = "open" }]',
            "is not so beside others",
        ),
        (f'[watch]\nentity = "{MODE}"\nover = "heat"', 'write is = "off"'),
        (f'[watch]\nentity = "{MODE}"\nis = "warm"', "use 'off', 'Heat' or 'auto'"),
        (f'[watch]\nentity = "{MODE}"\nrising = "1 in 5 min"', "it is no measurement"),
    ],
)
def test_what_does_not_go_with_it_is_said(watch: str, said: str) -> None:
    result = parse(f'name = "x"\n{watch}\n{STARTS}', HERE)
    assert result.program is None
    assert any(said in str(mistake) for mistake in result.mistakes), [
        str(mistake) for mistake in result.mistakes
    ]


def test_words_that_differ_in_their_letters_alone_are_told_apart() -> None:
    kind = KINDS["choice"].with_words(["auto", "Auto", "Eco"])
    said = [("auto", 0.0), ("Auto", 1.0), ("ECO", 2.0), ("AUTO", 0.0), ("none", None)]
    assert [kind.state(word) for word, _ in said] == [state for _, state in said]


def test_its_account_says_what_was_sent_and_when_it_started() -> None:
    said = [(0, PRESSED), (1, DOUBLE), (5, HELD)]
    readings = [Reading(NOON + round(at * MIN), 0, v, v) for at, v in said]

    def told(text: str, at_min: float, some: list[Reading] = readings) -> list[str]:
        result = parse(f'name = "x"\n{text}{STARTS}', HERE).program
        assert result is not None
        course = {BUTTON: Course("Dial button", "", PRESS, some, learns=False)}
        made = account(result, course, NOON + round(at_min * MIN), ZoneInfo("UTC"))
        return [made.sentence, *(line.text for line in made.lines)]

    assert told(DOUBLES, 10) == [
        "At 25 Nov 12:10 it had last started at 12:01.",
        "Dial button last sent held (12:05); double starts it.",
    ]
    assert told(DOUBLES, 10, []) == [
        "At 25 Nov 12:10 it had not started in the time before.",
        "Dial button sent nothing in the time before.",
    ]
    lasting = told(DOUBLES + 'lasts = "20 min"\n', 10)
    assert lasting[0] == "At 25 Nov 12:10 it was on, since 12:01."
    assert lasting[-1] == "It ends at 12:21, unless it starts again."


def test_the_form_writes_a_press_that_switches_to_the_other_state() -> None:
    blanks = Threshold("Dial", BUTTON, "is", "double", switch="mister/switch", happens=True)
    result = parse(write(blanks), HERE)
    assert result.program is not None
    assert result.program.sentence({}) == (
        "When dial/button sends double: mister/switch to its other state."
    )


def test_a_replay_starts_it_as_often_as_it_happened() -> None:
    said = [(0, PRESSED), (1, DOUBLE), (1.01, DOUBLE), (30, HELD), (600, DOUBLE), (601, PRESSED)]
    readings = [Reading(NOON + round(at * MIN), 0, v, v) for at, v in said]
    course = {BUTTON: Course("Dial button", "", PRESS, readings, learns=False)}
    result = parse(f'name = "x"\n{DOUBLES}{STARTS}', HERE).program
    assert result is not None
    came = replay(result, course, NOON, NOON + 700 * MIN, ZoneInfo("UTC"))
    assert [one.why.at_ms for one in came.acted] == [
        NOON + round(at * MIN) for at in (1, 1.01, 600)
    ]
    lasting = parse(f'name = "x"\n{DOUBLES}lasts = "10 min"\n{STARTS}', HERE).program
    assert lasting is not None
    came = replay(lasting, course, NOON, NOON + 700 * MIN, ZoneInfo("UTC"))
    on = came.on(NOON, NOON + 700 * MIN)
    assert [(round((a - NOON) / MIN), round((b - NOON) / MIN)) for a, b in on] == [
        (1, 11),
        (600, 610),
    ]
