"""Calibration: a sensor beside a reference, and the correction that follows.

Readings are paired in time, odd ones left out, and brought to means of an hour:
readings a minute apart are not independent of each other.
"""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass, replace
from statistics import fmean, median, pvariance

from msgspec.structs import replace as moved

from hombi.core.quality import Quality
from hombi.core.series.behind import Between, behind_ms
from hombi.core.series.reading import Reading
from hombi.core.series.rollup import HOUR_MS
from hombi.core.series.statistics import slope_of
from hombi.core.series.steps.despike import NORMAL
from hombi.core.values import show_span

LEAST_HOURS = 6
LEAST_HOURS_FOR_GAIN = 24
# A gain is supported when the reference spans so many times the residual.
SPANS_NOISE = 12.0
ODD = 4.0
DRAWS = 500
DRAWS_OF_GAIN = 200
# Hours that follow one another are alike; so many are drawn together.
BLOCK = 12


@dataclass(frozen=True, slots=True)
class Hour:
    """One hour: the means of sensor and reference over the moments that both have."""

    start_ms: int
    sensor: float
    reference: float


@dataclass(frozen=True, slots=True)
class Fit:
    """A correction: reference ≈ gain * sensor + offset. `low` and `high` are the 95 %
    interval of the offset, `gain_low` and `gain_high` that of the gain; `residual` is
    what is left, as a standard deviation."""

    gain: float
    offset: float
    low: float
    high: float
    gain_low: float
    gain_high: float
    residual: float


@dataclass(frozen=True, slots=True)
class Calibration:
    """What a comparison comes to: its hours, the fit of an offset alone, that of gain
    and offset where the range seen supports one, and what is to be said of them."""

    hours: tuple[Hour, ...]
    offset: Fit | None
    both: Fit | None
    remarks: tuple[str, ...]
    # How much later than the reference the sensor follows; less than nothing: earlier.
    behind_ms: int = 0


def compared(sensor: Sequence[Reading], reference: Sequence[Reading], unit: str) -> Calibration:
    """Compare a sensor with a reference over the same time, in the same unit."""
    late = behind_ms([r for r in sensor if _good(r)], [r for r in reference if _good(r)])
    if late:
        sensor = [moved(reading, at_ms=reading.at_ms - late) for reading in sensor]
    hours = hours_of(sensor, reference)
    calibration = _judged(hours, unit, "hours in which both were heard", "hours")
    if not late:
        return calibration
    # What follows late also follows less far: its swings are smaller, which looks like
    # a gain and is none.
    way = "later" if late > 0 else "earlier"
    sentences = [f"the sensor follows {show_span(abs(late))} {way} than the reference"]
    if calibration.both is not None:
        sentences.append("so that a gain cannot be told from that; bring both to the same pace")
    remarks = (*calibration.remarks, ", ".join(sentences))
    return replace(calibration, both=None, remarks=remarks, behind_ms=late)


def compared_with_typed(
    sensor: Sequence[Reading], typed: Sequence[Reading], unit: str
) -> Calibration:
    """Compare a sensor with values that were read off an instrument: each with what the
    sensor said at that time."""
    pairs = hours_of_typed(sensor, typed)
    words = "values at which the sensor was heard"
    return _judged(pairs, unit, words, "values")


def _judged(hours: Sequence[Hour], unit: str, known: str, what: str) -> Calibration:
    if len(hours) < LEAST_HOURS:
        few = f"there is not enough yet: {len(hours)} {known}, {LEAST_HOURS} at least"
        return Calibration(tuple(hours), None, None, (few,))
    offset = _fitted(hours, gain=False)
    span = max(h.reference for h in hours) - min(h.reference for h in hours)
    remarks = []
    both = None
    if len(hours) < LEAST_HOURS_FOR_GAIN:
        remarks.append(f"a gain needs {LEAST_HOURS_FOR_GAIN} {what}, and {len(hours)} are there")
    elif span < SPANS_NOISE * max(offset.residual, 1e-9):
        remarks.append(
            f"a gain is not supported: the reference spans {span:.2g} {unit}, and single hours "
            f"differ by {offset.residual:.2g} {unit}"
        )
    else:
        both = _fitted(hours, gain=True)
    if offset.low <= 0 <= offset.high:
        remarks.append("the sensor does not differ from the reference by more than chance")
    if offset.residual > max(abs(offset.offset), 1e-9) and (
        both is None or both.residual > 0.7 * offset.residual
    ):
        remarks.append(
            f"the fit is poor: what is left ({offset.residual:.2g} {unit}) is more than what is "
            f"corrected; are both in the same place?"
        )
    return Calibration(tuple(hours), offset, both, tuple(remarks))


def hours_of_typed(sensor: Sequence[Reading], typed: Sequence[Reading]) -> list[Hour]:
    """The typed values, each beside the sensor's at that time: interpolated, between
    readings no further apart than they usually hold."""
    known = Between([one for one in sensor if _good(one)])
    hours = []
    for one in sorted(typed, key=lambda reading: reading.at_ms):
        ours = known.at(one.at_ms)
        if ours is not None and one.value is not None:
            hours.append(Hour(one.at_ms, ours, one.value))
    return hours


def hours_of(sensor: Sequence[Reading], reference: Sequence[Reading]) -> list[Hour]:
    """The hours in which both were heard, from readings oldest first. The reference is
    interpolated, between readings no further apart than it usually holds."""
    known = Between([reading for reading in reference if _good(reading)])
    pairs: list[tuple[int, float, float]] = []
    for reading in sensor:
        theirs = known.at(reading.at_ms)
        if _good(reading) and reading.value is not None and theirs is not None:
            pairs.append((reading.at_ms, reading.value, theirs))
    pairs = _without_odd(pairs)
    hours: dict[int, list[tuple[float, float]]] = {}
    for at_ms, ours, theirs in pairs:
        hours.setdefault(at_ms // HOUR_MS * HOUR_MS, []).append((ours, theirs))
    return [
        Hour(start, fmean(a for a, _ in some), fmean(b for _, b in some))
        for start, some in sorted(hours.items())
    ]


def _good(reading: Reading) -> bool:
    return reading.value is not None and reading.quality < Quality.STUCK


def _without_odd(pairs: list[tuple[int, float, float]]) -> list[tuple[int, float, float]]:
    """Without those whose difference lies far from all others (Hampel's identifier)."""
    if not pairs:
        return pairs
    differences = [theirs - ours for _, ours, theirs in pairs]
    middle = median(differences)
    spread = NORMAL * median(abs(difference - middle) for difference in differences)
    if not spread:
        return pairs
    near = zip(pairs, differences, strict=True)
    return [pair for pair, one in near if abs(one - middle) <= ODD * spread]


def _fitted(hours: Sequence[Hour], *, gain: bool) -> Fit:
    slope, offset = _fit(hours, gain=gain)
    left = [h.reference - slope * h.sensor - offset for h in hours]
    middle = median(left)
    residual = NORMAL * median(abs(one - middle) for one in left)
    draw = random.Random(len(hours))  # noqa: S311 - the same hours give the same interval
    drawn = sorted(
        _fit(_blocks(hours, draw), gain=gain) for _ in range(DRAWS_OF_GAIN if gain else DRAWS)
    )
    offsets = sorted(one for _, one in drawn)
    gains = [one for one, _ in drawn]
    cut = max(1, round(0.0125 * len(drawn)))
    low, high, flat, steep = offsets[cut - 1], offsets[-cut], gains[cut - 1], gains[-cut]
    if gain:
        # Noise of the sensor makes a slope flatter than it is, by the share that it has
        # of what the sensor varies (regression dilution). Whose noise it is, nobody
        # knows.
        varies = pvariance([h.sensor for h in hours])
        share = min(1.0, (residual / max(abs(slope), 1e-9)) ** 2 / max(varies, 1e-12))
        flat, steep = flat * (1 - share), steep * (1 + share)
        middle = fmean(h.sensor for h in hours)
        low, high = low - share * abs(slope * middle), high + share * abs(slope * middle)
    return Fit(slope, offset, low, high, flat, steep, residual)


def _blocks(hours: Sequence[Hour], draw: random.Random) -> list[Hour]:
    """As many hours, drawn in blocks of some that follow one another (the moving-block
    bootstrap of Künsch 1989)."""
    length = min(BLOCK, max(1, len(hours) // 4))
    result: list[Hour] = []
    while len(result) < len(hours):
        start = draw.randrange(len(hours) - length + 1)
        result += hours[start : start + length]
    return result[: len(hours)]


def _fit(hours: Sequence[Hour], *, gain: bool) -> tuple[float, float]:
    """(gain, offset): the median of the differences (robust to half of them being
    wrong), or the median of all slopes (Theil 1950, Sen 1968) and of what is left."""
    if not gain:
        return 1.0, median(h.reference - h.sensor for h in hours)
    slope = slope_of([(h.sensor, h.reference) for h in hours], 1.0)
    return slope, median(h.reference - slope * h.sensor for h in hours)
