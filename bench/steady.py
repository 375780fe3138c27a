"""Nodes at the door, each with one message a second, spread evenly over the second.

python -m bench.steady PORT SECONDS KEYS.json

prints one line of JSON: {"messages": …}
"""

from __future__ import annotations

import asyncio
import json
import socket
import sys
import time
from pathlib import Path
from typing import Any

import uvloop

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.encoding import encode


class Node(asyncio.Protocol):
    """One node that says one of its values once a second, each in turn."""

    def __init__(self, name: str, key: str, entities: list[str]) -> None:
        self.name, self._key, self._entities = name, key, entities

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._transport = transport
        transport.get_extra_info("socket").setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._write(
            p.Connect(self.name, keep_alive=60, username=self.name, password=self._key.encode())
        )

    def data_received(self, data: bytes) -> None: ...

    def say(self, number: int) -> None:
        entity = self._entities[number % len(self._entities)]
        payload = json.dumps(
            [{"n": entity, "u": "Cel", "v": number % 30, "t": round(time.time(), 3)}]
        ).encode()
        self._write(
            p.Publish(f"hombi/{self.name}/readings", payload, 1, packet_id=number % 65535 + 1)
        )

    def _write(self, packet: p.Packet) -> None:
        self._transport.write(encode(packet))  # type: ignore[attr-defined]


async def main(port: int, seconds: float, keys: dict[str, dict[str, Any]]) -> None:
    loop = asyncio.get_running_loop()
    nodes = [
        (
            await loop.create_connection(
                lambda name=name, known=known: Node(name, known["key"], known["entities"]),
                "127.0.0.1",
                port,
            )
        )[1]  # type: ignore[misc]
        for name, known in keys.items()
    ]
    begun, number = time.monotonic(), 0
    while time.monotonic() - begun < seconds:
        for node in nodes:
            number += 1
            node.say(number // len(nodes))
            await asyncio.sleep(max(0.0, begun + number / len(nodes) - time.monotonic()))
    print(json.dumps({"messages": number}))


if __name__ == "__main__":
    uvloop.run(
        main(int(sys.argv[1]), float(sys.argv[2]), json.loads(Path(sys.argv[3]).read_text()))
    )
