"""Values that no node sends: the hub, or somebody, tells them."""

from __future__ import annotations

from hombi.core.series import Reading
from hombi.hub.house import Entity
from hombi.hub.kernel import Clock
from hombi.hub.readings.intake import Intake
from hombi.hub.readings.writer import Writer


def tell(entity: Entity, value: float, clock: Clock, writer: Writer, intake: Intake) -> None:
    """A value of such an entity, from now on."""
    at = clock.now_ms()
    if entity.latest is not None:
        at = max(at, entity.latest.at_ms + 1)
    reading = Reading(at, 0, value, value)
    writer.put([(entity.id, at, 0, value, value, int(reading.quality))], None)
    entity.heard(reading)
    entity.heard_ms = at
    intake.tell(entity, reading)
