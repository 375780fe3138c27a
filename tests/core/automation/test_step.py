"""The state machine, with a clock of the test's own."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.automation import (
    Automation,
    Condition,
    Edge,
    Only,
    Phase,
    State,
    Watch,
    due_ms,
    step,
)
from hombi.core.kinds import KINDS

MIN = 60_000
NOON = round(datetime(2026, 11, 25, 12, tzinfo=UTC).timestamp() * 1000)  # a Wednesday


def automation(
    condition: Condition = Condition.UNDER,
    limit: float = 82,
    until: float | None = 86,
    held_ms: int = 10 * MIN,
    only: Only = Only(),  # noqa: B008 - frozen
    kind: str = "humidity",
) -> Automation:
    return Automation(
        "Cellar too dry",
        "",
        Watch("rack/humidity", KINDS[kind], condition, limit, until, held_ms),
        only,
        (),
        (),
    )


class Run:
    """Steps an automation and keeps its edges."""

    def __init__(self, watched: Automation, zone: str = "UTC") -> None:
        self.automation, self.zone, self.state, self.edges = (
            watched,
            ZoneInfo(zone),
            State(),
            list[Edge](),
        )

    def at(self, minutes: float, value: float | None = None) -> Phase:
        self.state, edge = step(
            self.automation, self.state, NOON + round(minutes * MIN), self.zone, value
        )
        if edge is not None:
            self.edges.append(edge)
        return self.state.phase

    def due(self, minutes: float) -> float | None:
        found = due_ms(self.automation, self.state, NOON + round(minutes * MIN), self.zone)
        return None if found is None else (found - NOON) / MIN


def test_starts_after_the_hold_and_ends_past_until() -> None:
    run = Run(automation())
    assert run.at(0, 84) is Phase.IDLE
    assert run.at(1, 81) is Phase.HOLDING
    assert run.due(1) == 11
    assert run.at(10.9, 80.5) is Phase.HOLDING
    assert run.at(11) is Phase.ON
    assert run.at(20, 84) is Phase.ON, "back over the limit, but not past until"
    assert run.at(30, 86) is Phase.IDLE
    start, end = run.edges
    assert (start.starts, start.why.seen, start.why.limit, start.why.held_ms) == (
        True,
        80.5,
        82,
        10 * MIN,
    )
    assert start.why.text == "80.5 % under 82 %, held for 10 min"
    assert (end.starts, end.why.text) == (False, "86.0 %, back past 86 %, after 19 min")


def test_a_short_excursion_does_not_count() -> None:
    run = Run(automation())
    run.at(0, 81)
    run.at(9, 82)
    assert run.at(12, 81) is Phase.HOLDING
    assert run.due(12) == 22, "the hold begins anew"
    assert run.edges == []


def test_without_a_hold_it_starts_at_once() -> None:
    run = Run(automation(Condition.OVER, 28, None, 0, kind="temperature"))
    assert run.at(0, 28) is Phase.IDLE
    assert run.at(1, 28.1) is Phase.ON
    assert run.at(2, 28) is Phase.IDLE
    assert [e.starts for e in run.edges] == [True, False]


def test_a_state_is_watched_until_it_is_another_one() -> None:
    run = Run(automation(Condition.IS, 1, None, 4 * MIN, kind="contact"))
    run.at(0, 1)
    assert run.at(4) is Phase.ON
    assert run.edges[0].why.text == "it is open, held for 4 min"
    assert run.at(6, 0) is Phase.IDLE
    assert run.edges[1].why.text == "it is closed, after 2 min"


def test_waits_for_its_hours_and_starts_when_they_come() -> None:
    run = Run(automation(only=Only((13 * 60, 14 * 60))))
    run.at(0, 80)
    assert run.at(10) is Phase.WAITING
    assert run.edges == []
    assert run.due(10) == 60
    assert run.at(60) is Phase.ON
    assert run.edges[0].why.held_ms == 60 * MIN


def test_ends_with_its_hours_and_comes_back_with_them_without_a_second_hold() -> None:
    run = Run(automation(only=Only((12 * 60, 13 * 60))))
    run.at(0, 80)
    run.at(10)
    assert run.due(10) == 60
    assert run.at(60) is Phase.WAITING
    assert run.edges[-1].why.text == "its hours were over, after 50 min"
    assert run.due(60) == 24 * 60
    assert run.at(24 * 60) is Phase.ON


def test_an_excursion_that_ends_while_waiting_never_started() -> None:
    run = Run(automation(only=Only((13 * 60, 14 * 60))))
    run.at(0, 80)
    run.at(10)
    assert run.at(20, 85) is Phase.IDLE
    assert run.at(60) is Phase.IDLE
    assert run.edges == []


@pytest.mark.parametrize(
    ("between", "days", "hour", "day", "allowed"),
    [
        ((360, 1320), (), 6, 0, True),
        ((360, 1320), (), 22, 0, False),
        ((1320, 360), (), 23, 0, True),
        ((1320, 360), (), 5, 0, True),
        ((1320, 360), (), 12, 0, False),
        ((1320, 360), (4,), 5, 5, True),  # Saturday morning still belongs to Friday's night
        ((1320, 360), (4,), 23, 5, False),
        (None, (5, 6), 12, 5, True),
        (None, (5, 6), 12, 4, False),
        ((0, 1440), (), 23, 3, True),
    ],
)
def test_hours_and_days(
    between: tuple[int, int] | None, days: tuple[int, ...], hour: int, day: int, allowed: bool
) -> None:
    monday = datetime(2026, 11, 23, hour, tzinfo=ZoneInfo("Europe/Berlin")).timestamp() * 1000
    at = round(monday) + day * 24 * 60 * MIN
    assert Only(between, frozenset(days)).allows(at, ZoneInfo("Europe/Berlin")) is allowed


def test_hours_are_house_time_also_when_the_clocks_change() -> None:
    zone, only = ZoneInfo("Europe/Berlin"), Only((8 * 60, 9 * 60))
    before = round(
        datetime(2026, 10, 24, 12, tzinfo=zone).timestamp() * 1000
    )  # the clocks go back that night
    change = only.next_change_ms(before, zone)
    assert change is not None
    assert change - before == 21 * 60 * MIN


def test_what_never_changes_has_no_next_change() -> None:
    assert Only().next_change_ms(NOON, ZoneInfo("UTC")) is None
    assert Only((0, 1440)).next_change_ms(NOON, ZoneInfo("UTC")) is None


@given(
    st.lists(st.tuples(st.floats(0.1, 30), st.one_of(st.none(), st.floats(70, 95))), max_size=60),
    st.sampled_from(
        [Only(), Only((12 * 60, 13 * 60)), Only((23 * 60, 60)), Only(None, frozenset({2}))]
    ),
    st.sampled_from([0, 10 * MIN]),
)
def test_edges_alternate_and_each_start_was_deserved(
    steps: list[tuple[float, float | None]], only: Only, held_ms: int
) -> None:
    run, now = Run(automation(only=only, held_ms=held_ms)), 0.0
    for pause, value in steps:
        now += pause
        run.at(now, value)
    assert [e.starts for e in run.edges] == [place % 2 == 0 for place in range(len(run.edges))]
    for edge in run.edges:
        if edge.starts:
            assert edge.why.seen < 82
            assert edge.why.held_ms >= held_ms
            assert only.allows(edge.at_ms, ZoneInfo("UTC"))


@given(st.lists(st.tuples(st.floats(0.1, 30), st.floats(70, 95)), min_size=1, max_size=40))
def test_a_state_that_was_kept_goes_on_as_if_nothing_had_happened(
    steps: list[tuple[float, float]],
) -> None:
    whole, broken, now = Run(automation()), Run(automation()), 0.0
    for pause, value in steps:
        now += pause
        whole.at(now, value)
        kept = broken.state
        broken.state = State(Phase(str(kept.phase)), kept.since_ms, kept.value)
        broken.at(now, value)
    assert whole.edges == broken.edges
