"""Every starter makes a text that the hub takes."""

from __future__ import annotations

import pytest

from hombi.core.automation import parse
from hombi.core.automation.starters import STARTERS, StarterError, filled
from hombi.core.house_facts import EntityFacts, HouseFacts
from hombi.core.kinds import AT_HOME, KINDS
from hombi.core.sun import Position

FACTS = HouseFacts(
    {
        **{f"room/{name}": EntityFacts(kind, writable=False) for name, kind in KINDS.items()},
        "plug/switch": EntityFacts(KINDS["switch"], writable=True),
        "plug/level": EntityFacts(KINDS["level"], writable=True),
        "house/ada": EntityFacts(KINDS[AT_HOME], writable=True),
        **{
            f"hub/{one}": EntityFacts(KINDS["alarm"], writable=False)
            for one in ("disk", "links", "certificate", "backup", "clock")
        },
    },
    position=Position(53.1, 9.2),
    homes={"ada": "house/ada"},
)


def blanks(name: str, *, needed: bool = False) -> dict[str, str]:
    made = {}
    for blank in STARTERS[name].blanks:
        if needed and not blank.needed:
            continue
        first = (
            f"plug/{blank.kinds[0]}"
            if blank.set
            else f"room/{blank.kinds[0] if blank.kinds else 'humidity'}"
            if blank.sort == "entity"
            else blank.usual
        )
        made[blank.name] = first or "everyone"
    return made


def test_there_are_enough() -> None:
    assert len(STARTERS) >= 20


@pytest.mark.parametrize("name", STARTERS)
@pytest.mark.parametrize("needed", [False, True])
def test_it_makes_a_sound_text(name: str, needed: bool) -> None:
    text = filled(STARTERS[name], blanks(name, needed=needed))
    result = parse(text, FACTS)
    assert [str(one) for one in (*result.mistakes, *result.warnings)] == [], text
    assert result.program is not None
    assert "$" not in text
    assert "\n\n\n" not in text


def test_a_blank_that_is_needed_is_named_and_an_empty_one_takes_its_action_with_it() -> None:
    damp = blanks("damp-room", needed=True)
    text = filled(STARTERS["damp-room"], damp)
    assert "notify" not in text
    assert text.count("[[starts]]") == 1
    assert "notify" in filled(STARTERS["damp-room"], {**damp, "tell": "everyone"})
    with pytest.raises(StarterError, match="the fan is empty"):
        filled(STARTERS["damp-room"], {**damp, "switch": "  "})


def test_whatever_is_filled_in_stays_a_text() -> None:
    odd = 'x"\n[[ends]]\nnotify = "everyone'
    text = filled(STARTERS["left-open"], {**blanks("left-open"), "name": odd})
    result = parse(text, FACTS)
    assert result.program is None or result.program.name == odd
    assert text.count("[[ends]]\n") == 0
