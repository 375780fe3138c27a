"""Radio nodes for a benchmark, in a process of their own: many Zigbee nodes on one
stick, or many Bluetooth ones on one bus.

python -m bench.air zigbee FOLDER NODES | bluetooth FOLDER NODES RATE
    prints "Ready", then takes one command a line and answers each with a line of JSON
"""

from __future__ import annotations

import asyncio
import json
import struct
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import uvloop

from hombi.lab.bluez import Bluez, Device
from hombi.lab.bus import PrivateBus
from hombi.lab.physics import Mill
from hombi.lab.zigbee_nodes import ZigbeeNode
from hombi.lab.zigbee_plan import Attr, Part, ZigbeePlan
from hombi.lab.zigbee_stick import Stick
from hombi.links.bluetooth import gatt
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import zcl

IEEE = 0x00F1_5EED_0001_0000
SENSOR = {1: Part(0x0302, {0x0000: {}, 0x0402: {0x0000: Attr(dt.S16, 2000)}})}
PLUG = {1: Part(0x0051, {0x0000: {}, 0x0006: {0x0000: Attr(dt.BOOL)}})}


def plan(number: int, parts: Any) -> ZigbeePlan:
    """A node that always listens."""
    return ZigbeePlan(
        f"node-{number}",
        f"Node {number}",
        "Loft",
        "Weirside",
        "Bench",
        IEEE + number,
        parts,
        sleepy=False,
        router=True,
    )


class Zigbee:
    """So many sensors, and one plug; the plug is the last."""

    def __init__(self, folder: Path, count: int) -> None:
        self.stick = Stick(folder / "stick", table=count + 8)
        mill = Mill(7, time.time())
        self.nodes = [
            ZigbeeNode(plan(n, PLUG if n == count else SENSOR), mill, self.stick)
            for n in range(count + 1)
        ]
        self.switched = asyncio.Event()
        plug = self.nodes[-1]
        heard = plug.heard

        def hear(endpoint: int, cluster: int, data: bytes, done: Callable[[int], None]) -> None:
            if cluster == 0x0006 and data[0] & 1:
                self.switched.set()
            heard(endpoint, cluster, data, done)

        plug.heard = hear  # type: ignore[method-assign]
        self.stick.plug()

    async def join(self, number: str) -> str:
        """Have one node join; its id."""
        while not self.stick.permits:
            await asyncio.sleep(0.01)
        node = self.nodes[int(number)]
        node.join()
        return node.thing_id

    async def flood(self, frames: str) -> float:
        """So many reports, by turns, as fast as the line takes them; when it began."""
        begun, sensors = time.time(), self.nodes[:-1]
        for number in range(int(frames)):
            self._report(sensors[number % len(sensors)], number)
            if number % 20 == 19:
                await asyncio.sleep(0)
                while self.stick._waiting:  # the line is full
                    await asyncio.sleep(0.001)
        return begun

    def _report(self, node: ZigbeeNode, value: int) -> None:
        node.report(1, 0x0402, [zcl.Attribute(0, dt.S16, 1000 + value % 1900)])

    async def react(self, samples: str) -> list[float]:
        """Milliseconds from the frame that crosses a limit to the plug's command, with
        200 reports a second of other traffic."""
        times, others = [], self.nodes[1:-1]
        for number in range(int(samples)):
            for other in range(2):
                self._report(others[(2 * number + other) % len(others)], number)
                await asyncio.sleep(0.005)
            self.switched.clear()
            begun = time.perf_counter()
            self.nodes[0].report(1, 0x0402, [zcl.Attribute(0, dt.S16, 3000 if number % 2 else 500)])
            async with asyncio.timeout(5):
                await self.switched.wait()
            times.append((time.perf_counter() - begun) * 1000)
        return times


class Bluetooth:
    """So many nodes that broadcast, all together `rate` times a second."""

    def __init__(self, folder: Path, count: int, rate: float) -> None:
        self.bus, self.count, self.rate = PrivateBus(folder), count, rate
        self.bluez = Bluez(self.bus.address)
        for number in range(count):
            mac = f"00:00:5E:00:{number // 256:02X}:{number % 256:02X}"
            self.bluez.devices[mac] = Device(mac, f"Tag {number}")
        self.sent = 0

    async def start(self) -> None:
        """Be on the bus."""
        await self.bus.start()
        await self.bluez.start()
        self._task = asyncio.create_task(self._live())

    async def _live(self) -> None:
        begun, macs = time.monotonic(), list(self.bluez.devices)
        while True:
            while self.sent < (time.monotonic() - begun) * self.rate:
                data = struct.pack("<hH", 1000 + self.sent % 900, 5000)
                mac = macs[self.sent % len(macs)]
                await self.bluez.advertise(
                    mac, -60 - self.sent % 9, {gatt.uuid(gatt.ENVIRONMENTAL_SENSING): data}, {}
                )
                self.sent += 1
            await asyncio.sleep(0.005)

    async def count_sent(self) -> int:
        """How many so far."""
        return self.sent


async def main(words: list[str]) -> None:
    """Be there, and do what is said."""
    air: Any
    if words[0] == "zigbee":
        air = Zigbee(Path(words[1]), int(words[2]))
    else:
        air = Bluetooth(Path(words[1]), int(words[2]), float(words[3]))
        await air.start()
    print("Ready", flush=True)
    loop = asyncio.get_running_loop()
    while line := (await loop.run_in_executor(None, sys.stdin.readline)).split():
        print(json.dumps(await getattr(air, line[0])(*line[1:])), flush=True)
    if words[0] == "bluetooth":
        await air.bluez.stop()
        await air.bus.stop()


if __name__ == "__main__":
    uvloop.run(main(sys.argv[1:]))
