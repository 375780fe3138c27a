"""An automation over the past comes to what it would have come to live."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.automation import (
    Comparison,
    EdgeKind,
    Effect,
    Handled,
    Lost,
    Only,
    Passed,
    Phase,
    Program,
    Seen,
    State,
    Switch,
    SwitchTo,
    Watch,
    Why,
    due_ms,
    parse,
    step,
)
from hombi.core.automation.comparisons.is_ import Is
from hombi.core.automation.comparisons.sides import Over, Under
from hombi.core.automation.replay import Course, Hand, Past, Replayed, _Follows, replay
from hombi.core.kinds import AT_HOME, KINDS
from hombi.core.quality import Quality
from hombi.core.rhythm import Rhythm
from hombi.core.series import Reading
from tests.core.automation.world import FACTS, hours

MIN, DAY = 60_000, 86_400_000
# How often what is on is looked at, live.
EVERY_MS = 5_000
NOON = round(datetime(2026, 11, 25, 12, tzinfo=UTC).timestamp() * 1000)
ZONE = ZoneInfo("UTC")


def program(
    comparison: Comparison = Under(82, 86),  # noqa: B008 - frozen
    held_ms: int = 10 * MIN,
    only: Only = Only(),  # noqa: B008 - frozen
    kind: str = "humidity",
    lost: Lost = Lost.END,
) -> Program:
    watch = Watch("rack/humidity", KINDS[kind], comparison, held_ms, lost)
    mister = "mister/switch"
    return Program("Too dry", "", watch, only, (Switch(mister, 1.0),), (Switch(mister, 0.0),))


def heard_each(gap_ms: float) -> Rhythm:
    """What is known of a value that has come so often for two days."""
    rhythm = Rhythm()
    for _ in range(round(2 * DAY / gap_ms)):
        rhythm.learn(gap_ms)
    return rhythm


def course(
    readings: Sequence[Reading], kind: str = "humidity", rhythm: Rhythm | None = None
) -> dict[str, Course]:
    known = Course("Rack humidity", "Cellar", KINDS[kind], readings, rhythm=rhythm)
    return {"rack/humidity": known}


def readings(*said: tuple[float, float | None]) -> list[Reading]:
    return [
        Reading(NOON + round(at * MIN), 0, v, v, Quality.NO_VALUE if v is None else Quality.GOOD)
        for at, v in said
    ]


def over(made: Program, said: list[Reading], hours: int = 24, kind: str = "humidity") -> Replayed:
    return replay(made, course(said, kind), NOON, NOON + hours * 60 * MIN, ZONE)


def test_a_day_by_hand() -> None:
    every = [(5.0 * n, 84.0) for n in range(6)]  # dry from 12:30, for 5 min; then for 20 min
    every += [(30, 81), (35, 83), (40, 81), (45, 80), (50, 80), (55, 81), (60, 85), (65, 86)]
    result = over(program(), readings(*every))
    start, end = result.acted
    assert (start.why.edge, start.why.at_ms) == (EdgeKind.START, NOON + 50 * MIN)
    assert start.why.text == "80.0 % under 82 %, held for 10 min"
    assert start.effects == (SwitchTo("mister/switch", 1.0),)
    assert (end.why.at_ms, end.effects) == (NOON + 65 * MIN, (SwitchTo("mister/switch", 0.0),))
    assert result.on(NOON, NOON + DAY) == [(NOON + 50 * MIN, NOON + 65 * MIN)]
    assert [(m.before, m.after) for m in result.moves] == [
        (Phase.IDLE, Phase.HOLDING), (Phase.HOLDING, Phase.IDLE),
        (Phase.IDLE, Phase.HOLDING), (Phase.HOLDING, Phase.ON), (Phase.ON, Phase.IDLE),
    ]  # fmt: skip


def test_what_is_not_heard_any_more_ends_when_its_time_is_over() -> None:
    said = readings(*[(float(n), 80.0) for n in range(30)])
    usual = course(said, rhythm=heard_each(MIN))
    (start, end) = replay(program(), usual, NOON, NOON + DAY, ZONE).acted
    assert (start.why.at_ms - NOON) / MIN == 10
    assert end.why.lost
    # Three times the usual minute after the last one.
    assert (end.why.at_ms - NOON) / MIN == pytest.approx(32, abs=0.01)
    stays = replay(program(lost=Lost.STAY), usual, NOON, NOON + DAY, ZONE)
    assert [one.why.edge for one in stays.acted] == [EdgeKind.START, EdgeKind.LOST]
    assert stays.on(NOON, NOON + DAY)[-1][1] == NOON + DAY


def test_hours_begin_and_end_it_between_readings() -> None:
    said = readings(*[(float(n), 80.0) for n in range(0, 600, 2)])
    result = over(program(only=Only(hours(13 * 60, 14 * 60))), said)
    assert [(one.why.at_ms - NOON) / MIN for one in result.acted] == [60, 120]
    assert result.acted[1].why.text.startswith("its hours were over")


def test_a_door_holds_for_hours_without_a_word() -> None:
    made = program(Is(1), 4 * MIN, kind="contact")
    result = over(made, readings((0, 0), (10, 1), (300, 0)), kind="contact")
    assert [(one.why.at_ms - NOON) / MIN for one in result.acted] == [14, 300]


def test_what_was_on_before_the_span_is_on_in_it() -> None:
    said = readings(*[(float(n), 80.0) for n in range(100)])
    result = replay(program(), course(said), NOON + 30 * MIN, NOON + 60 * MIN, ZONE)
    assert result.acted == []
    assert result.on(NOON + 30 * MIN, NOON + 60 * MIN) == [(NOON + 30 * MIN, NOON + 60 * MIN)]


def live(
    made: Program, said: list[Reading], end: int, hands: Sequence[Hand] = ()
) -> list[tuple[Why, tuple[Effect, ...]]]:
    """Stepped as the hub does: with each reading and each hand, at each due moment, and
    every few seconds while it is on."""
    world, state, edges = Past(course(said), ZONE), State(), []
    pending, theirs, due = list(said), list(hands), None
    for now in range(said[0].at_ms, end, EVERY_MS):
        events: list[Seen | Passed | Handled] = []
        while theirs and theirs[0].at_ms <= now:
            events.append(Handled(theirs.pop(0).entity))
        while pending and pending[0].at_ms <= now:
            one = pending.pop(0)
            world.hear("rack/humidity", one)
            events.append(Seen(one.value, one.quality))
        world.now_ms = now
        # What is heard at the moment at which something is due comes first.
        for event in (*events, Passed()):
            if isinstance(event, Seen | Handled) or state.phase is Phase.ON or (due and due <= now):
                done = step(made, state, event, world)
                state = done.state
                due = due_ms(made, state, world)
                if done.why:
                    edges.append((done.why, done.effects))
    return edges


@given(
    st.lists(
        st.tuples(st.integers(1, 12), st.none() | st.sampled_from([79.0, 81.0, 82.0, 84.0, 87.0])),
        min_size=1, max_size=30,
    ),
    st.sampled_from([Only(), Only(hours(12 * 60 + 30, 13 * 60)), Only(hours(23 * 60, 60))]),
    st.sampled_from([0, 10 * MIN]),
    st.sampled_from(list(Lost)),
    st.sampled_from([Under(82, 86), Over(82), Is(82)]),
    st.none() | st.sampled_from([Over(80), Under(83)]),
    st.sets(st.integers(1, 150), max_size=4),
)  # fmt: skip
def test_it_comes_to_what_live_comes_to(
    said: list[tuple[int, float | None]], only: Only, held: int, lost: Lost, compared: Comparison,
    also: Comparison | None, hands: set[int],
) -> None:  # fmt: skip
    made = program(compared, held, only, lost=lost)
    if also is not None:  # its own value once more
        made = replace(made, when=(Watch("rack/humidity", KINDS["humidity"], also),))
    at, all_of_it = 0, []
    for gap, value in said:
        at += gap
        all_of_it += readings((at, value))
    end = all_of_it[-1].at_ms + 45 * MIN
    # Half a minute after a reading may come: nothing else is at that moment.
    theirs = [
        Hand(NOON + at * MIN + MIN // 2, "mister/switch", "ada")
        for at in sorted(hands)
        if NOON + at * MIN < end
    ]
    result = replay(made, course(all_of_it), NOON, end, ZONE, hands=theirs)
    wanted = live(made, all_of_it, end, theirs)
    assert [(one.why.edge, one.why.lost, one.effects) for one in result.acted] == [
        (one.edge, one.lost, effects) for one, effects in wanted
    ]
    for mine, (why, _) in zip(result.acted, wanted, strict=True):
        assert abs(mine.why.at_ms - why.at_ms) <= EVERY_MS


def test_what_a_person_sets_is_left_alone_until_it_starts_anew() -> None:
    dry_twice = readings((0, 84), (10, 80), (30, 80), (40, 87), (60, 80), (80, 80), (90, 87))
    hand = Hand(NOON + 35 * MIN, "mister/switch", "ada")
    for hands, wanted in (((), [1.0, 0.0, 1.0, 0.0]), ((hand,), [1.0, 1.0, 0.0])):
        result = replay(program(), course(dry_twice), NOON, NOON + DAY, ZONE, hands=hands)
        assert len(result.acted) == 4
        assert [effect.to for effect in result.effects if isinstance(effect, SwitchTo)] == wanted


WITH_FORMULA = """name = "x"
[watch]
entity = "rack/humidity"
over = "= beam/humidity {more} %"
{until}
{held}
[only]
{only}
[[starts]]
switch = "mister/switch"
to = "on"
[[ends]]
switch = "mister/switch"
to = "off"
"""
# What is watched moves a limit of `when`, which ends it.
WHEN = 'when = [ { entity = "beam/humidity", over = "= rack/humidity - 8 %" } ]'


def test_a_limit_of_when_that_follows_what_is_watched_ends_it() -> None:
    """Also where the watched limit is a value."""
    text = WITH_FORMULA.format(until="", held="", only=WHEN, more="")
    text = text.replace('over = "= beam/humidity  %"', 'over = "45 %"')
    made = parse(text, FACTS).program
    assert made is not None
    heard = {"beam/humidity": readings((0, 44)), "rack/humidity": readings((1, 48), (2, 60))}
    courses = {one: Course(one, "", KINDS["humidity"], heard[one]) for one in heard}
    result = replay(made, courses, NOON, NOON + 5 * MIN, ZONE)
    assert [(one.why.edge, one.why.at_ms) for one in result.acted] == [
        (EdgeKind.START, NOON + MIN),
        (EdgeKind.END, NOON + 2 * MIN),
    ]


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["rack/humidity", "beam/humidity"]),
            st.sampled_from([1, 2, 5, 5, 5, 40]),
            st.none() | st.sampled_from([40.0, 44.0, 47.0, 50.0, 52.0, 60.0]),
        ),
        min_size=1, max_size=60,
    ),
    st.sampled_from(["", 'until = "= beam/humidity - 4 %"', 'until = "42 %"']),
    st.sampled_from(["", 'held = "7 min"']),
    st.sampled_from(["", 'between = "12:30-14:00"', WHEN]),
    st.sampled_from(["- 3", "+ 0", "+ 2"]),
    st.sampled_from([None, 2 * MIN, 5 * MIN]),
)  # fmt: skip
def test_a_limit_that_follows_comes_to_the_same_without_a_step_for_each_reading(
    said: list[tuple[str, int, float | None]], until: str, held: str, only: str, more: str,
    rhythm: int | None,
) -> None:  # fmt: skip
    text = WITH_FORMULA.format(until=until, held=held, only=only, more=more)
    made = parse(text, FACTS).program
    assert made is not None
    at, heard = 0.0, dict[str, list[Reading]]()
    for entity, gap, value in said:
        at += gap
        heard.setdefault(entity, []).extend(readings((at, value)))
    known = None if rhythm is None else heard_each(rhythm)
    courses = {
        one: Course(one, "", KINDS["humidity"], heard.get(one, []), rhythm=known)
        for one in ("rack/humidity", "beam/humidity")
    }
    end = NOON + round(at + 60) * MIN
    quick = replay(made, courses, NOON, end, ZONE)
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(_Follows, "of", lambda *_: None)
        stepped = replay(made, courses, NOON, end, ZONE)
    assert (quick.acted, quick.moves) == (stepped.acted, stepped.moves)
    assert quick.state == stepped.state


def test_a_moment_at_which_the_span_begins_counts() -> None:
    made = parse('name = "x"\n[watch]\nat = "12:00"\n[[starts]]\nwait = "1 min"\n', FACTS).program
    assert made is not None
    noon = round(datetime(2026, 11, 25, 12, tzinfo=ZONE).timestamp() * 1000)
    assert len(replay(made, {}, noon, noon + MIN, ZONE).acted) == 1
    assert len(replay(made, {}, noon + 1, noon + MIN, ZONE).acted) == 0


def test_somebody_who_must_be_home_may_be_who_is_watched() -> None:
    text = (
        'name = "x"\n[watch]\nentity = "house/ada"\nis = "home"\n[only]\nhome = "ada"\n'
        '[[starts]]\nnotify = "ada"\ntitle = "x"\n'
    )
    made = parse(text, FACTS).program
    assert made is not None
    told = [(0, 0.0), (10, 1.0), (20, 1.0), (30, 0.0)]
    course = Course("Ada", "", KINDS[AT_HOME], readings(*told))
    result = replay(made, {"house/ada": course}, NOON, NOON + DAY, ZONE)
    assert [(one.why.at_ms - NOON) / MIN for one in result.acted] == [10, 30]
