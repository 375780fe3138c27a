"""Calibrating an entity beside another one."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass

from hombi.core.series import Reading
from hombi.core.series.calibration import Calibration, Fit, compared
from hombi.core.series.conditioning import corrected
from hombi.hub.conditioning.changes import ConditionEntity, conditionable
from hombi.hub.conditioning.part import Conditioning
from hombi.hub.conditioning.plans import Conditioned
from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import Entity
from hombi.hub.kernel import Actor, Change, Done, Right
from hombi.hub.ports import HistoryPort

MOST_READINGS = 100_000


def calibrated(
    history: HistoryPort, sensor: Entity, reference: Entity, start_ms: int, end_ms: int
) -> Calibration:
    """Compare two entities of one kind over a span. Any thread. Raises Invalid."""
    if sensor.address == reference.address:
        raise Invalid("a sensor is compared with another value, not with itself")
    if sensor.kind is not reference.kind:
        raise Invalid(
            f"{sensor.address} is a {sensor.kind.shown}, and {reference.address} a "
            f"{reference.kind.shown}; compare values of one kind"
        )
    if sensor.kind.words is not None:
        raise Invalid(f"a {sensor.kind.shown} has two states, and no numbers to compare")

    def readings(entity: Entity) -> list[Reading]:
        channels = set(entity.history_channels())
        found = history.single(entity.id, start_ms, end_ms, MOST_READINGS)
        return [one for one in found if one.channel in channels]

    return compared(readings(sensor), readings(reference), sensor.kind.unit)


@dataclass(frozen=True, slots=True)
class CalibrateEntity(Change[Conditioning, Conditioned]):
    """Correct an entity by what a comparison with a reference over a span comes to: by
    the offset, or with `gain` by gain and offset. From now on, or for the past too.
    Raises NotFound, Invalid, Refused."""

    entity: str
    reference: str
    start_ms: int
    end_ms: int
    gain: bool = False
    past: bool = False

    part = Conditioning
    right = Right.TUNE

    async def do(self, part: Conditioning, by: Actor) -> Done[Conditioned]:
        entity = conditionable(part.house, self.entity)
        reference = part.house.entity(self.reference)
        history = part.context.records.history
        # It takes a while, and only reads: the writer must not wait for it.
        found = await asyncio.to_thread(
            calibrated,
            history,
            entity.snapshot(),
            reference.snapshot(),
            self.start_ms,
            self.end_ms,
        )
        fit: Fit | None = found.both if self.gain else found.offset
        if fit is None:
            why = "; ".join(found.remarks) or "nothing follows from it"
            raise Refused(f"{entity.address} cannot be corrected so: {why}")
        steps = corrected(entity.plan, fit.gain, fit.offset)
        return await ConditionEntity(entity.address, steps, self.past).do(part, by)
