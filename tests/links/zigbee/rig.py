"""A Zigbee driver on a real pty, with the lab's stick and nodes at the other end, and what the driver reports."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from hombi.core.kinds import KINDS
from hombi.core.senml import Resolved
from hombi.lab.heron_mill import ZIGBEE
from hombi.lab.physics import Mill
from hombi.lab.zigbee_nodes import ZigbeeNode, ZigbeePlan
from hombi.lab.zigbee_stick import Stick
from hombi.links.base import Acknowledge, Asking, Found, Heard, OnLink, Wired, ZigbeeSettings
from hombi.links.thing_description import read_description
from hombi.links.zigbee.driver import ZigbeeDriver

PLANS = {plan.address: plan for plan in ZIGBEE}
MIDSUMMER_NOON_S = 1_782_043_200.0


@dataclass
class Told:
    """What a driver reported (`links.base.Reports`)."""

    values: dict[str, list[Resolved]] = field(default_factory=dict)
    here: dict[str, bool] = field(default_factory=dict)
    gone: list[str] = field(default_factory=list)
    lives: list[str] = field(default_factory=list)
    asked: list[Asking] = field(default_factory=list)
    arrived: dict[str, Found] = field(default_factory=dict)
    refusals: list[str] = field(default_factory=list)
    troubles: list[str] = field(default_factory=list)
    kept: dict[str, dict[str, Any]] = field(default_factory=dict)

    def observed(self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge) -> None:
        for one in values:
            self.values.setdefault(f"{node}/{one.name}", []).append(one)
        acknowledge()

    def presence(self, node: str, here: bool) -> None:
        self.here[node] = here

    def alive(self, node: str) -> None:
        self.lives.append(node)

    def left(self, node: str) -> None:
        self.gone.append(node)

    def refused(self, node: str, what: str) -> None:
        self.refusals.append(f"{node}: {what}")

    def heard(self, message: Heard) -> None:
        raise AssertionError("no radio has messages")

    def found(self, found: Found) -> None:
        self.arrived[found.thing_id] = found

    def asking(self, asking: Asking) -> None:
        self.asked.append(asking)

    def trouble(self, link: str, what: str) -> None:
        self.troubles.append(what)

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        if state is None:
            self.kept.pop(key, None)
        else:
            self.kept[key] = state

    @property
    def wrong(self) -> str:
        """What is wrong with the link now."""
        return self.troubles[-1] if self.troubles else ""

    def latest(self, address: str) -> Any:
        """The latest value that came of an entity, None before there is any."""
        found = self.values.get(address)
        return found[-1].value if found else None


async def until(ask: Callable[[], Any], within_s: float = 10.0) -> Any:
    """Wait until the answer is true; the answer. Fails after `within_s`."""
    async with asyncio.timeout(within_s):
        while not (answer := ask()):
            await asyncio.sleep(0.005)
        return answer


def on_link(node: str, found: Found) -> OnLink:
    """An arrival, admitted as it was found."""
    thing = read_description(found.description)
    entities = tuple(Wired(p.wire_name, p.wire_unit, KINDS[p.kind.name], {}, {}) for p in thing.promised)
    return OnLink(node, found.reach, entities)


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
        return ZigbeeDriver(self.told, settings, dict(kept or {}))

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
        """Open the window, press the node's button, and see it through its interview."""
        node = self.node(address)
        self.driver.pairing(True)
        await until(lambda: self.stick.permits)
        node.press()
        thing = f"urn:dev:mac:{node.ieee:016x}"
        return await until(lambda: self.told.arrived.get(thing))

    async def let_in(self, address: str) -> ZigbeeNode:
        """`arrive`, then admitted under its own name."""
        self.driver.follow(on_link(address, await self.arrive(address)))
        self.driver.pairing(False)
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
