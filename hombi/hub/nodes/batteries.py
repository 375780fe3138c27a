"""Low batteries: said once when one runs down; the overview marks it for as long as it
lasts."""

from __future__ import annotations

from collections.abc import Iterator

from hombi.core.quality import Quality
from hombi.core.series import Reading
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Context, Feature, Need
from hombi.hub.nodes.events import BatteryLow
from hombi.hub.readings.intake import Intake

LOW_BATTERY = 10.0
# A battery that recovers a little in the warmth is not a new one.
FULL_AGAIN = 20.0


class Batteries(Feature):
    """Hears every reading; only those of batteries matter."""

    name = "batteries"
    pressing = 7

    def __init__(self, context: Context, house: House, intake: Intake) -> None:
        super().__init__(context)
        self._house = house
        self._low: set[str] = set()
        intake.hear(self)

    def reading(self, entity: Entity, reading: Reading) -> None:
        """A fresh reading."""
        value = reading.value
        if entity.kind.name != "battery" or value is None or entity.node is None:
            return
        if reading.quality >= Quality.STUCK:
            return
        if value <= LOW_BATTERY and entity.address not in self._low:
            self._low.add(entity.address)
            node = entity.node
            event = BatteryLow(
                node=node.address, entity=entity.address, title=node.title, percent=value
            )
            self.context.announce(event)
        elif value > FULL_AGAIN:
            self._low.discard(entity.address)

    def needs(self) -> Iterator[Need]:
        for node in self._house.nodes.values():
            for entity in node.entities.values():
                value = entity.latest.value if entity.latest is not None else None
                if entity.kind.name == "battery" and value is not None and value <= LOW_BATTERY:
                    text = f"{node.title} has a low battery: {value:.0f} %"
                    yield Need("battery", text, f"/nodes/{node.address}")
