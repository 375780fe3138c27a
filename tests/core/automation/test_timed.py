"""What depends on the time that has passed: silent, changes, how long it is back."""

from __future__ import annotations

import pytest

from hombi.core.automation import Began, EdgeKind, Phase, Seen, Sight, parse, rejoined
from hombi.core.quality import Quality
from tests.core.automation.world import DOOR, FACTS, MIN, NOON, RACK, STARTS, House, program

START, END = EdgeKind.START, EdgeKind.END


class Heard(House):
    """A house in which a value is known with the time at which it was heard."""

    heard: float = 0.0
    silent = False

    def sight(self, entity: str) -> Sight:
        heard_ms = NOON + round(self.heard * MIN)
        result = super().sight(entity)
        return result._replace(heard_ms=heard_ms, silent=self.silent)


def test_silent_for_so_long_until_it_is_heard() -> None:
    house = Heard(program(f'[watch]\nentity = "{RACK}"\nsilent = "30 min"'))
    assert house.program.sentence({}).startswith(f"When {RACK} is silent for 30 min: ")
    house.heard = -10
    house.step(0, Began())
    assert (house.state.phase, house.due) == (Phase.IDLE, 20)
    house.heard = 5
    house.says(5, RACK, 70)
    assert house.due == 35
    house.at(35)
    assert (house.edges[0].edge, house.edges[0].text) == (START, "it was not heard for 30 min")
    assert house.due is None
    house.says(65, RACK, 71)
    assert (house.edges[1].edge, house.edges[1].text) == (END, "it is heard again, after 30 min")


def test_silent_for_longer_than_usual() -> None:
    house = Heard(program(f'[watch]\nentity = "{RACK}"\nsilent = "usual"'), rhythm_ms=15 * MIN)
    house.says(0, RACK, 70)
    house.at(14)
    assert house.edges == []
    house.at(16)
    assert [edge.edge for edge in house.edges] == [START]
    unknown = Heard(program(f'[watch]\nentity = "{RACK}"\nsilent = "usual"'), rhythm_ms=0)
    unknown.says(0, RACK, 70)
    assert unknown.due is None, "what is usual is not known yet"


def test_a_door_is_silent_when_its_node_is_gone() -> None:
    house = Heard(program(f'[watch]\nentity = "{DOOR}"\nsilent = "usual"'), rhythm_ms=MIN)
    house.says(0, DOOR, 1)
    house.at(24 * 60)
    assert house.edges == [], "nobody went through it for a day"
    house.silent = True
    house.at(25 * 60)
    house.silent = False
    house.at(26 * 60)
    assert [edge.edge for edge in house.edges] == [START, END]


def test_it_changes_and_is_so_for_a_time_after_the_last_change() -> None:
    house = House(program(f'[watch]\nentity = "{RACK}"\nchanges = "5 min"'))
    for minute, value in ((0, 70), (1, 70)):
        house.says(minute, RACK, value)
    house.state = rejoined(house.program, house.state, lambda _: house.now_ms, house.now_ms)
    house.at(1)
    assert house.state.phase is Phase.IDLE, "a restart changes nothing"
    house.says(2, RACK, 71)
    assert (house.state.phase, house.due) == (Phase.ON, 7)
    assert house.edges[0].text == "it changed to 71.0 %"
    house.step(4, Seen(None, Quality.NO_VALUE, RACK))
    house.says(6, RACK, 72)
    assert house.due == 11, "each change counts anew"
    house.says(8, RACK, 72)
    house.at(11)
    assert (house.edges[1].edge, house.edges[1].text) == (END, "it stays the same, after 9 min")


def test_it_ends_only_when_it_was_back_for_long_enough() -> None:
    text = f'[watch]\nentity = "{DOOR}"\nis = "open"\nuntil_held = "5 min"'
    house = House(program(text, STARTS))
    assert "is open, until it is back for 5 min" in house.program.sentence({})
    house.says(0, DOOR, 1)
    house.says(10, DOOR, 0)
    assert (house.state.phase, house.due) == (Phase.ON, 15)
    house.says(13, DOOR, 1)  # somebody comes back
    assert house.due is None
    house.says(20, DOOR, 0)
    house.at(24)
    assert [edge.edge for edge in house.edges] == [START]
    house.at(25)
    assert house.edges[1].text == "it is closed, for 5 min, after 25 min"


def test_a_time_to_be_back_and_a_limit_to_be_back_at_go_together() -> None:
    text = f'[watch]\nentity = "{RACK}"\nover = "70 %"\nuntil = "60 %"\nuntil_held = "2 min"'
    house = House(program(text))
    for minute, value in ((0, 75), (1, 59), (2, 65), (5, 58), (6, 59)):
        house.says(minute, RACK, value)
    assert house.due == 7, "65 % was not back"
    house.at(7)
    assert [(edge.edge, edge.at_ms) for edge in house.edges] == [
        (START, NOON),
        (END, NOON + 7 * MIN),
    ]


@pytest.mark.parametrize(
    ("watch", "said"),
    [
        (f'entity = "{RACK}"\nsilent = "soon"', "is not a length of time"),
        (f'entity = "{RACK}"\nsilent = true', "is a length of time"),
        (f'entity = "{RACK}"\nsilent = "5 min"\nheld = "1 min"', "held does not go with silent"),
        (f'entity = "{RACK}"\nchanges = "1 min"\nuntil = "5 %"', "until does not go with changes"),
        (f'entity = "{RACK}"\nrising = "2 %"', "how far and within what time"),
        (f'entity = "{RACK}"\nrising = "2 K in 10 min"', "measures"),
        (f'entity = "{RACK}"\nrising = "2 % in 10 s"', "from 1 min to 24 h"),
        (f'entity = "{RACK}"\nrising = "2 % in 1 h"\nuntil = "3 %"', "under the limit"),
        (f'entity = "{DOOR}"\nrising = "2 % in 1 h"', "is not rising"),
        (
            f'entity = "{RACK}"\nchanges = "= 2 min"',
            "take a formula",
        ),
        (
            f'every = "1 h"\n[only]\nwhen = [ {{ entity = "{RACK}", changes = "1 min" }} ]',
            "changes is not a state",
        ),
    ],
)
def test_what_cannot_be_is_named(watch: str, said: str) -> None:
    result = parse(f'name = "x"\n[watch]\n{watch}{STARTS}', FACTS)
    assert any(said in str(mistake) for mistake in result.mistakes), [
        str(mistake) for mistake in result.mistakes
    ]


WARMTH = "beam/temperature"


def test_it_has_gone_up_so_far_within_a_time() -> None:
    text = f'[watch]\nentity = "{WARMTH}"\nrising = "2 K in 10 min"\nuntil = "0.5 K"'
    house = House(program(text))
    assert house.program.sentence({}).startswith(
        f"When {WARMTH} is rising by 2 K in 10 min, until it is back by 0.5 K only: "
    )
    for minute, value in ((0, 20), (5, 21), (9, 21.9), (11, 22.5)):
        house.says(minute, WARMTH, value)
    assert house.edges == [], "within ten minutes it rose by 1.5 K"
    house.says(13, WARMTH, 23.1)
    assert house.edges[0].text == "it rose by 2.1 K in 10 min"
    house.says(20, WARMTH, 23.1)
    house.says(24, WARMTH, 23.2)
    assert [edge.edge for edge in house.edges] == [START, END]


def test_it_has_gone_down_so_far_whatever_its_scale() -> None:
    text = f'[watch]\nentity = "{WARMTH}"\nfalling = "9 °F in 1 h"\nheld = "5 min"'
    house = House(program(text))
    house.says(0, WARMTH, 20)
    house.says(30, WARMTH, 14.9)
    house.at(35)
    assert house.edges[0].text == "it fell by 5.1 K in 1 h, held for 5 min"
    house.says(61, WARMTH, 14.9)
    assert len(house.edges) == 2, "an hour ago it was as it is"


def test_what_is_sent_often_is_kept_in_few_points() -> None:
    house = House(program(f'[watch]\nentity = "{RACK}"\nrising = "20 % in 10 min"'))
    for second in range(0, 1200, 2):
        house.says(second / 60, RACK, 50 + second / 60 - (10 if second == 700 else 0))
    assert len(house.state.past) <= 62
    assert house.state.value is not None
    assert abs(house.state.value - (1198 - 700) / 60 - 10) < 0.2, "the lowest point counts"


def test_nobody_is_silent_because_the_hub_was_away() -> None:
    house = Heard(program(f'[watch]\nentity = "{RACK}"\nsilent = "30 min"'))
    house.says(0, RACK, 70)
    house.now_ms = NOON + 600 * MIN
    house.state = rejoined(house.program, house.state, lambda _: NOON, house.now_ms)
    assert house.due == 630
    house.at(629)
    assert house.edges == []
    house.at(630)
    assert [edge.edge for edge in house.edges] == [START]
    house.state = rejoined(house.program, house.state, lambda _: NOON, NOON + 700 * MIN)
    assert house.state.phase is Phase.ON, "one that is silent is not heard by a restart"
