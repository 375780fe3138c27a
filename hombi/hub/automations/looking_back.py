"""Automations over the past: what one would have done, and where it stood at a moment.
Reading and replaying take a while, so they are done outside of the hub's loop."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import tzinfo

from hombi.core.automation import (
    Account,
    Course,
    Program,
    Replayed,
    account,
    advise,
    limits,
    replay,
)
from hombi.core.automation.account import BACK_MS, Beside, back_ms
from hombi.core.automation.advice import Limit
from hombi.core.automation.lanes import Lane, lanes
from hombi.core.automation.replay import Hand, Overtaken, never
from hombi.core.formula import past_of
from hombi.core.series import DAY_MS
from hombi.core.series.course import Course as Running
from hombi.core.series.course import made_by, marks_in
from hombi.core.series.running import MovingMean
from hombi.hub.automations.events import AutomationLeavesAlone
from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import Entity
from hombi.hub.kernel.journal_port import JournalPort
from hombi.hub.readings.port import HistoryPort

MOST_READINGS, MOST_MOMENTS, MOST_HANDS = 300_000, 20_000, 10_000
LONGEST_MS = 400 * DAY_MS
FURTHER = 10


@dataclass(frozen=True, slots=True)
class LookedBack:
    """What a replay came to, with what is to be said of it."""

    replayed: Replayed
    known_from: int | None
    advice: list[str]
    limits: list[Limit]
    lanes: list[Lane]


def looked_back(
    program: Program,
    entities: dict[str, Entity],
    history: HistoryPort,
    span: tuple[int, int],
    zone: tzinfo,
    overtaken: Callable[[], bool] = never,
    hands: Iterable[Hand] = (),
) -> LookedBack:
    """Run an automation over a span of the past. `entities` are snapshots of those that
    it names, `hands` what people set in it. Raises Invalid; Refused once it is
    `overtaken`."""
    try:
        return _looked_back(program, entities, history, span, zone, overtaken, hands)
    except Overtaken as error:
        raise Refused("a later look back was asked for meanwhile") from error


class Turns:
    """Of the looks back that somebody asks for one after another, while a limit is
    dragged, the last one alone is worth finishing."""

    MOST = 200

    def __init__(self) -> None:
        self._latest: dict[tuple[str, str], int] = {}

    def begin(self, who: str, what: str) -> Callable[[], bool]:
        """One more; what says whether another one has begun since."""
        key = (who, what)
        number = self._latest.pop(key, 0) + 1
        self._latest[key] = number
        if len(self._latest) > self.MOST:
            del self._latest[next(iter(self._latest))]
        return lambda: self._latest.get(key, number) != number


def _looked_back(
    program: Program,
    entities: dict[str, Entity],
    history: HistoryPort,
    span: tuple[int, int],
    zone: tzinfo,
    overtaken: Callable[[], bool],
    hands: Iterable[Hand],
) -> LookedBack:
    start, end = span
    if not 0 <= start < end:
        raise Invalid("start must come before end, and both are ms since 1970")
    if end - start > LONGEST_MS:
        raise Invalid(f"{LONGEST_MS // DAY_MS} days are looked back over at most")
    moment = program.moment
    if moment is not None and moment.every_ms and (end - start) / moment.every_ms > MOST_MOMENTS:
        raise Invalid(f"that makes more than {MOST_MOMENTS:,} starts; choose a shorter span")
    courses = _courses(entities, history, start - BACK_MS, end)
    watched = courses.get(program.watch.entity)
    replayed = replay(program, courses, start, end, zone, overtaken, hands)
    advice = advise(program, watched, replayed, span, zone)
    if watched is None:  # it watches the clock
        return LookedBack(replayed, start, advice, [], lanes(program, courses, span, zone))
    # A reading from before the span says how it stood when that began.
    first = max(start, watched.readings[0].at_ms) if watched.readings else None
    said = lanes(program, courses, span, zone)
    tried = limits(program, watched, span, zone, overtaken)
    return LookedBack(replayed, first, advice, tried, said)


def hands_in(journal: JournalPort, start_ms: int, end_ms: int) -> tuple[Hand, ...]:
    """What people set in a span, as far as automations left it alone then; oldest
    first."""
    event = AutomationLeavesAlone.__name__
    rows = journal.entries(MOST_HANDS, since_ms=start_ms, until_ms=end_ms, event=event)
    hands = {(row.at_ms, row.entity): Hand(row.at_ms, row.entity, row.data["by"]) for row in rows}
    return tuple(hands[key] for key in sorted(hands))


def accounted(
    program: Program,
    entities: dict[str, Entity],
    history: HistoryPort,
    at_ms: int,
    zone: tzinfo,
    beside: Beside,
) -> Account:
    """Where an automation stood at a moment, by its present text, and by what is known
    `beside` the readings. Raises Invalid."""
    back = back_ms(program) + BACK_MS

    def looked(back_ms: int) -> Account:
        courses = _courses(entities, history, at_ms - back_ms, at_ms + 1)
        return account(program, courses, at_ms, zone, beside)

    result = looked(back)
    if not result.whole:
        # It was on for as long as was looked back: since when is worth a longer look.
        with contextlib.suppress(Invalid):  # more readings than are looked through
            result = looked(FURTHER * back)
    return result


def _courses(
    entities: dict[str, Entity], history: HistoryPort, start: int, end: int
) -> dict[str, Course]:
    result = {}
    for address, entity in entities.items():
        past = past_of(address)
        since = start - past[1] if past is not None else start
        readings = history.single(entity.id, since, end, MOST_READINGS)
        if len(readings) == MOST_READINGS:
            raise Invalid(
                f"{address} has more than {MOST_READINGS:,} readings in this span; choose a "
                f"shorter one"
            )
        before = history.before(entity.id, since)
        channels = set(entity.history_channels())
        known = [reading for reading in (*([before] if before else []), *readings)
                 if reading.channel in channels]  # fmt: skip
        if past is not None:
            # There is no value yet that says the mean of this past.
            running = Running(
                MovingMean(past[1], entity.kind.arithmetic), holds=entity.kind.arithmetic.holds
            )
            known = made_by(running, known, marks_in(start, end))
        room = entity.room.name if entity.room else ""
        result[address] = Course(
            entity.spoken, room, entity.kind, known, entity.learns, entity.agreed_ms, entity.rhythm
        )
    return result
