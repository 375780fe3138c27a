"""Who is home, watched and asked for."""

from __future__ import annotations

import pytest

from hombi.core.automation import EdgeKind, Phase, parse
from hombi.core.house_facts import HouseFacts
from tests.core.automation.world import DOOR, FACTS, STARTS, House, program

ADA, BEN = "house/ada", "house/ben"


def test_it_starts_when_the_last_one_has_been_gone_for_a_while() -> None:
    house = House(program('[watch]\nhome = "nobody"\nheld = "5 min"'))
    assert f"When {ADA} is away for 5 min and {BEN} is away for 5 min" in (
        house.program.sentence({})
    )
    house.says(0, ADA, 0)
    house.says(0, BEN, 1)
    house.at(10)
    house.says(20, BEN, 0)
    house.at(24)
    assert house.edges == []
    house.at(25)
    house.says(60, ADA, 1)
    assert [edge.edge for edge in house.edges] == [EdgeKind.START, EdgeKind.END]


def test_anyone_and_one_person_are_watched() -> None:
    for word, expected in (("anyone", [1, 5]), ("ben", [3, 4])):
        house = House(program(f'[watch]\nhome = "{word}"'))
        for minute, (who, home) in enumerate(
            [(ADA, 0), (ADA, 1), (BEN, 0), (BEN, 1), (BEN, 0), (ADA, 0)]
        ):
            house.says(minute, who, home)
        minutes = [(edge.at_ms - house.now_ms) / 60_000 + 5 for edge in house.edges]
        assert minutes == expected, word


@pytest.mark.parametrize(
    ("word", "ada", "ben", "starts"),
    [
        ("nobody", 0, 0, True),
        ("nobody", 0, 1, False),
        ("nobody", 0, None, False),
        ("anyone", 0, 1, True),
        ("anyone", 0, 0, False),
        ("anyone", None, None, False),
        ("ada", 1, 0, True),
        ("ada", 0, 1, False),
    ],
)
def test_it_may_act_only_while(
    word: str, ada: float | None, ben: float | None, starts: bool
) -> None:
    text = f'[watch]\nentity = "{DOOR}"\nis = "open"\n[only]\nhome = "{word}"\n'
    house = House(program(text))
    for who, value in ((ADA, ada), (BEN, ben)):
        if value is not None:
            house.says(0, who, value)
    house.says(1, DOOR, 1)
    assert house.state.phase is (Phase.ON if starts else Phase.WAITING)
    if starts:
        house.says(2, ADA, 1 - (ada or 0))
        house.says(2, BEN, 1 - (ben or 0))
        assert house.edges[-1].edge is (EdgeKind.END if word != "anyone" else EdgeKind.START)


@pytest.mark.parametrize(
    ("text", "facts", "said"),
    [
        ('home = "nobdy"', FACTS, "did you mean nobody?"),
        ('home = "cleo"', FACTS, "cleo has not said yet"),
        ('home = "nobody"', HouseFacts(FACTS.entities, FACTS.people), "nobody has said yet"),
        ('home = "ada"\nover = "5 %"', FACTS, "'over' means nothing here"),
        ("home = true", FACTS, "must be a text in quotes"),
    ],
)
def test_what_cannot_be_is_named(text: str, facts: HouseFacts, said: str) -> None:
    result = parse(f'name = "x"\n[watch]\n{text}\n{STARTS}', facts)
    assert any(said in str(mistake) for mistake in result.mistakes), [
        str(mistake) for mistake in result.mistakes
    ]
