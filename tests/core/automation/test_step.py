"""The state machine, with a clock of the test's own."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo
from zoneinfo import ZoneInfo

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.automation import (
    Began,
    Called,
    Comparison,
    EdgeKind,
    Event,
    Lost,
    Notify,
    Only,
    Passed,
    Phase,
    Program,
    Seen,
    Sight,
    State,
    Step,
    Switch,
    SwitchTo,
    Taken,
    Tell,
    Watch,
    Why,
    due_ms,
    step,
)
from hombi.core.automation.comparisons.is_ import Is
from hombi.core.automation.comparisons.sides import Over, Under
from hombi.core.kinds import KINDS
from hombi.core.quality import Quality
from tests.core.automation.world import hours

MIN = 60_000
NOON = round(datetime(2026, 11, 25, 12, tzinfo=UTC).timestamp() * 1000)  # a Wednesday
DAMP = Under(82, 86)


def program(
    comparison: Comparison = DAMP,
    held_ms: int = 10 * MIN,
    only: Only = Only(),  # noqa: B008 - frozen
    kind: str = "humidity",
    lost: Lost = Lost.END,
) -> Program:
    watch = Watch("rack/humidity", KINDS[kind], comparison, held_ms, lost)
    starts = (Switch("mister/switch", 1.0), Notify("ada", "{room}", "{entity}: {value}, {held}"))
    return Program("Cellar too dry", "", watch, only, starts, (Switch("mister/switch", 0.0),))


@dataclass
class Here:
    """A world of the test's own."""

    now_ms: int
    zone: tzinfo
    seen: Sight
    time_known: bool = True
    obeyed: bool = False

    def sight(self, entity: str) -> Sight:
        return self.seen

    def called(self, entity: str) -> Called:
        return Called("Rack humidity", "Cellar")


class Run:
    """Steps an automation and keeps its edges."""

    def __init__(self, watched: Program, zone: str = "UTC") -> None:
        self.program, self.zone, self.state = watched, ZoneInfo(zone), State()
        self.edges: list[Why] = []
        # Its rhythm is a day: what is not said here is not for that reason unknown.
        self.sight = Sight(rhythm_ms=24 * 60 * MIN)

    def world(self, minutes: float) -> Here:
        return Here(NOON + round(minutes * MIN), self.zone, self.sight)

    def step(self, minutes: float, event: Event) -> Step:
        done = step(self.program, self.state, event, self.world(minutes))
        self.state = done.state
        if done.why is not None:
            self.edges.append(done.why)
        return done

    def at(self, minutes: float, value: float | None = None) -> Phase:
        self.step(minutes, Passed() if value is None else Seen(value))
        return self.state.phase

    def due(self, minutes: float) -> float | None:
        result = due_ms(self.program, self.state, self.world(minutes))
        return None if result is None else (result - NOON) / MIN


def starts(why: Why) -> bool:
    return why.edge is EdgeKind.START


def test_starts_after_the_hold_and_ends_past_until() -> None:
    run = Run(program())
    assert run.at(0, 84) is Phase.IDLE
    assert run.at(1, 81) is Phase.HOLDING
    assert run.due(1) == 11
    assert run.at(10.9, 80.5) is Phase.HOLDING
    assert run.at(11) is Phase.ON
    assert run.at(20, 84) is Phase.ON, "back over the limit, but not past until"
    assert run.at(30, 86) is Phase.IDLE
    start, end = run.edges
    assert (starts(start), start.seen, start.limit, start.held_ms) == (
        True,
        80.5,
        82,
        10 * MIN,
    )
    assert start.text == "80.5 % under 82 %, held for 10 min"
    assert (starts(end), end.text) == (False, "86.0 %, back past 86 %, after 19 min")


def test_a_short_excursion_does_not_count() -> None:
    run = Run(program())
    run.at(0, 81)
    run.at(9, 82)
    assert run.at(12, 81) is Phase.HOLDING
    assert run.due(12) == 22, "the hold begins again"
    assert run.edges == []


def test_without_a_hold_it_starts_at_once() -> None:
    run = Run(program(Over(28), 0, kind="temperature"))
    assert run.at(0, 28) is Phase.IDLE
    assert run.at(1, 28.1) is Phase.ON
    assert run.at(2, 28) is Phase.IDLE
    assert [starts(e) for e in run.edges] == [True, False]


def test_a_state_is_watched_until_it_is_another_one() -> None:
    run = Run(program(Is(1), 4 * MIN, kind="contact"))
    run.at(0, 1)
    assert run.at(4) is Phase.ON
    assert run.edges[0].text == "it is open, held for 4 min"
    assert run.at(6, 0) is Phase.IDLE
    assert run.edges[1].text == "it is closed, after 2 min"


def test_waits_for_its_hours_and_starts_when_they_come() -> None:
    run = Run(program(only=Only(hours(13 * 60, 14 * 60))))
    run.at(0, 80)
    assert run.at(10) is Phase.WAITING
    assert run.edges == []
    assert run.due(10) == 60
    assert run.at(60) is Phase.ON
    assert run.edges[0].held_ms == 60 * MIN


def test_ends_with_its_hours_and_comes_back_with_them_without_a_second_hold() -> None:
    run = Run(program(only=Only(hours(12 * 60, 13 * 60))))
    run.at(0, 80)
    run.at(10)
    assert run.due(10) == 60
    assert run.at(60) is Phase.WAITING
    assert run.edges[-1].text == "its hours were over, after 50 min"
    assert run.due(60) == 24 * 60
    assert run.at(24 * 60) is Phase.ON


def test_an_excursion_that_ends_while_waiting_never_started() -> None:
    run = Run(program(only=Only(hours(13 * 60, 14 * 60))))
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
    only = Only(between and hours(*between), frozenset(days))
    assert only.allows(at, ZoneInfo("Europe/Berlin")) is allowed


def test_hours_are_house_time_also_when_the_clocks_change() -> None:
    zone, only = ZoneInfo("Europe/Berlin"), Only(hours(8 * 60, 9 * 60))
    before = round(
        datetime(2026, 10, 24, 12, tzinfo=zone).timestamp() * 1000
    )  # the clocks go back that night
    change = only.next_change_ms(before, zone)
    assert change is not None
    assert change - before == 21 * 60 * MIN


def test_what_never_changes_has_no_next_change() -> None:
    assert Only().next_change_ms(NOON, ZoneInfo("UTC")) is None
    assert Only(hours(0, 1440)).next_change_ms(NOON, ZoneInfo("UTC")) is None


@given(
    st.lists(st.tuples(st.floats(0.1, 30), st.one_of(st.none(), st.floats(70, 95))), max_size=60),
    st.sampled_from(
        [
            Only(),
            Only(hours(12 * 60, 13 * 60)),
            Only(hours(23 * 60, 60)),
            Only(None, frozenset({2})),
        ]
    ),
    st.sampled_from([0, 10 * MIN]),
)
def test_edges_alternate_and_each_start_was_deserved(
    steps: list[tuple[float, float | None]], only: Only, held_ms: int
) -> None:
    run, now = Run(program(only=only, held_ms=held_ms)), 0.0
    for pause, value in steps:
        now += pause
        run.at(now, value)
    assert [starts(e) for e in run.edges] == [place % 2 == 0 for place in range(len(run.edges))]
    for edge in run.edges:
        if starts(edge):
            assert edge.seen < 82
            assert edge.held_ms >= held_ms
            assert only.allows(edge.at_ms, ZoneInfo("UTC"))


@given(st.lists(st.tuples(st.floats(0.1, 30), st.floats(70, 95)), min_size=1, max_size=40))
def test_a_state_that_was_kept_goes_on_as_if_nothing_had_happened(
    steps: list[tuple[float, float]],
) -> None:
    whole, broken, now = Run(program()), Run(program()), 0.0
    for pause, value in steps:
        now += pause
        whole.at(now, value)
        kept = broken.state
        broken.state = msgspec.convert(msgspec.to_builtins(kept), State)
        broken.at(now, value)
    assert whole.edges == broken.edges


def test_what_is_to_be_done_comes_with_the_edge_as_values() -> None:
    run = Run(program())
    assert run.step(0, Seen(81)).effects == ()
    assert run.step(10, Passed()).effects == (
        SwitchTo("mister/switch", 1.0),
        Tell("ada", "Cellar", "Rack humidity: 81.0 %, 10 min"),
    )
    assert run.step(20, Seen(87)).effects == (SwitchTo("mister/switch", 0.0),)
    assert SwitchTo("mister/switch", 0.0).spoken(str.upper) == "MISTER/SWITCH off"


@pytest.mark.parametrize("silently", [False, True])
def test_one_that_is_taken_off_duty_ends_as_its_text_says_unless_it_is_left(
    silently: bool,
) -> None:
    run = Run(program(held_ms=0))
    run.at(0, 81)
    done = run.step(5, Taken("it was removed", silently))
    assert (done.state, bool(done.effects)) == (State(), not silently)
    assert done.why is not None
    assert done.why.text == "it was removed, after 5 min"
    assert run.step(6, Taken("it was removed")).why is None, "what is not on does not end"


@pytest.mark.parametrize(
    ("sight", "phase"),
    [
        (Sight(value=70, known=True), Phase.ON),
        (Sight(value=70, quality=Quality.OUT_OF_RANGE, known=True), Phase.IDLE),
        (Sight(value=70, known=True, silent=True), Phase.IDLE),
        (Sight(), Phase.IDLE),
    ],
)
def test_a_new_one_looks_at_what_is_known_if_it_can_be_believed(sight: Sight, phase: Phase) -> None:
    run = Run(program(held_ms=0))
    run.sight = sight
    run.step(0, Began())
    assert run.state.phase is phase


def test_a_bad_value_is_no_ground_to_act_and_breaks_a_hold() -> None:
    run = Run(program())
    run.at(0, 81)
    run.step(5, Seen(81, Quality.STUCK))
    assert (run.state.phase, run.state.value) == (Phase.IDLE, None)
    run.step(6, Seen(None, Quality.NO_VALUE))
    assert run.at(7, 81) is Phase.HOLDING
    assert run.due(7) == 17


@pytest.mark.parametrize(("lost", "phase"), [(Lost.END, Phase.IDLE), (Lost.STAY, Phase.ON)])
def test_what_is_on_and_not_heard_for_longer_than_its_rhythm_ends_or_stays(
    lost: Lost, phase: Phase
) -> None:
    run = Run(program(held_ms=0, lost=lost))
    run.sight = run.sight._replace(rhythm_ms=3 * MIN)
    run.at(0, 81)
    assert run.at(3) is Phase.ON
    done = run.step(3.1, Passed())
    assert done.state.phase is phase
    assert done.why is not None
    assert done.why.lost
    told = [effect for effect in done.effects if isinstance(effect, Tell)]
    assert [(one.to, one.title) for one in told] == [("ada", "Rack humidity is not heard")]
    assert run.step(4, Passed()).why is None, "it is said once"


def test_a_door_is_known_as_long_as_its_node_is_heard() -> None:
    run = Run(program(Is(1), 4 * MIN, kind="contact"))
    run.at(0, 1)
    run.sight = run.sight._replace(present=False)
    assert run.due(1) is None, "nobody knows how it stands"
    assert run.at(5) is Phase.HOLDING
    run.sight = run.sight._replace(present=True)
    assert run.at(6) is Phase.ON
