from __future__ import annotations

import pytest

from hombi.core.automation import Notify, Switch, Threshold, parse, write
from hombi.core.automation.comparisons.sides import Under
from hombi.core.house_facts import EntityFacts, HouseFacts
from hombi.core.kinds import KINDS
from tests.core.automation.world import hours

FACTS = HouseFacts(
    {
        "cellar-rack/humidity": EntityFacts(KINDS["humidity"], writable=False),
        "cellar-mister/switch": EntityFacts(KINDS["switch"], writable=True),
        "boathouse-door/contact": EntityFacts(KINDS["contact"], writable=False),
        "bench/temperature": EntityFacts(KINDS["temperature"], writable=False),
    },
    frozenset({"ada"}),
)
SOUND = """\
name = "Cellar too dry"
about = "The rinds crack below 82 %."

[watch]
entity = "cellar-rack/humidity"
under = "82 %"
held = "10 min"
until = "86 %"            # it ends when it is back above this

[only]
between = "06:00-22:00"
days = ["mon", "Tue"]

[[starts]]
switch = "cellar-mister/switch"
to = "on"

[[starts]]
notify = "everyone"
title = "Cellar is dry"
text = "{value} for {held}"

[[ends]]
switch = "cellar-mister/switch"
to = "off"
"""


def test_understands_the_format() -> None:
    automation = parse(SOUND, FACTS).program
    assert automation is not None
    assert isinstance(automation.watch.comparison, Under)
    assert (
        automation.watch.comparison.limit,
        automation.watch.comparison.until,
        automation.watch.held_ms,
    ) == (
        82.0,
        86.0,
        600_000,
    )
    assert automation.only.between == hours(6 * 60, 22 * 60)
    assert automation.only.days == {0, 1}
    assert automation.starts == (
        Switch("cellar-mister/switch", 1.0),
        Notify("everyone", "Cellar is dry", "{value} for {held}"),
    )
    assert automation.ends == (Switch("cellar-mister/switch", 0.0),)


def test_reads_as_a_sentence() -> None:
    automation = parse(SOUND, FACTS).program
    assert automation is not None
    names = {
        "cellar-rack/humidity": "Cellar rack humidity",
        "cellar-mister/switch": "Cellar mister",
    }
    assert automation.sentence(names) == (
        "When Cellar rack humidity is under 82 % for 10 min, until it is back over 86 "
        "%, only from 06:00 to 22:00, "
        "only on Mon, Tue: Cellar mister on; tell everyone “Cellar is dry”. When it "
        "ends: Cellar mister off."
    )


def test_converts_limits_into_the_unit_of_the_kind() -> None:
    text = (
        SOUND.replace("cellar-rack/humidity", "bench/temperature")
        .replace('"82 %"', '"41 °F"')
        .replace('"86 %"', '"50 °F"')
    )
    automation = parse(text, FACTS).program
    assert automation is not None
    assert (automation.watch.comparison.limit, automation.watch.comparison.until) == pytest.approx(
        (5.0, 10.0)
    )


@pytest.mark.parametrize(
    ("old", "new", "line", "column", "what", "hint"),
    [
        ('name = "Cellar too dry"', "", 1, 1, "name is missing", 'add name = "…"'),
        ('"Cellar too dry"', "7", 1, 8, "name must be a text in quotes", 'write name = "7"'),
        ("about =", "abuot =", 2, 1, "'abuot' means nothing here", "did you mean about?"),
        (
            "cellar-rack/humidity",
            "cellar-rack/humidty",
            5,
            10,
            "no entity cellar-rack/humidty",
            "did you mean cellar-rack/humidity?",
        ),
        ('under = "82 %"', 'under = "82 C"', 6, 9, "'82 C' does not fit a humidity", ""),
        ('under = "82 %"', "under = 82", 6, 9, "a value is a text with its unit", 'write "82 %"'),
        ('under = "82 %"', 'under = "182 %"', 6, 9, "beyond what a humidity can be", ""),
        (
            'under = "82 %"',
            'below = "82 %"',
            4,
            2,
            "[watch] names no limit",
            "give one of over, under, within, outside, is, is_not",
        ),
        (
            'under = "82 %"',
            'under = "82 %"\nover = "90 %"',
            4,
            2,
            "[watch] has over and under",
            "give one of over, under, within, outside, is, is_not",
        ),
        ('held = "10 min"', 'held = "10 mins!"', 7, 8, "'10 mins!' is not a length of time", ""),
        ('until = "86 %"', 'until = "80 %"', 8, 9, "until must lie above the limit, 82 %", ""),
        (
            '"06:00-22:00"',
            '"6-22"',
            11,
            11,
            "'6-22' are not hours",
            'write between = "06:00-22:00"',
        ),
        (
            '"06:00-22:00"',
            '"06:00-06:00"',
            11,
            11,
            "begin and end at the same time",
            "leave between out",
        ),
        ('"Tue"', '"tux"', 12, 16, "'tux' is not a day", "did you mean tue?"),
        ('to = "on"', 'to = "onn"', 16, 6, "'onn' is not a state of a switch", ""),
        (
            "[[starts]]\nswitch",
            "[[starts]]\nswich",
            14,
            3,
            "an action is one of switch, set, do, scene, run, notify, mail, post, announce, wait",
            "",
        ),
        (
            'switch = "cellar-mister/switch"\nto = "on"',
            'switch = "cellar-rack/humidity"\nto = "on"',
            15,
            10,
            "cannot be switched",
            "these can",
        ),
        (
            '"everyone"',
            '"everybody"',
            19,
            10,
            "nobody here is called everybody",
            "did you mean everyone?",
        ),
        ("{value} for", "{vaule} for", 21, 8, "{vaule} stands for nothing", "did you mean value?"),
        (
            "{value} for",
            "{value for",
            21,
            8,
            "{value for {held} stands for nothing|a brace stands alone",
            "",
        ),
        ('title = "Cellar is dry"\n', "", 18, 3, "title is missing", ""),
        ("{value} for", "{value:.1f} for", 21, 8, "{value:.1f} has a format", "write {value}"),
        ("{value} for", "{value!x} for", 21, 8, "{value!x} has a format", "write {value}"),
        (
            "{value} for",
            "{value:{held}} for",
            21,
            8,
            "{value:{held}} has a format",
            "write {value}",
        ),
        (
            'held = "10 min"',
            "held = 10",
            7,
            8,
            "held is a length of time, as a text in quotes",
            'write held = "10 min"',
        ),
        ('held = "10 min"', 'held = ""', 7, 8, "held is empty", "leave held out"),
        ('to = "on"', "to = true", 16, 6, "a state is a text in quotes", 'write "on"'),
        ('["mon", "Tue"]', "[]", 12, 8, "days is empty", "leave days out"),
        (
            'under = "82 %"',
            'under = "0 %"',
            6,
            9,
            "a humidity is never under 0 %",
            "it goes down to 0 %",
        ),
        (
            '"Cellar too dry"',
            '"Cellar\\u0000"',
            1,
            8,
            "name holds a control character (U+0000)",
            "delete it",
        ),
        (
            "[watch]",
            "[[watch]]",
            4,
            3,
            "watch must be a table",
            "write [watch] on a line of its own",
        ),
        (
            'name = "Cellar too dry"',
            'name = "a"\nname = "b"',
            2,
            1,
            "name stands here a second time",
            "the first one is on line 1",
        ),
        (
            "about = ",
            "\ufeffabout = ",
            2,
            1,
            "an invisible character stands here (U+FEFF, byte-order mark)",
            "delete it",
        ),
        (
            'until = "86 %"',
            'until = "86 %"\nlost = "perhaps"',
            9,
            8,
            "'perhaps' is neither end nor stay",
            'write lost = "end"',
        ),
    ],
)
def test_names_every_mistake_with_its_place(
    old: str, new: str, line: int, column: int, what: str, hint: str
) -> None:
    assert old in SOUND
    parsed = parse(SOUND.replace(old, new, 1), FACTS)
    assert parsed.program is None
    mistake = parsed.mistakes[0]
    assert (mistake.place.line, mistake.place.column) == (line, column)
    assert any(part in mistake.what for part in what.split("|"))
    assert hint in mistake.hint


def test_finds_all_mistakes_at_once_in_the_order_of_the_text() -> None:
    text = SOUND.replace('"82 %"', '"82 C"').replace('"off"', '"aus"').replace("06:00-", "26:00-")
    assert [m.place.line for m in parse(text, FACTS).mistakes] == [6, 11, 25]


def test_a_state_is_watched_with_is() -> None:
    text = SOUND.replace("cellar-rack/humidity", "boathouse-door/contact").replace(
        'until = "86 %"', ""
    )
    assert (
        "write is"
        in parse(text.replace('under = "82 %"', 'under = "open"'), FACTS).mistakes[0].hint
    )
    automation = parse(text.replace('under = "82 %"', 'is = "open"'), FACTS).program
    assert automation is not None
    assert automation.watch.comparison.limit == 1.0
    assert "until goes with" in parse(SOUND.replace("under =", "is ="), FACTS).mistakes[0].what


def test_an_automation_that_does_nothing_is_a_mistake() -> None:
    assert "does nothing" in parse(SOUND.split("[[starts]]", maxsplit=1)[0], FACTS).mistakes[0].what
    assert (
        "two brackets"
        in parse(SOUND.split("[[starts]]", maxsplit=1)[0] + "[starts]\nswitch = 1\n", FACTS)
        .mistakes[0]
        .hint
    )


def test_the_form_writes_a_text_that_is_sound() -> None:
    text = write(
        Threshold(
            'Damp "herbs"', "cellar-rack/humidity", "over", "70 %", held="5 min", until="60 %",
            between="08:00-20:00",
            switch="cellar-mister/switch", notify="ada", text="{value}",
        )
    )  # fmt: skip
    automation = parse(text, FACTS).program
    assert automation is not None
    assert automation.name == 'Damp "herbs"'
    assert automation.starts == (
        Switch("cellar-mister/switch", 1.0),
        Notify("ada", 'Damp "herbs"', "{value}"),
    )
    assert automation.ends == (Switch("cellar-mister/switch", 0.0),)


def test_a_form_with_blanks_writes_a_text_whose_mistakes_are_named() -> None:
    parsed = parse(write(Threshold("", "", "over", "")), FACTS)
    assert parsed.program is None
    assert parsed.mistakes


@pytest.mark.parametrize("edge", ["starts", "ends"])
def test_an_empty_list_of_actions_is_a_mistake(edge: str) -> None:
    text = f"{edge} = []\n" + SOUND.replace(SOUND[SOUND.index(f"[[{edge}]]") :], "")
    parsed = parse(text, FACTS)
    assert parsed.program is None
    assert any(
        f"{edge} = []" in mistake.what and f"[[{edge}]]" in mistake.hint
        for mistake in parsed.mistakes
    )


def test_what_hides_in_a_text_in_quotes_is_the_authors() -> None:
    automation = parse(SOUND.replace("Cellar is dry", "Cellar\u2028is dry"), FACTS).program
    assert automation is not None
    assert Notify("everyone", "Cellar\u2028is dry", "{value} for {held}") in automation.starts


def test_the_words_of_before_go_on_with_a_warning_that_gives_the_new_ones() -> None:
    facts = HouseFacts(
        {
            "hall/motion": EntityFacts(KINDS["occupancy"], False),
            "kitchen/smoke": EntityFacts(KINDS["smoke"], False),
            "lamp/switch": EntityFacts(KINDS["switch"], True),
        }
    )
    text = """name = "Dark again"
[watch]
entity = "hall/motion"
is = "clear"
[only]
when = [ { entity = "kitchen/smoke", is_not = "smoke" } ]
[[starts]]
switch = "lamp/switch"
to = "off"
"""
    old = parse(text, facts)
    assert old.program is not None
    assert [(warning.place.line, warning.what) for warning in old.warnings] == [
        (4, "'clear' is called 'empty' now"),
        (6, "'smoke' is called 'alarm' now"),
    ]
    new = parse(text.replace('"clear"', '"empty"').replace('"smoke" }', '"alarm" }'), facts)
    assert (new.program, new.warnings) == (old.program, ())
