"""Computing one value from the readings of its sources, now and over the
past."""

from __future__ import annotations

import heapq
from collections.abc import Iterator, Mapping, Sequence

from hombi.core.quality import Quality
from hombi.core.series import Derivation, Reading
from hombi.core.series.methods import OF_THE_REST, computing


def value_of(
    how: Derivation, inputs: Sequence[Reading | None], before: float | None
) -> tuple[float | None, Quality] | None:
    """The value that these inputs make, with its quality; None where there is none yet.

    Where an input is missing, bad or old, the value is uncertain: that of the others,
    or the one `before`. Never a wrong one.
    """
    good = [reading for reading in inputs if reading is not None and reading.usable]
    values = [reading.value for reading in good if reading.value is not None]
    compute = computing(how.method, tuple(how.parameters.items()))
    if len(good) == len(inputs):
        worst = max((reading.quality for reading in good), default=Quality.GOOD)
        result = compute(values)
        return (None, Quality.NO_VALUE) if result is None else (result, worst)
    if how.method in OF_THE_REST and values:
        result = compute(values)
        return None if result is None else (result, Quality.INPUT_MISSING)
    return None if before is None else (before, Quality.INPUT_MISSING)


def over_the_past(
    how: Derivation,
    sources: Sequence[Sequence[Reading]],
    known: dict[int, Reading],
    before: float | None,
    holds_ms: Mapping[int, float],
) -> Iterator[Reading]:
    """The readings that those of the sources make, one for each moment at which one of
    them came; oldest first.

    `known` has the latest reading of each source by its place, and keeps it for the
    next stretch; `holds_ms` how long each counts when no other follows.
    """
    streams = [
        [(reading.at_ms, place, reading) for reading in readings]
        for place, readings in enumerate(sources)
    ]
    last: float | None = before
    moment: int | None = None
    for at_ms, place, reading in heapq.merge(*streams, key=lambda one: one[:2]):
        if moment is not None and at_ms != moment:
            made = _made(how, len(sources), known, last, moment, holds_ms)
            if made is not None:
                last = made.value if made.value is not None else last
                yield made
        known[place] = reading
        moment = at_ms
    if moment is not None:
        made = _made(how, len(sources), known, last, moment, holds_ms)
        if made is not None:
            yield made


def _made(
    how: Derivation,
    count: int,
    known: Mapping[int, Reading],
    before: float | None,
    at_ms: int,
    holds_ms: Mapping[int, float],
) -> Reading | None:
    inputs = [
        reading if reading is not None and at_ms - reading.at_ms <= holds_ms[place] else None
        for place, reading in ((place, known.get(place)) for place in range(count))
    ]
    result = value_of(how, inputs, before)
    return None if result is None else Reading(at_ms, 0, None, *result)
