"""The states of an automation, and what moves it: each cell of the table in
docs/automations.md."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest

from hombi.core.automation import EdgeKind, Phase, Seen, Taken
from hombi.core.quality import Quality
from tests.core.automation.world import MIN, RACK, House, program

# It is noon at minute 0; the hours last from minute 30 to 90.
TEXT = f"""[watch]
entity = "{RACK}"
over = "70 %"
until = "65 %"
held = "10 min"
[only]
between = "12:30-13:30"
"""
# How it comes to stand there, and until which minute that takes.
BEGINS: dict[str, list[tuple[int, float]]] = {
    "idle": [(40, 60)],
    "holding": [(40, 75)],
    "waiting": [(0, 75), (10, 75)],
    "on": [(30, 75), (40, 75)],
}
Happens = Callable[[House, int], object]
ROWS: dict[str, Happens] = {
    "a value beyond the limit": lambda house, now: house.says(now + 10, RACK, 75),
    "a value between the limit and `until`": lambda house, now: house.says(now + 1, RACK, 67),
    "a value back at `until`": lambda house, now: house.says(now + 1, RACK, 65),
    "a bad value": lambda house, now: house.step(now + 1, Seen(None, Quality.NO_VALUE, RACK)),
    "time passes": lambda house, now: house.at(now + 10),
    "no value for longer than usual": lambda house, now: house.at(now + 16),
    "its hours begin": lambda house, now: house.at(max(now, 30)),
    "its hours are over": lambda house, now: house.at(max(now, 91)),
    "it is taken off duty": lambda house, now: house.step(now, Taken("off duty")),
}


def table() -> dict[str, dict[str, str]]:
    """The cells by row and state."""
    text = (Path(__file__).parents[3] / "docs/automations.md").read_text()
    lines = text[text.index("| What happens | idle") :].split("\n\n")[0].splitlines()
    head, _, *rows = [[cell.strip() for cell in line.strip("|").split(" | ")] for line in lines]
    return {row[0]: dict(zip(head[1:], row[1:], strict=True)) for row in rows}


def test_the_table_has_these_rows() -> None:
    assert list(table()) == list(ROWS)
    assert all(list(row) == list(BEGINS) for row in table().values())


@pytest.mark.parametrize("row", ROWS)
@pytest.mark.parametrize("begins", BEGINS)
def test_a_cell_of_the_table(row: str, begins: str) -> None:
    # Nothing is too long ago, but where that is what happens.
    rhythm = 15 * MIN if row.startswith("no value") else 24 * 60 * MIN
    house = House(program(TEXT), rhythm_ms=rhythm)
    for minute, value in BEGINS[begins]:
        house.says(minute, RACK, value)
    assert house.state.phase == begins
    before, now = len(house.edges), BEGINS[begins][-1][0]
    if row == "its hours are over" and begins in ("idle", "holding", "on"):
        house.says(89, RACK, 75 if begins == "on" else 60)
        if begins == "holding":
            house.says(89, RACK, 75)
        before = len(house.edges)
    ROWS[row](house, now)
    cell = table()[row][begins]
    said = re.match(r"\*\*(\w+)\*\*", cell)
    assert said is not None
    assert house.state.phase is Phase(said[1]), cell
    edges = [edge.edge for edge in house.edges[before:]]
    starts = "it starts" in cell and "without `held`" not in cell
    expected = [EdgeKind.START] * starts + [EdgeKind.END] * ("it ends" in cell)
    assert edges == expected, cell


def test_what_the_table_says_beside() -> None:
    at_once = House(program(TEXT.replace('held = "10 min"\n', "")))
    at_once.says(40, RACK, 75)
    assert at_once.state.phase is Phase.ON
    stays = House(program(TEXT.replace("held", 'lost = "stay"\nheld')), rhythm_ms=15 * MIN)
    later = House(program(TEXT.replace("held", 'until_held = "5 min"\nheld')))
    for house in (stays, later):
        house.says(30, RACK, 75)
        house.says(40, RACK, 75)
    stays.at(56)
    later.says(41, RACK, 60)
    assert (stays.state.phase, later.state.phase) == (Phase.ON, Phase.ON)
    later.at(46)
    assert later.state.phase is Phase.IDLE
