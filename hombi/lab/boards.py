"""Home-built boards that know nothing of Hombi: they publish JSON on topics of their
own, or post a number."""

from __future__ import annotations

import asyncio
import contextlib
import json

import httpx

from hombi.lab.mqtt_client import MqttClient, Refused
from hombi.lab.physics import Mill
from hombi.links.wifi.mqtt import packets as p

ACCOUNT = "mill-boards"
TOPICS = ("mill/#",)
POSTING = "Wheel board"
EVERY_S = 4.0
AGAIN_AFTER_S = 2.0


class Boards:
    """Two boards that share the key of an account, as a person would give it to all
    that they build."""

    def __init__(self, mill: Mill, host: str, port: int, key: str, speed: float) -> None:
        self._mill, self._host, self._port, self._key, self._speed = mill, host, port, key, speed
        self.lamp = False

    async def run(self) -> None:
        """Publish for ever."""
        hello = p.Connect(ACCOUNT, keep_alive=30, username=ACCOUNT, password=self._key.encode())
        while True:
            try:
                async with MqttClient.connect(self._host, self._port, hello, self._heard) as (
                    client,
                    ended,
                ):
                    client.subscribe("mill/terrace/lamp/want")
                    while not ended.done():
                        for topic, payload in self.says():
                            await client.publish(topic, payload)
                        await asyncio.sleep(EVERY_S / self._speed)
            except (OSError, Refused):
                await asyncio.sleep(AGAIN_AFTER_S)

    def says(self) -> list[tuple[str, bytes]]:
        """What the boards publish now."""
        mill = self._mill
        soil = {
            "soil": {
                "moisture": round(41 + mill.noise("soil", 1.5), 1),
                "temp_c": round(mill.outdoor.temperature + 1.5, 1),
            },
            "bat_mv": 2987,
            "rssi": round(-67 + mill.noise("rssi", 2)),
        }
        lamp = {"lamp": int(self.lamp), "uptime_s": round(mill.time_s % 1e6)}
        return [
            ("mill/herb-bed/state", json.dumps(soil).encode()),
            ("mill/terrace/lamp/is", json.dumps(lamp).encode()),
            ("mill/race/depth", f"{0.82 + mill.noise('race', 0.01):.2f}".encode()),
        ]

    def _heard(self, message: p.Publish) -> None:
        with contextlib.suppress(ValueError, TypeError, KeyError):  # not meant for a lamp
            self.lamp = bool(json.loads(message.payload)["lamp"])


async def post_for_ever(
    http: httpx.AsyncClient, mill: Mill, node: str, key: str, speed: float
) -> None:
    """A board that posts how fast the wheel turns, as a bare number."""
    while True:
        try:
            turns = 7.5 + mill.noise("wheel", 0.3)
            await http.post(f"/api/intake/{node}/turns", content=f"{turns:.1f}", auth=(node, key))
        except httpx.HTTPError:
            await asyncio.sleep(AGAIN_AFTER_S)
        await asyncio.sleep(5 * EVERY_S / speed)
