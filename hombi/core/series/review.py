"""The look back: rooms side by side over a month or a week, and what stands out.

All of it comes from rollups of hours, which are kept for ever.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime, tzinfo
from functools import lru_cache
from statistics import median

import msgspec

from hombi.core.kinds import Seen
from hombi.core.series.rollup import DAY_MS, FIVE_MINUTES_MS, HOUR_MS, Rollup, together
from hombi.core.series.statistics import Held, quantiles, slope_of
from hombi.core.series.steps.despike import NORMAL

# With fewer hours, nothing is said of an entity beside the others.
LEAST_HOURS = 24
LEAST_OTHERS = 2
NIGHT, DAY = range(6), range(10, 18)
# A band leaves out the lowest and the highest tenth.
BAND = (0.1, 0.5, 0.9)
# What stands out lies so many usual deviations from the others (facts: 1.4826 MAD).
STANDS_OUT = 2.0
LEAST_FALLS = 3
SLOWER = 1.5
LONGEST_FALL_H = 48
# ISO 13788: mould may grow where the monthly mean at a surface is over this.
MOULD = 80.0
# A battery is low from here on; its end is told when the trend is this steep at least.
LOW_BATTERY = 10.0
LEAST_DAYS, LEAST_A_DAY = 10, 0.05
FURTHEST_DAYS = 730
LEAST_SILENCE_MS, SILENT_TIMES = 900_000, 3


class Usual(msgspec.Struct, frozen=True):
    """How far apart two rooms of a kind usually are, and the words for it."""

    apart: float
    over: str
    under: str
    # From which rise on a fall is timed; 0: not at all.
    rise: float = 0.0


USUAL: Mapping[str, Usual] = {
    "temperature": Usual(1.5, "warmer", "colder"),
    "humidity": Usual(5.0, "damper", "drier", 8.0),
    "co2": Usual(150.0, "stuffier", "fresher", 250.0),
    "pm25": Usual(5.0, "dustier", "cleaner", 15.0),
    "sound": Usual(5.0, "louder", "quieter"),
}


class Looked(msgspec.Struct, frozen=True):
    """An entity that is looked at: its rollups of hours, oldest first, over all of its
    channels. `place` is what it is called in a sentence; `apart` says that it is not
    compared with the others (it is outside)."""

    entity: str
    place: str
    hours: Sequence[Rollup]
    apart: bool = False


class HourBand(msgspec.Struct, frozen=True):
    """What was usual in one hour of the day: the tenth, the median and the ninetieth
    percentile of its hourly means."""

    hour: int
    low: float
    median: float
    high: float


class Summary(msgspec.Struct, frozen=True):
    """What an entity came to: time-weighted mean, lowest, highest, the hours for which
    a value was known, and its usual day."""

    mean: float
    low: float
    high: float
    known_h: float
    day: tuple[HourBand, ...]


class Finding(msgspec.Struct, frozen=True):
    """Something that stands out, in words."""

    entity: str
    text: str


def summary(hours: Sequence[Rollup], zone: tzinfo) -> Summary | None:
    """What some hours come to; None where nothing was known."""
    known = [hour for hour in hours if hour.held_ms]
    if not known:
        return None
    held = sum(rollup.held_ms for rollup in known)
    mean, low, high = together(known)
    by_hour: dict[int, list[Held]] = defaultdict(list)
    for rollup in known:
        by_hour[_hour(rollup.start_ms, zone)].append((rollup.mean, rollup.held_ms))
    day = tuple(HourBand(at, *quantiles(held, BAND)) for at, held in sorted(by_hour.items()))
    return Summary(mean, low, high, held / HOUR_MS, day)


def beyond_h(hours: Sequence[Rollup], beyond: Callable[[float], bool]) -> float:
    """For how many hours the mean of the hour was beyond a limit."""
    return sum(hour.held_ms for hour in hours if beyond(hour.mean)) / HOUR_MS


def standing_out(kind: str, seen: Seen, looked: Sequence[Looked], zone: tzinfo) -> list[Finding]:
    """What stands out among entities of one kind.

    One stands out where it lies further from the median of the others than rooms
    usually are apart, and than the others are from each other.
    """
    usual = USUAL.get(kind)
    some = [one for one in looked if not one.apart and _known_h(one) >= LEAST_HOURS]
    if usual is None or len(some) <= LEAST_OTHERS:
        return []
    findings: list[Finding] = []

    def shown(number: float) -> str:
        return _with(seen.of(number) or 0.0, seen.unit, seen.decimals)

    def apart(number: float) -> str:
        return _with(abs(number) * seen.factor, seen.unit, seen.decimals)

    whole = {one.entity: _median(one.hours) for one in some}
    for one, value, others in _odd(some, whole, usual.apart):
        word = usual.over if value > others else usual.under
        text = f"{one.place} is {word}: usually {shown(value)}, the others {shown(others)}"
        findings.append(Finding(one.entity, text))
    nights = {
        one.entity: _median(_at(one.hours, NIGHT, zone)) - _median(_at(one.hours, DAY, zone))
        for one in some
        if _at(one.hours, NIGHT, zone) and _at(one.hours, DAY, zone)
    }
    there = [one for one in some if one.entity in nights]
    for one, value, others in _odd(there, nights, usual.apart / 2):
        # More than the others in the direction in which it goes itself.
        if abs(value) < usual.apart / 2 or abs(value) <= abs(others):
            continue
        word = usual.over if value > 0 else usual.under
        moved = f"{apart(others)} {_way(others)}"
        text = (
            f"{one.place} is {word} at night: {apart(value)} {_way(value)} than by day, "
            f"the others {'stay as they are' if abs(others) < usual.apart / 10 else moved}"
        )
        findings.append(Finding(one.entity, text))
    if usual.rise:
        falls = {one.entity: _fall_h(one.hours, usual.rise) for one in some}
        slow = {name: hours for name, hours in falls.items() if hours is not None}
        for one in some:
            rest = [hours for name, hours in slow.items() if name != one.entity]
            own = slow.get(one.entity)
            if own is None or len(rest) < LEAST_OTHERS:
                continue
            if own > SLOWER * median(rest) and own - median(rest) >= 2:
                text = (
                    f"{one.place} is slower to come down after a rise: {_with(own, 'h')} to half "
                    f"of it, the others {_with(median(rest), 'h')}"
                )
                findings.append(Finding(one.entity, text))
    return findings


def _with(number: float, unit: str, decimals: int = 0) -> str:
    """A number that is not parted from its unit at the end of a line."""
    return f"{number:.{decimals}f}\N{NO-BREAK SPACE}{unit}"


def _way(value: float) -> str:
    return "more" if value > 0 else "less"


def mould(looked: Looked) -> Finding | None:
    """What a month of surface humidity says of mould: the standard's criterion is the
    mean (ISO 13788)."""
    hours = [hour for hour in looked.hours if hour.held_ms]
    held = sum(hour.held_ms for hour in hours)
    if held < LEAST_HOURS * HOUR_MS:
        return None
    mean, _, _ = together(hours)
    over = beyond_h(hours, lambda value: value > MOULD)
    if mean <= MOULD and not over:
        return None
    risk = (
        "mould may grow there" if mean > MOULD else f"mould needs a mean over {_with(MOULD, '%')}"
    )
    text = (
        f"{looked.place} was over {_with(MOULD, '%')} for {over:.0f} of "
        f"{held / HOUR_MS:.0f} h, {_with(mean, '%')} on average: {risk}"
    )
    return Finding(looked.entity, text)


class Trend(msgspec.Struct, frozen=True):
    """How a battery runs down: % a day, its last value, and when it will be low; None
    where it holds."""

    a_day: float
    last: float
    low_ms: int | None


def battery_trend(hours: Sequence[Rollup]) -> Trend | None:
    """The trend of a battery by Theil-Sen over its days; None where it was not
    heard."""
    days: dict[int, list[float]] = defaultdict(list)
    for hour in hours:
        if hour.held_ms:
            days[hour.start_ms // DAY_MS].append(hour.last)
    if not days:
        return None
    points = [(float(day), median(values)) for day, values in sorted(days.items())]
    last_day, last = points[-1]
    if len(points) < LEAST_DAYS:
        return Trend(0.0, last, None)
    a_day = slope_of(points)
    if a_day > -LEAST_A_DAY or last <= LOW_BATTERY:
        return Trend(a_day, last, None)
    left = (last - LOW_BATTERY) / -a_day
    if left > FURTHEST_DAYS:
        return Trend(a_day, last, None)
    return Trend(a_day, last, round((last_day + left) * DAY_MS))


def _known_h(looked: Looked) -> float:
    return sum(hour.held_ms for hour in looked.hours) / HOUR_MS


@lru_cache(maxsize=4096)
def _hour(at_ms: int, zone: tzinfo) -> int:
    return datetime.fromtimestamp(at_ms / 1000, zone).hour


def _at(hours: Sequence[Rollup], wanted: range, zone: tzinfo) -> list[Rollup]:
    return [hour for hour in hours if hour.held_ms and _hour(hour.start_ms, zone) in wanted]


def _median(hours: Sequence[Rollup]) -> float:
    return quantiles([(hour.mean, hour.held_ms) for hour in hours if hour.held_ms], (0.5,))[0]


def _odd(
    some: Sequence[Looked], values: Mapping[str, float], apart: float
) -> list[tuple[Looked, float, float]]:
    """Those whose value is far from the median of the others, which comes with it."""
    result = []
    for looked in some:
        rest = [value for name, value in values.items() if name != looked.entity]
        if len(rest) < LEAST_OTHERS:
            continue
        middle = median(rest)
        spread = NORMAL * median([abs(value - middle) for value in rest])
        own = values[looked.entity]
        if abs(own - middle) > max(apart, STANDS_OUT * spread):
            result.append((looked, own, middle))
    return result


def _fall_h(hours: Sequence[Rollup], rise: float) -> float | None:
    """How many hours it usually takes to lose half of a rise; None where there were too
    few rises to say."""
    known = [hour for hour in hours if hour.held_ms]
    falls: list[float] = []
    low: float | None = None
    peak: Rollup | None = None
    for rollup in known:
        value = rollup.mean
        if low is None or (peak is None and value < low):
            low = value
        elif peak is None:
            peak = rollup if value - low >= rise else None
        elif value >= peak.mean:
            peak = rollup
        elif value <= (peak.mean + low) / 2:
            took = (rollup.start_ms - peak.start_ms) / HOUR_MS
            falls.append(min(took, LONGEST_FALL_H))
            low, peak = value, None
    return median(falls) if len(falls) >= LEAST_FALLS else None


class Silence(msgspec.Struct, frozen=True):
    """The longest time for which a node was not heard, in ms since 1970."""

    start_ms: int
    end_ms: int


def longest_silence(heard: Sequence[int], end_ms: int) -> Silence | None:
    """The longest silence of something that was heard in the five minutes that begin at
    these moments, oldest first; None where there was none that is unusual."""
    if not heard:
        return None
    ends = [*heard[1:], end_ms]
    gaps = [b - a - FIVE_MINUTES_MS for a, b in zip(heard, ends, strict=True)]
    longest = max(range(len(gaps)), key=gaps.__getitem__)
    if gaps[longest] < max(LEAST_SILENCE_MS, SILENT_TIMES * median(gaps)):
        return None
    return Silence(heard[longest] + FIVE_MINUTES_MS, ends[longest])
