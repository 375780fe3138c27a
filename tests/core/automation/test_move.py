"""`set` with `by`: so much higher or lower, or as far as a dial was turned."""

from __future__ import annotations

import pytest

from hombi.core.automation import parse
from hombi.core.automation.actions import Move, MoveBy
from hombi.core.house_facts import EntityFacts, HouseFacts
from hombi.core.kinds import KINDS

FACTS = HouseFacts(
    {
        "dial/dial": EntityFacts(KINDS["turn"], writable=False),
        "rack/humidity": EntityFacts(KINDS["humidity"], writable=False),
        "rack/temperature": EntityFacts(KINDS["temperature"], writable=False),
        "lamp/level": EntityFacts(KINDS["level"], writable=True),
        "lamp/white": EntityFacts(KINDS["white"], writable=True),
        "lamp/hue": EntityFacts(KINDS["hue"], writable=True),
        "lamp/switch": EntityFacts(KINDS["switch"], writable=True),
        "stove/target": EntityFacts(KINDS["temperature"], writable=True),
    }
)


def text(*lines: str) -> str:
    watch = '[watch]\nentity = "dial/dial"\nis_not = "0 %"\n'
    return f'name = "Dial"\n{watch}[[starts]]\n' + "\n".join(lines)


@pytest.mark.parametrize(
    ("entity", "by", "effect"),
    [
        ("lamp/level", "10 %", MoveBy("lamp/level", 10, "10 %")),
        ("lamp/level", "-7.5%", MoveBy("lamp/level", -7.5, "-7.5%")),
        ("lamp/level", "+5 %", MoveBy("lamp/level", 5, "+5 %")),
        ("lamp/level", "dial/dial", MoveBy("lamp/level", 1, "", "dial/dial")),
        ("lamp/level", "rack/humidity", MoveBy("lamp/level", 1, "", "rack/humidity")),
        ("lamp/white", "dial/dial", MoveBy("lamp/white", 1, "", "dial/dial", share=True)),
        ("lamp/white", "10 %", MoveBy("lamp/white", 10, "10 %", share=True)),
        ("lamp/white", "-200 K", MoveBy("lamp/white", -200, "-200 K")),
        ("lamp/hue", "30 °", MoveBy("lamp/hue", 30, "30 °")),
        ("stove/target", "-0.5 °C", MoveBy("stove/target", -0.5, "-0.5 °C")),
        ("stove/target", "9 °F", MoveBy("stove/target", 5, "9 °F")),
        ("stove/target", "1 K", MoveBy("stove/target", 1, "1 K")),
    ],
)
def test_it_is_understood(entity: str, by: str, effect: MoveBy) -> None:
    result = parse(text(f'set = "{entity}"', f'by = "{by}"'), FACTS)
    assert [str(one) for one in (*result.mistakes, *result.warnings)] == []
    assert result.program is not None
    (action,) = result.program.starts
    assert isinstance(action, Move)
    done = action.effect({})
    assert done.by == pytest.approx(effect.by)
    assert (done.entity, done.shown, done.source, done.share) == (
        *(effect.entity, effect.shown, effect.source, effect.share),
    )
    assert f"{entity} by {by}" in result.program.sentence({})
    assert entity in result.program.acted_on


@pytest.mark.parametrize(
    ("lines", "said"),
    [
        (('set = "lamp/level"', 'by = "10 °C"'), "no step of a level"),
        (('set = "lamp/level"', 'by = "brighter"'), "is no step and no entity"),
        (('set = "lamp/level"', 'by = "dial/dail"'), "did you mean dial/dial"),
        (('set = "lamp/level"', 'by = "rack/temperature"'), "could go up or down"),
        (('set = "lamp/level"', 'by = "lamp/switch"'), "could go up or down"),
        (('set = "lamp/level"', 'by = ""'), "by is missing|by is empty"),
        (('set = "lamp/level"', "by = 10"), "by must be a text"),
        (('set = "lamp/level"', 'by = "10 %"', 'to = "20 %"'), "to does not go with by"),
        (('set = "lamp/level"', 'by = "10 %"', 'for = "5 min"'), "for does not go with by"),
        (('set = "lamp/switch"', 'by = "10 %"'), "is not higher or lower"),
        (('switch = "lamp/switch"', 'by = "10 %"'), "'by' means nothing here"),
    ],
)
def test_what_is_wrong_is_named(lines: tuple[str, ...], said: str) -> None:
    result = parse(text(*lines), FACTS)
    told = " ".join(f"{one.what} {one.hint}" for one in result.mistakes)
    assert any(part in told for part in said.split("|")), told
