"""The Zigbee nodes of Heron Mill around their stick: they live on, and keep what they
know from one start to the next."""

from __future__ import annotations

import asyncio
import json
from pathlib import Path

from hombi.lab.operated_plans import OPERATED
from hombi.lab.physics import Mill
from hombi.lab.radio_plans import ZIGBEE
from hombi.lab.zigbee_nodes import ZigbeeNode
from hombi.lab.zigbee_stick import Stick

STEP_S = 0.5
KEEP_EVERY_S = 10.0


class ZigbeeHouse:
    """The stick and its nodes. `folder` is the lab's."""

    def __init__(self, mill: Mill, folder: Path) -> None:
        self.stick = Stick(folder / "zigbee-stick", folder / "zigbee-stick.json")
        self._kept = folder / "zigbee-nodes.json"
        self.nodes = {
            plan.address: ZigbeeNode(plan, mill, self.stick) for plan in (*ZIGBEE, *OPERATED)
        }
        known = json.loads(self._kept.read_text()) if self._kept.exists() else {}
        for address, state in known.items():
            if address in self.nodes:
                self.nodes[address].restore(state)

    def move_to(self, mill: Mill) -> None:
        """Be in another mill."""
        for node in self.nodes.values():
            node.mill = mill

    async def run(self) -> None:
        """Live until cancelled."""
        left = 0.0
        try:
            while True:
                for node in self.nodes.values():
                    node.step()
                await asyncio.sleep(STEP_S)
                left -= STEP_S
                if left < 0:
                    left = KEEP_EVERY_S
                    self._keep()
        finally:
            self._keep()
            self.stick.unplug()

    def _keep(self) -> None:
        self._kept.write_text(
            json.dumps({address: node.kept() for address, node in self.nodes.items()})
        )
