"""What is to be said of an automation before it is kept, from the past that it was
replayed over."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, tzinfo
from itertools import pairwise
from statistics import median
from typing import Any

from hombi.core.automation.actions import Switch
from hombi.core.automation.comparisons import Comparison
from hombi.core.automation.flow import each
from hombi.core.automation.program import Program
from hombi.core.automation.replay import Course, Overtaken, Replayed, never, replay
from hombi.core.automation.state import EdgeKind
from hombi.core.quality import Quality
from hombi.core.series.reading import Reading
from hombi.core.values import show_span

DAY_MS = 86_400_000
WEEK_MS = 7 * DAY_MS
# From this part of the days on, a limit is inside of what is usual here.
USUAL = 0.8
LEAST_DAYS = 3
OFTEN_A_DAY = 3.0
# Limits are looked for among so many, on a past thinned to so many readings.
CANDIDATES, MOST_READINGS = 24, 6_000
WANTED_A_WEEK = (1, 3, 7)
MOSTLY = 0.4


@dataclass(frozen=True, slots=True)
class Limit:
    """A limit, in the kind's unit, that would start it about so often a week."""

    limit: float
    a_week: float


def advise(
    program: Program, course: Course | None, replayed: Replayed, span: tuple[int, int], zone: tzinfo
) -> list[str]:
    """What a person should know before they keep it; nothing where all is well."""
    sentences = [] if course is None else _of_limit(program, course, replayed, span, zone)
    on = {
        a.entity for _, a in each(program.starts) if isinstance(a, Switch) and a.to and not a.for_ms
    }
    off = {a.entity for _, a in each(program.ends) if isinstance(a, Switch)}
    if left := sorted(on - off):
        sentences.append(f"nothing switches {', '.join(left)} off again; add [[ends]]")
    return sentences


def _of_limit(
    program: Program, course: Course, replayed: Replayed, span: tuple[int, int], zone: tzinfo
) -> list[str]:
    sentences = []
    watch, compared = program.watch, program.watch.comparison
    readings = [reading for reading in course.readings if span[0] <= reading.at_ms < span[1]]
    good = [
        reading
        for reading in readings
        if reading.value is not None and reading.quality < Quality.STUCK
    ]
    days = _days(good, zone)
    beyond = _days(
        [reading for reading in good if compared.starts_with(reading.value or 0.0)], zone
    )
    alone = watch.moving is None and watch.of_value and not program.more
    if alone and len(days) >= LEAST_DAYS and len(beyond) >= USUAL * len(days):
        sentences.append(
            f"{compared.sentence(watch.kind)} is usual here: on {len(beyond)} of {len(days)} days"
        )
    starts = sum(acted.why.edge is EdgeKind.START for acted in replayed.acted)
    if (
        alone
        and compared.side
        and compared.until is None
        and days
        and starts / len(days) >= OFTEN_A_DAY
    ):
        sentences.append(
            f"it starts {starts / len(days):.0f} times a day; until = … on the other side of the "
            f"limit lets small swings pass"
        )
    gaps = [b.at_ms - a.at_ms for a, b in pairwise(readings)]
    if watch.kind.words is None and gaps and 0 < watch.held_ms < median(gaps):
        sentences.append(
            f"held = {show_span(watch.held_ms)} is shorter than the {show_span(median(gaps))} "
            f"between two readings: one reading is enough"
        )
    return sentences


def limits(
    program: Program,
    course: Course,
    span: tuple[int, int],
    zone: tzinfo,
    overtaken: Callable[[], bool] = never,
) -> list[Limit]:
    """Limits that would start it about once, three times and daily in a week, from this
    past; none for a kind with two states, or where the past is too short."""
    compared = program.watch.comparison
    alone = program.watch.moving is None and not program.more
    if not alone or not compared.side or span[1] - span[0] < WEEK_MS // 2:
        return []
    good = [
        reading
        for reading in course.readings
        if reading.value is not None and reading.quality < Quality.STUCK
    ]
    thinned = good[:: -(-len(good) // MOST_READINGS)] if good else []
    values = sorted(reading.value for reading in thinned if reading.value is not None)
    if len(values) < CANDIDATES:
        return []
    weeks = (span[1] - max(span[0], thinned[0].at_ms)) / WEEK_MS
    result: list[Limit] = []
    for candidate in _candidates(values, program, compared.side > 0):
        if not watch_takes(compared, candidate):
            continue
        if overtaken():
            raise Overtaken
        tried = with_limit(program, candidate, keep_until=True)
        courses = {program.watch.entity: replace(course, readings=thinned)}
        come_to = replay(tried, courses, *span, zone)
        if sum(b - a for a, b in come_to.on(*span)) > MOSTLY * (span[1] - span[0]):
            continue  # it starts seldom because it is on nearly always
        starts = sum(acted.why.edge is EdgeKind.START for acted in come_to.acted)
        result.append(Limit(candidate, starts / max(weeks, 0.1)))
    if not result:
        return []
    near = [min(result, key=lambda one: abs(one.a_week - wanted)) for wanted in WANTED_A_WEEK]
    return [
        limit
        for limit, wanted in zip(near, WANTED_A_WEEK, strict=True)
        if abs(limit.a_week - wanted) <= 0.5 * wanted
    ]


def _candidates(values: Sequence[float], program: Program, over: bool) -> list[float]:
    """Limits from the middle of the values out to where nothing is beyond, as people
    would write them."""
    decimals = program.watch.kind.decimals
    last = len(values) - 1
    result = []
    for n in range(CANDIDATES):
        part = 1 - 0.5 * (1 - n / CANDIDATES) ** 3
        place = round(part * last)
        result.append(round(values[place if over else last - place], decimals))
    return list(dict.fromkeys(result))


def watch_takes(compared: Comparison, limit: float) -> bool:
    """Whether the check takes this limit beside the `until` that is in the text."""
    if compared.until is None:
        return True
    return compared.side * (limit - compared.until) > 0


def with_limit(program: Program, limit: float, *, keep_until: bool = False) -> Program:
    """The same automation with another limit; what ends it stays, or keeps its
    distance."""
    compared: Any = program.watch.comparison
    until = compared.until
    if until is not None and not keep_until:
        until += limit - compared.limit
    watch = replace(program.watch, comparison=replace(compared, limit=limit, until=until))
    return replace(program, watch=watch)


def _days(readings: Sequence[Reading], zone: tzinfo) -> set[object]:
    return {datetime.fromtimestamp(reading.at_ms / 1000, zone).date() for reading in readings}
