"""What happens when: each row of the table in docs/automations.md, in its order."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import msgspec
import pytest

from hombi.core.automation import (
    Began,
    EdgeKind,
    Handled,
    Passed,
    Phase,
    Seen,
    State,
    SwitchTo,
    rejoined,
)
from hombi.core.automation.moments import Moment
from hombi.core.automation.times import ClockTime
from hombi.core.quality import Quality
from tests.core.automation.world import MIN, NOON, RACK, House, hours, program

DAMP = f'[watch]\nentity = "{RACK}"\nover = "70 %"\nheld = "10 min"\n'
ENDS = '[[ends]]\nswitch = "mister/switch"\nto = "off"\n'
STARTS = '[[starts]]\nswitch = "mister/switch"\nto = "on"\n'
START, END, LOST = EdgeKind.START, EdgeKind.END, EdgeKind.LOST
BERLIN = ZoneInfo("Europe/Berlin")


def edges(house: House) -> list[EdgeKind]:
    return [edge.edge for edge in house.edges]


def again(house: House, heard: int) -> None:
    """A restart of the hub: what was kept comes back."""
    kept = msgspec.convert(msgspec.to_builtins(house.state), State)
    house.state = rejoined(house.program, kept, lambda _: heard, house.now_ms)


def uncertain() -> None:
    house = House(program(DAMP))
    house.step(0, Seen(75, Quality.WARMING_UP, RACK))
    house.step(10, Seen(75, Quality.CLIPPED, RACK))
    assert edges(house) == [START]


def bad() -> None:
    house = House(program(DAMP))
    house.says(0, RACK, 75)
    house.step(5, Seen(None, Quality.NO_VALUE, RACK))
    house.says(6, RACK, 75)
    house.at(12)
    assert edges(house) == []
    house.says(16, RACK, 75)
    assert edges(house) == [START]


def lost() -> None:
    for word, expected in (("end", END), ("stay", LOST)):
        house = House(program(f'{DAMP}lost = "{word}"', STARTS + ENDS), rhythm_ms=15 * MIN)
        house.says(0, RACK, 75)
        house.says(10, RACK, 75)
        told = house.at(26)
        assert edges(house) == [START, expected]
        assert any("is not heard" in str(one) for one in told)
        assert (house.state.phase is Phase.ON) == (word == "stay")


def restart_while_held() -> None:
    for heard, starts in ((9, True), (2, False)):
        house = House(program(DAMP), rhythm_ms=5 * MIN)
        house.says(0, RACK, 75)
        house.says(2, RACK, 75)
        house.now_ms = NOON + 9 * MIN
        again(house, NOON + heard * MIN)
        house.at(10)
        assert (edges(house) == [START]) == starts


def restart_while_on() -> None:
    waits = '[[starts]]\nwait = "5 min"\n' + STARTS
    for back, due in ((12, [15]), (30, [30])):
        house = House(program(DAMP, waits))
        house.says(0, RACK, 75)
        house.says(10, RACK, 75)
        house.now_ms = NOON + back * MIN
        again(house, NOON + 10 * MIN)
        assert house.state.phase is Phase.ON
        done = [minute for minute in range(back, 40) if house.at(minute)]
        assert done == due


def missed() -> None:
    for late, starts in ((9, 1), (11, 0)):
        house = House(program('[watch]\nat = "12:30"\n'))
        house.step(0, Began())
        house.at(30 + late)
        assert len(house.edges) == starts


def clock_set() -> None:
    house = House(program(DAMP, '[[starts]]\nwait = "5 min"\n' + STARTS))
    house.says(0, RACK, 75)
    house.state = house.state.shifted(60 * MIN)
    house.step(65, Passed())
    assert house.due == 70
    house.says(70, RACK, 75)
    house.state = house.state.shifted(-60 * MIN)
    assert (house.at(14), house.at(15)) == ((), (SwitchTo("mister/switch", 1.0),))


def clocks_back() -> None:
    # On 25 October 2026 02:30 comes twice: at 00:30 and at 01:30 UTC.
    night = datetime(2026, 10, 25, tzinfo=ZoneInfo("UTC")).timestamp() * 1000
    only = program(DAMP + '[only]\nbetween = "02:00-02:30"').only
    assert only.between == hours(120, 150)
    allowed = [m for m in range(0, 120, 5) if only.allows(round(night + m * MIN), BERLIN)]
    assert (min(allowed), max(allowed)) == (0, 85)
    first = Moment(ClockTime(150)).next_ms(round(night), BERLIN)
    after = Moment(ClockTime(150)).next_ms(first, BERLIN)
    assert ((first - night) / MIN, (after - first) / MIN) == (30, 25 * 60)


def clocks_forward() -> None:
    # On 29 March 2026 the clocks go from 02:00 to 03:00, at 01:00 UTC.
    night = datetime(2026, 3, 29, tzinfo=ZoneInfo("UTC")).timestamp() * 1000
    assert (Moment(ClockTime(150)).next_ms(round(night), BERLIN) - night) / MIN == 60


def formula() -> None:
    follows = '[watch]\nentity = "beam/humidity"\nover = "= rack/humidity + 5 %"\n'
    house = House(program(follows))
    house.says(0, "beam/humidity", 90)
    assert edges(house) == []
    house.says(1, RACK, 60)
    house.says(2, "beam/humidity", 90)
    house.values.pop(RACK)
    house.says(3, "beam/humidity", 20)
    assert edges(house) == [START]


def asked_for_silent() -> None:
    asks = DAMP + '[only]\nwhen = [ { entity = "beam/humidity", over = "50 %" } ]\n'
    house = House(program(asks))
    house.says(0, "beam/humidity", 60)
    house.says(0, RACK, 75)
    house.says(10, RACK, 75)
    assert edges(house) == [START]
    house.values.pop("beam/humidity")
    house.says(11, RACK, 75)
    assert edges(house) == [START, END]


def by_hand() -> None:
    house = House(program(DAMP + 'until = "60 %"\n', STARTS + ENDS))
    house.says(0, RACK, 75)
    house.says(10, RACK, 75)
    house.step(11, Handled("mister/switch"))
    assert house.says(12, RACK, 55) == ()
    house.says(13, RACK, 75)
    assert house.says(23, RACK, 75) == (SwitchTo("mister/switch", 1.0),)


def clock_wrong() -> None:
    # More of this is in test_unknown_time.py.
    house = House(program(DAMP + '[only]\nbetween = "06:00-22:00"\n'), time_known=False)
    house.says(0, RACK, 75)
    house.says(10, RACK, 75)
    assert edges(house) == []
    house.time_known = True
    house.at(11)
    assert edges(house) == [START]


def fails() -> None:
    # That the hub asks again is in tests/hub/test_wanted.py; an action waits for none.
    house = House(program(DAMP, STARTS + '[[starts]]\nnotify = "ada"\ntitle = "x"\n'))
    house.says(0, RACK, 75)
    assert len(house.says(10, RACK, 75)) == 2


ROWS: dict[str, Callable[[], None]] = {
    "a reading is uncertain": uncertain,
    "a reading is bad": bad,
    "the value of one that is on is not heard": lost,
    "the hub restarts during a hold": restart_while_held,
    "the hub restarts while it is on": restart_while_on,
    "a moment of the clock was missed": missed,
    "the clock of the machine is set": clock_set,
    "the clock of the machine is known to be wrong": clock_wrong,
    "the clocks go back": clocks_back,
    "the clocks go forward": clocks_forward,
    "a value in its limit's formula is bad": formula,
    "a value that `when` asks for is silent": asked_for_silent,
    "a person sets something that it set": by_hand,
    "an action fails": fails,
}


@pytest.mark.parametrize("row", ROWS)
def test_a_row_of_the_table(row: str) -> None:
    ROWS[row]()


def test_the_table_has_these_rows() -> None:
    text = (Path(__file__).parents[3] / "docs/automations.md").read_text()
    table = text[text.index("## What happens when") :].split("\n\n")[1]
    said = re.findall(r"^\| (.+?) \| ", table, re.MULTILINE)[2:]
    assert len(said) == len(ROWS)
    assert all(one.startswith(row) for one, row in zip(said, ROWS, strict=True)), said
