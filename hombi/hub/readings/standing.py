"""Since when what has states is as it is: found in its history at a start, for what has
not changed since."""

from __future__ import annotations

from hombi.hub.house import House
from hombi.hub.kernel import Context, Feature

# Who has stood for longer than this stands "for a long time": looking further back
# would read years of readings.
FAR_MS = 31 * 86_400_000


class Standing(Feature):
    """Looks once, when the hub has started; from then on each reading says it."""

    name = "standing"

    def __init__(self, context: Context, house: House) -> None:
        super().__init__(context)
        self._house = house

    async def open(self) -> None:
        self.context.tasks.start(self._look(), self.name)

    async def _look(self) -> None:
        for entity in list(self._house.entities.values()):
            latest = entity.latest
            if latest is None or not entity.stands or entity.since_ms:
                continue
            since_ms = await self.context.thread.run(
                self.context.records.history.since, entity.past, latest, latest.at_ms - FAR_MS
            )
            # What came meanwhile and is no other state changes nothing.
            if not entity.since_ms and entity.latest_value == latest.value:
                entity.since_ms = since_ms
