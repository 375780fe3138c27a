"""Calibrating an entity beside another one."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence

from hombi.core.errors import ValueTextError
from hombi.core.series import Reading
from hombi.core.series.calibration import Calibration, Fit, compared, compared_with_typed
from hombi.core.series.conditioning import corrected
from hombi.core.values import parse_value
from hombi.hub.conditioning.changes import ConditionEntity, conditionable
from hombi.hub.conditioning.feature import Conditioning
from hombi.hub.conditioning.plans import Conditioned
from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Actor, Change, Done, Right
from hombi.hub.readings.port import HistoryPort

MOST_READINGS, MOST_TYPED = 100_000, 500


def calibrated(
    history: HistoryPort,
    sensor: Entity,
    reference: Entity | Sequence[Reading],
    start_ms: int,
    end_ms: int,
) -> Calibration:
    """Compare two entities of one kind over a span, or one with values that were read
    off an instrument. Any thread. Raises Invalid."""
    if not sensor.kind.a_number:
        raise Invalid(f"a {sensor.kind.shown} has two states, and no numbers to compare")
    if not sensor.kind.arithmetic.ordered:
        raise Invalid(
            f"a {sensor.kind.shown} is not compared hour by hour; turn it by an offset: "
            f"hombi steps set {sensor.address} linear offset=12"
        )

    def readings(entity: Entity) -> list[Reading]:
        channels = set(entity.history_channels())
        result = history.single(entity.id, start_ms, end_ms, MOST_READINGS)
        return [reading for reading in result if reading.channel in channels]

    if not isinstance(reference, Entity):
        return compared_with_typed(readings(sensor), reference, sensor.kind.unit)
    if sensor.address == reference.address:
        raise Invalid("a sensor is compared with another value, not with itself")
    if sensor.kind is not reference.kind:
        raise Invalid(
            f"{sensor.address} is a {sensor.kind.shown}, and {reference.address} a "
            f"{reference.kind.shown}; compare values of one kind"
        )
    return compared(readings(sensor), readings(reference), sensor.kind.unit)


def reference_of(
    house: House, sensor: Entity, name: str, typed: Sequence[tuple[int, str]]
) -> Entity | list[Reading]:
    """What a sensor is compared with: another entity, or values that were read off an
    instrument, in the unit that is seen unless they say one. Raises NotFound,
    Invalid."""
    if not typed:
        return house.entity(name).snapshot()
    if name:
        raise Invalid("name a reference, or give values that were read off one; not both")
    if len(typed) > MOST_TYPED:
        raise Invalid(f"{MOST_TYPED} typed values at most, not {len(typed)}")
    try:
        kind = house.seen(sensor)
        values = [(at_ms, parse_value(text, kind, bare=True)) for at_ms, text in typed]
    except ValueTextError as error:
        raise Invalid(str(error)) from error
    return [Reading(at_ms, 0, value, value) for at_ms, value in values]


class CalibrateEntity(Change[Conditioning, Conditioned], frozen=True):
    """Correct an entity by what a comparison with a reference over a span comes to (an
    entity, or values that were read off an instrument: (time in ms, text)): by the
    offset, or with `gain` by gain and offset. From now on, or for the past too.
    Raises NotFound, Invalid, Refused."""

    entity: str
    reference: str
    start_ms: int
    end_ms: int
    gain: bool = False
    past: bool = False
    typed: Sequence[tuple[int, str]] = ()

    feature = Conditioning
    right = Right.TUNE

    async def do(self, feature: Conditioning, by: Actor) -> Done[Conditioned]:
        entity = conditionable(feature.house, self.entity)
        reference = reference_of(feature.house, entity, self.reference, self.typed)
        history = feature.context.records.history
        # It takes a while, and only reads: the writer must not wait for it.
        calibration = await asyncio.to_thread(
            calibrated,
            history,
            entity.snapshot(),
            reference,
            self.start_ms,
            self.end_ms,
        )
        fit: Fit | None = calibration.both if self.gain else calibration.offset
        if fit is None:
            why = "; ".join(calibration.remarks) or "nothing follows from it"
            raise Refused(f"{entity.address} cannot be corrected so: {why}")
        steps = corrected(entity.plan, fit.gain, fit.offset)
        return await ConditionEntity(entity.address, steps, self.past).do(feature, by)
