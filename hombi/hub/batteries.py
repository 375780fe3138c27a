"""Low batteries: said once in the journal when one runs down; the overview marks it for
as long as it lasts."""

from __future__ import annotations

from dataclasses import dataclass, field

from hombi.core.quality import Quality
from hombi.hub.house import Entity, Reading
from hombi.hub.journal import Journal

LOW_BATTERY = 10.0
# A battery that recovers a little in the warmth is not a new one.
FULL_AGAIN = 20.0


@dataclass
class Batteries:
    """Hears every reading, as a listener of the intake."""

    journal: Journal
    _low: set[str] = field(default_factory=set)

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A fresh reading; only those of batteries matter."""
        if entity.kind.name != "battery" or reading.quality >= Quality.STUCK:
            return
        if reading.value <= LOW_BATTERY and entity.address not in self._low:
            self._low.add(entity.address)
            node = entity.node
            text = f"{node.title} has a low battery: {reading.value:.0f} %"
            self.journal.note("BatteryLow", text, node=node.address, entity=entity.address)
        elif reading.value > FULL_AGAIN:
            self._low.discard(entity.address)
