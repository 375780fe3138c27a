from __future__ import annotations

import time

import pytest

from hombi.cli.drawing import ago, counted, moment, sparkline
from hombi.wire.entities import History


def history(at: list[int], mean: list[float]) -> History:
    return History(
        entity="a/b", unit="%", start=0, end=1000, width_ms=10,
        at=at, mean=mean, low=mean, high=mean, count=[1] * len(at),
    )  # fmt: skip


def test_a_course_is_drawn_from_its_lowest_to_its_highest() -> None:
    assert (
        sparkline(
            history(
                [50, 150, 250, 350, 450, 550, 650, 750, 850, 950], [0, 1, 2, 3, 4, 5, 6, 7, 8, 9]
            ),
            10,
        )
        == "▁▁▂▃▄▅▆▇██"
    )
    assert sparkline(history([50, 550], [3, 3]), 2) == "▁▁"
    assert sparkline(history([], []), 10) == ""


def test_a_slow_node_leaves_no_holes_one_that_was_away_does() -> None:
    assert sparkline(history([0, 300, 600, 900], [0, 1, 0, 1]), 10) == "▁▁▁███▁▁▁█"
    assert sparkline(history([0, 900], [0, 1]), 10) == "▁▁▁▁     █"


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(0, "0 s"), (59, "59 s"), (61, "1 min"), (7300, "2 h"), (200_000, "2 d"), (-5, "0 s")],
)
def test_how_long_ago(seconds: int, words: str) -> None:
    assert (
        ago(
            round((time.time() - seconds - 0.2) * 1000)
            if seconds >= 0
            else round((time.time() + 5) * 1000)
        )
        == words
    )


def test_times_for_programs_are_rfc_3339() -> None:
    assert moment(1_795_571_521_717) == "2026-11-25T01:52:01.717Z"
    assert moment(None) is None
    assert ago(None) == "never"


def test_things_are_counted_in_their_own_plural() -> None:
    assert [
        counted(1, "phone"),
        counted(2, "phone"),
        counted(0, "entity"),
        counted(1, "entity"),
    ] == [
        "1 phone",
        "2 phones",
        "0 entities",
        "1 entity",
    ]
