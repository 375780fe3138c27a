"""A Zigbee driver on a real pty, with the lab's stick and nodes at the other end."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pytest

from hombi.lab.operated_plans import OPERATED
from hombi.lab.physics import Mill
from hombi.lab.radio_plans import ZIGBEE
from hombi.lab.zigbee_nodes import ZigbeeNode
from hombi.lab.zigbee_plan import ZigbeePlan
from hombi.lab.zigbee_stick import Stick
from hombi.links.base import Found
from hombi.links.zigbee import interview, radio, zcl
from hombi.links.zigbee.driver import ZigbeeDriver
from hombi.links.zigbee.settings import ZigbeeSettings
from tests.links.told import Told, context_of, on_link, until

PLANS = {plan.address: plan for plan in (*ZIGBEE, *OPERATED)}
TEMPERATURE, SWITCH, CONTACT, LEVEL = (
    "1/0402/0000",
    "1/0006/0000",
    "1/0500/0002/0003",
    "1/0008/0000",
)
MIDSUMMER_NOON_S = 1_782_043_200.0


@dataclass
class Rig:
    """The stick, its nodes, and the driver on the other end of the line."""

    folder: Path
    told: Told = field(default_factory=Told)
    mill: Mill = field(default_factory=lambda: Mill(7, MIDSUMMER_NOON_S))
    nodes: dict[str, ZigbeeNode] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.stick = Stick(self.folder / "stick", self.folder / "stick.json")
        self.driver = self.fresh_driver()

    def fresh_driver(self, kept: Mapping[str, dict[str, Any]] | None = None) -> ZigbeeDriver:
        settings = ZigbeeSettings(str(self.stick.path), profiles=self.folder / "profiles")
        return ZigbeeDriver(context_of(self.told, kept), settings)

    def node(self, address: str) -> ZigbeeNode:
        if address not in self.nodes:
            self.nodes[address] = ZigbeeNode(PLANS[address], self.mill, self.stick, polls_s=0.02)
        return self.nodes[address]

    def build(self, plan: ZigbeePlan) -> ZigbeeNode:
        self.nodes[plan.address] = ZigbeeNode(plan, self.mill, self.stick, polls_s=0.02)
        return self.nodes[plan.address]

    async def up(self) -> None:
        await until(lambda: self.driver.info()["state"] == "up")

    async def arrive(self, address: str) -> Found:
        """Open the window, press the node's button, and see it through its
        interview."""
        node = self.node(address)
        self.driver.pairing(True)
        await until(lambda: self.stick.permits)
        node.press()
        thing = f"urn:dev:mac:{node.ieee:016x}"
        return await until(lambda: self.told.arrived.get(thing))

    async def let_in(self, address: str) -> ZigbeeNode:
        """`arrive`, then admitted under its own name, with the window closed again."""
        self.driver.follow(on_link(address, await self.arrive(address)))
        self.driver.pairing(False)
        await until(lambda: not self.stick.permits)
        return self.node(address)

    async def live(self) -> None:
        """The lab's nodes live on."""
        while True:
            for node in list(self.nodes.values()):
                node.step()
            await asyncio.sleep(0.01)


@contextlib.asynccontextmanager
async def rig_at(folder: Path, *, plugged: bool = True) -> AsyncIterator[Rig]:
    """A rig with its driver started."""
    rig = Rig(folder)
    if plugged:
        rig.stick.plug()
    living = asyncio.create_task(rig.live())
    try:
        await rig.driver.start()
        if plugged:
            await rig.up()
        yield rig
    finally:
        await rig.driver.stop()
        living.cancel()
        rig.stick.unplug()


def came(rig: Rig, address: str, value: float) -> bool:
    """Whether this value came of the entity, among others: the hub reads nodes at times
    of its own."""
    return any(one.value == pytest.approx(value) for one in rig.told.values.get(address, []))


def report(node: ZigbeeNode, cluster: int, attribute: zcl.Attribute) -> None:
    """It reports one attribute."""
    node.report(1, cluster, [attribute])


def quick_interview() -> None:
    """Nodes here answer at once or never."""
    interview.PAUSE_S = 0.01
    radio.ANSWER_S = 0.3
