"""What each part of an automation said over a day, line by line."""

from __future__ import annotations

from hombi.core.automation import parse
from hombi.core.automation.lanes import Lane, lanes
from hombi.core.automation.replay import Course
from hombi.core.kinds import KINDS
from hombi.core.quality import Quality
from hombi.core.series import Reading
from tests.core.automation.test_replay import (
    DAY,
    MIN,
    NOON,
    ZONE,
    course,
    heard_each,
    program,
    readings,
)
from tests.core.automation.world import FACTS


def said(lane: Lane) -> list[tuple[float, bool | None]]:
    """In minutes from noon on."""
    return [((at - NOON) / MIN, so) for at, so in zip(lane.since_ms, lane.said, strict=True)]


def test_a_value_says_yes_no_or_that_nothing_is_known() -> None:
    every = readings(*((n, 84.0 if n < 5 or n > 10 else 81.0) for n in range(-20, 20)))
    every[29] = Reading(every[29].at_ms, 0, 999.0, 999.0, Quality.OUT_OF_RANGE)
    known = course(every, rhythm=heard_each(MIN))
    (lane,) = lanes(program(), known, (NOON, NOON + 60 * MIN), ZONE)
    assert lane.text == "Rack humidity under 82 %"
    assert said(lane)[:5] == [(0, False), (5, True), (9, None), (10, True), (11, False)]
    # Nothing more is heard: after its usual silence, nothing is known.
    assert said(lane)[5][1] is None
    assert 20 < said(lane)[5][0] < 30


def test_the_hours_and_what_else_must_be_so_have_their_lines() -> None:
    parsed = parse(
        'name = "Dry"\n[watch]\nentity = "rack/humidity"\nunder = "82 %"\n'
        '[only]\nbetween = "12:30-13:00"\n'
        'when = [ { entity = "door/contact", is = "closed" } ]\n'
        '[[starts]]\nswitch = "mister/switch"\nto = "on"\n',
        FACTS,
    )
    assert parsed.program is not None, parsed.mistakes
    door = [Reading(NOON - MIN, 0, 0.0, 0.0), Reading(NOON + 10 * MIN, 0, 1.0, 1.0)]
    courses = {
        "rack/humidity": Course("Rack humidity", "", KINDS["humidity"], []),
        "door/contact": Course("Door", "", KINDS["contact"], door),
    }
    made = lanes(parsed.program, courses, (NOON, NOON + 120 * MIN), ZONE)
    assert [one.text for one in made] == [
        "Rack humidity under 82 %", "Door closed", "only from 12:30 to 13:00",
    ]  # fmt: skip
    assert [said(one) for one in made] == [
        [(0, None)],
        [(0, True), (10, False)],
        [(0, False), (30, True), (60, False)],
    ]


def test_a_span_in_which_a_line_would_say_nothing_has_none() -> None:
    assert lanes(program(), course([]), (NOON, NOON + 3 * DAY), ZONE) == []
