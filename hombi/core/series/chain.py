"""The chain of one entity: the steps that turn its samples into readings, now and over
the past alike."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.core.kinds import Kind
from hombi.core.quality import Quality
from hombi.core.series.channel import Channel
from hombi.core.series.reading import Reading
from hombi.core.series.sample import Sample
from hombi.core.series.steps import Convert, Limits, Measured, Step


class Chain:
    """Steps one after another."""

    def __init__(self, steps: Sequence[Step]) -> None:
        self._steps = tuple(steps)

    @property
    def warm_ms(self) -> int:
        """How much of the past its steps must have seen, together."""
        return sum(step.warm_ms for step in self._steps)

    def reading(self, sample: Sample, channel: Channel) -> Reading:
        """The reading that this sample makes, after all that came before it."""
        measured = Measured(sample.at_ms, sample.value, Quality.GOOD)
        for step in self._steps:
            step.update(measured)
            measured = step.get() or measured
        return Reading(sample.at_ms, channel.number, sample.value, measured.value, measured.quality)


def usual_chain(kind: Kind, unit: str, low: float, high: float) -> Chain:
    """The chain of an entity that nobody has conditioned: its unit, and its limits."""
    return Chain((Convert(unit, kind.unit), Limits(low, high)))
