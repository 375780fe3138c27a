"""The chain of one entity: the steps that turn its samples into readings, now and over
the past alike."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.core.kinds import Kind
from hombi.core.quality import Quality
from hombi.core.series.channel import Channel
from hombi.core.series.conditioning import Plan, steps_of
from hombi.core.series.reading import Reading
from hombi.core.series.sample import Sample
from hombi.core.series.steps import Convert, Limits, Measured, Settle, Step


class Chain:
    """Steps one after another. Until it has seen as much of the past as its steps need,
    a good reading is uncertain: it warms up."""

    def __init__(self, steps: Sequence[Step]) -> None:
        self._calls = tuple((step.update, step.get) for step in steps)
        self.warm_ms = sum(step.warm_ms for step in steps)
        self._first_ms: int | None = None
        self._last_ms = 0

    @property
    def last_ms(self) -> int:
        """The time of the latest sample that it has seen; times never go back."""
        return self._last_ms

    def reading(self, sample: Sample, channel: Channel) -> Reading:
        """The reading that this sample makes, after all that came before it."""
        at_ms = sample.at_ms
        measured: Measured = (at_ms, sample.value, Quality.GOOD)
        for update, get in self._calls:
            update(measured)
            measured = get() or measured
        _, value, quality = measured
        if self.warm_ms:
            if self._first_ms is None:
                self._first_ms = at_ms
            if at_ms - self._first_ms < self.warm_ms:
                quality = max(quality, Quality.WARMING_UP)
        self._last_ms = at_ms
        return Reading(at_ms, channel.number, sample.value, value, quality)


def chain_of(plan: Plan, kind: Kind, unit: str, low: float, high: float) -> Chain:
    """The chain of an entity: its unit, its limits, what a person has planned, and the
    limits again: what is made of a value must be believed as well."""
    # What is sent in the kind's own unit needs no conversion.
    converted = () if unit == kind.unit else (Convert(unit, kind.unit),)
    if kind.arithmetic.ordered:
        first: tuple[Step, ...] = (*converted, Limits(low, high))
        return Chain((*first, *steps_of(plan, kind), Limits(low, high)) if plan else first)
    # The limits are those of the node, which may count from -180 to 180; each direction
    # that is made of one is another one.
    first = (*converted, Limits(low, high), Settle(kind.arithmetic))
    return Chain((*first, *steps_of(plan, kind), Settle(kind.arithmetic)) if plan else first)


def usual_chain(kind: Kind, unit: str, low: float, high: float) -> Chain:
    """The chain of an entity that nobody has conditioned: its unit, and its limits."""
    return chain_of((), kind, unit, low, high)
