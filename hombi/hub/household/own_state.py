"""How the hub itself is, as values: its disk, its radios, its certificate. Automations
watch them like any other, so that what the hub tells about itself is a text that people
can change. Each is kept from the moment on at which a text names it first.
"""

from __future__ import annotations

import asyncio
import shutil
from collections.abc import Callable, Sequence

from hombi.core.kinds import KINDS
from hombi.core.series import Channel, Channels
from hombi.hub.errors import Invalid
from hombi.hub.house import HUB, OWN_STATES, Entity, House
from hombi.hub.household.events import StateKept
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Need, Right
from hombi.hub.kernel.registry import Registry
from hombi.hub.readings.intake import Intake
from hombi.hub.readings.told import tell
from hombi.hub.readings.writer import Writer
from hombi.hub.settings.config import Config

LOOK_EVERY_S = 10.0
# Less room than this is little.
LOW_DISK = 500_000_000


class OwnState(Feature):
    """Looks how the hub is, where somebody wants to know it."""

    name = "own state"

    def __init__(
        self,
        context: Context,
        house: House,
        writer: Writer,
        intake: Intake,
        config: Config,
        registry: Registry,
    ) -> None:
        super().__init__(context)
        self.house, self._writer, self._intake = house, writer, intake
        self._data = config.data
        self.one_by_one = asyncio.Lock()
        self.all_needs: Callable[[], Sequence[Need]] = registry.needs

    async def open(self) -> None:
        self.context.tasks.watch("looking how the hub is", self._watch)

    async def _watch(self) -> None:
        while True:
            await self.look()
            await asyncio.sleep(LOOK_EVERY_S)

    async def look(self) -> None:
        """Tell what is another than before."""
        kept = [one for one in self.house.entities.values() if HUB in one.own]
        if not kept:
            return
        wrong = {need.kind for need in self.all_needs()}
        if (await asyncio.to_thread(shutil.disk_usage, self._data)).free < LOW_DISK:
            wrong.add("disk")
        for entity in kept:
            value = float(entity.own[HUB] in wrong)
            if entity.latest is None or entity.latest.value != value:
                tell(entity, value, self.context.clock, self._writer, self._intake)

    async def keep(self, address: str) -> Entity:
        """The value at this address, made when it is named first. Raises Invalid."""
        async with self.one_by_one:
            there = self.house.entities.get(address)
            if there is not None:
                return there
            if address not in OWN_STATES:
                raise Invalid(f"there is no {address}; use {', '.join(OWN_STATES)}")
            entity = state_of(address, self.context.clock.now_ms())
            entity.id = await self.context.thread.run(self.context.records.house.add_told, entity)
            self.house.add_entity(entity)
        await self.look()
        return entity


def state_of(address: str, now_ms: int) -> Entity:
    """Such a value before anything is known of it."""
    title, need = OWN_STATES[address]
    kind = KINDS["alarm"]
    channels = Channels([Channel(0, kind, "", now_ms)])
    return Entity(0, address, title, kind, channels, 0, 1, own={HUB: need})


class KeepState(Change[OwnState, Entity], frozen=True):
    """Keep how the hub is in one respect from now on. Raises Invalid."""

    address: str

    feature = OwnState
    right = Right.ARRANGE

    async def do(self, feature: OwnState, by: Actor) -> Done[Entity]:
        entity = await feature.keep(self.address)
        return Done(entity, StateKept(entity=entity.address))
