"""What the past of an entity looks like on the wire, as the household sees it."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.core.kinds import Kind, Seen
from hombi.core.series.statistics import Held, quantiles, time_over
from hombi.hub.readings.port import Numbers, Point
from hombi.wire.entities import History, SpanNumbers


def history(
    points: Sequence[Point], entity: str, seen: Seen, start: int, end: int, width: int
) -> History:
    """A course in buckets of `width` ms."""
    return History(
        entity=entity,
        unit=seen.unit,
        start=start,
        end=end,
        width_ms=width,
        at=[p.at_ms for p in points],
        mean=_seen(seen, [p.mean for p in points]),
        low=_seen(seen, [p.low for p in points]),
        high=_seen(seen, [p.high for p in points]),
        count=[p.count for p in points],
    )


def _seen(seen: Seen, values: list[float]) -> list[float]:
    if (seen.factor, seen.addend) == (1.0, 0.0):
        return values
    return [value * seen.factor + seen.addend for value in values]


def span_numbers(
    sums: Numbers,
    held: Sequence[Held],
    entity: str,
    kind: Kind,
    span: tuple[int, int],
    over: float | None,
) -> SpanNumbers:
    """What an entity comes to over a span."""
    known, seen = sum(ms for _, ms in held), kind.as_seen
    # Directions have no order, and so no median.
    ranked = known and kind.arithmetic.ordered
    p5, median, p95 = quantiles(held, (0.05, 0.5, 0.95)) if ranked else (None, None, None)
    mean = kind.arithmetic.mean(held) if known else sums.mean
    return SpanNumbers(
        entity=entity,
        unit=seen.unit,
        start=span[0],
        end=span[1],
        count=sums.count,
        low=seen.of(sums.low),
        mean=seen.of(mean),
        median=seen.of(median),
        high=seen.of(sums.high),
        p5=seen.of(p5),
        p95=seen.of(p95),
        known_ms=round(known),
        over=seen.of(over),
        over_ms=None if over is None else round(time_over(held, over)),
    )
