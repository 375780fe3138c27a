"""Chains over the past: warmed by it, tried on it, and suggested from it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

from hombi.core.series import Chain, Channel, Reading, Sample
from hombi.core.series.conditioning import Plan
from hombi.core.series.parameters import LARGEST
from hombi.core.values import show_span
from hombi.hub.house import Entity
from hombi.hub.readings.port import HistoryPort

# With how many times its need a chain is warmed: so much of a low-pass's past that what
# came before it weighs less than a billionth.
WARMED_WITH = 4
MOST_WARMING = 20_000
MOST_TRIED = 100_000
# From fewer samples nothing is suggested.
LEAST_KNOWN = 20


def warm(history: HistoryPort, number: int, chain: Chain, channel: Channel, end_ms: int) -> None:
    """Let a chain see as much of an entity's past as it needs."""
    reach = WARMED_WITH * chain.warm_ms
    if not reach or not end_ms:
        return
    for reading in history.single(number, end_ms - reach, end_ms, MOST_WARMING):
        if reading.channel == channel.number:
            chain.reading(Sample(reading.at_ms, reading.sent, channel.unit), channel)


@dataclass(frozen=True, slots=True)
class Tried:
    """What a plan would make of a span: times, values without it and with it, and how
    many are then bad."""

    at: list[int]
    plain: list[float | None]
    made: list[float | None]
    spikes: int
    cut: bool


def tried(history: HistoryPort, entity: Entity, plan: Plan, start_ms: int, end_ms: int) -> Tried:
    """Try a plan on the past; nothing is stored. Any thread."""
    chains: dict[tuple[bool, int], Chain] = {}
    result = Tried([], [], [], 0, cut=False)
    spikes = 0

    def planned(channel: Channel, given: Plan = plan) -> Chain:
        return entity.fresh_chain(channel, given)

    first = start_ms - WARMED_WITH * planned(entity.channels.now).warm_ms
    readings = history.single(entity.id, first, end_ms, MOST_TRIED)
    for reading in readings:
        channel = entity.channels.numbered(reading.channel)
        if not entity.kind.goes_on(channel.kind):
            continue
        for new in (False, True):
            if (new, channel.number) not in chains:
                chains[new, channel.number] = planned(channel) if new else planned(channel, ())
        sample = Sample(reading.at_ms, reading.sent, channel.unit)
        before = chains[False, channel.number].reading(sample, channel)
        after = chains[True, channel.number].reading(sample, channel)
        if reading.at_ms < start_ms:
            continue
        result.at.append(reading.at_ms)
        result.plain.append(before.value if before.quality.level != "bad" else None)
        result.made.append(after.value if after.quality.level != "bad" else None)
        spikes += before.quality.level != "bad" and after.quality.level == "bad"
    return Tried(result.at, result.plain, result.made, spikes, cut=len(readings) == MOST_TRIED)


def suggested(readings: Sequence[Reading]) -> list[dict[str, float | str]]:
    """First steps for an entity from how its samples come and flicker: a despike over
    eleven of them, and a low-pass over five; where its sensor ends, if the same highest
    value came again and again while others moved."""
    good = [
        reading
        for reading in readings
        if reading.value is not None and reading.quality.level != "bad"
    ]
    if len(good) < LEAST_KNOWN:
        return []
    pairs = list(pairwise(good))
    interval = median(b.at_ms - a.at_ms for a, b in pairs)
    steps = [abs((b.value or 0.0) - (a.value or 0.0)) for a, b in pairs]
    # What it usually flickers by; one that never does needs none.
    flicker = median([step for step in steps if step > 1e-9] or [0.0])
    seconds = max(1, round(interval / 1000))
    values = [reading.value or 0.0 for reading in good]
    top = max(values)
    ends = values.count(top) >= max(LEAST_KNOWN, len(values) / 100)
    moves = len(set(values)) >= LEAST_KNOWN
    result: list[dict[str, float | str]] = []
    if ends and moves:
        result.append({"step": "clips", "low": -LARGEST, "high": top})
    despike: dict[str, float | str] = {
        "step": "despike",
        "window": show_span(11 * seconds * 1000),
        "times": 3.0,
        "floor": float(f"{flicker:.1g}"),
    }
    return [*result, despike, {"step": "low-pass", "time": show_span(5 * seconds * 1000)}]
