"""How often each value is heard: kept over a restart, so that the hub need not learn it
anew; and what nodes have promised."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping

from hombi.core.rhythm import Rhythm
from hombi.hub.house import House, Node
from hombi.hub.kernel import Context, Feature
from hombi.hub.machine.keeper import Keeper
from hombi.hub.nodes.links import Links
from hombi.links.capabilities import Promises

OWNER = "rhythm"
LOOK_EVERY_S = 60.0
KEEP_EVERY = 15  # looks


class Rhythms(Feature):
    """Keeps them, for each node as one."""

    name = "rhythms"

    def __init__(self, context: Context, house: House, links: Links, keeper: Keeper) -> None:
        super().__init__(context)
        self._house, self._links, self._keeper = house, links, keeper
        self._kept: dict[str, dict[str, int]] = {}

    async def open(self) -> None:
        for address, rhythms in self._keeper.of(OWNER).items():
            node = self._house.nodes.get(address)
            if node is None:
                self._keeper.keep(f"{OWNER}/{address}", None)
                continue
            for name, kept in rhythms.items():
                if name in node.entities:
                    node.entities[name].rhythm = Rhythm.of(kept)
            self._kept[address] = _gaps(node)
        self.context.tasks.watch(self.name, self._look)

    async def close(self) -> None:
        self.keep()

    async def _look(self) -> None:
        looks = 0
        while True:
            self.take_promises()
            await asyncio.sleep(LOOK_EVERY_S)
            looks += 1
            if looks % KEEP_EVERY == 0:
                self.keep()

    def take_promises(self) -> None:
        """How often each node has promised to send each of its values: profiles and
        interviews change it."""
        for node in self._house.nodes.values():
            driver = self._links.drivers.get(node.link)
            promised: Mapping[str, float] = (
                driver.promised_s(node.address) if isinstance(driver, Promises) else {}
            )
            for entity in node.entities.values():
                entity.agreed_ms = promised.get(entity.wire_name, 0.0) * 1000

    def keep(self) -> None:
        """Have those kept that have learned something."""
        for address, node in self._house.nodes.items():
            gaps = _gaps(node)
            if gaps and gaps != self._kept.get(address):
                self._kept[address] = gaps
                rhythms = {name: node.entities[name].rhythm.kept() for name in gaps}
                self._keeper.keep(f"{OWNER}/{address}", rhythms)


def _gaps(node: Node) -> dict[str, int]:
    return {
        name: entity.rhythm.gaps
        for name, entity in node.entities.items()
        if entity.learns and entity.rhythm.gaps
    }
