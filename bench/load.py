"""A fast MQTT sender, in a process of its own: publishes at QoS 1 with a window, and
measures until the last PUBACK.

python -m bench.load PORT SECONDS WINDOW KEYS.json

prints one line of JSON: {"messages": …, "seconds": …}

KEYS.json has for each client its key and its entities, and at a broker that is not the
hub its user and its topic.
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

TOPIC = "hombi/{}/readings"
SENML = b'[{"n":"%s","u":"Cel","v":%.2f,"t":%.3f}]'
FOREIGN = b'{"sensor":"%s","unit":"C","value":%.2f,"at":%.3f}'


class Sender(asyncio.Protocol):
    """One node that sends as fast as its window allows, each of its entities in
    turn."""

    def __init__(self, node: str, known: dict[str, Any], window: int, ends: float) -> None:
        self.node, self.key, self.entities, self.window, self.ends = (
            node,
            known["key"],
            known["entities"],
            window,
            ends,
        )
        self.user = known.get("user", node)
        self.sent = self.acknowledged = 0
        self.done: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        self.payload = SENML if "topic" not in known else FOREIGN
        self.topic = known.get("topic", TOPIC.format(node))
        # Single readings with a time of their own, about 80 bytes, as a node sends
        # them.
        self.start_ms = round(time.time() * 1000) - 30 * 86_400_000
        self._rest = b""

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport
        transport.get_extra_info("socket").setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        hello = p.Connect(self.node, keep_alive=60, username=self.user, password=self.key.encode())
        transport.write(encode(hello))  # type: ignore[attr-defined]

    def connection_lost(self, exc: Exception | None) -> None:
        if not self.done.done():
            self.done.set_exception(ConnectionError("the door closed the connection"))

    def data_received(self, data: bytes) -> None:
        data, self._rest = self._rest + data, b""
        if data[0] == 0x20:
            assert data[3] == 0, f"the door refused {self.node}"
            data = data[4:]
        whole = len(data) // 4
        self._rest = data[whole * 4 :]
        self.acknowledged += whole
        self._send()

    def _send(self) -> None:
        out = []
        if time.monotonic() < self.ends:
            while self.sent - self.acknowledged < self.window:
                name = self.entities[self.sent % len(self.entities)]
                at = (self.start_ms + self.sent * 10) / 1000
                payload = self.payload % (name.encode(), 20 + self.sent % 100 / 10, at)
                out.append(
                    encode(p.Publish(self.topic, payload, 1, packet_id=self.sent % 65535 + 1))
                )
                self.sent += 1
        if out:
            self.transport.write(b"".join(out))  # type: ignore[attr-defined]
        elif self.acknowledged == self.sent and not self.done.done():
            self.done.set_result(None)


async def main(port: int, seconds: float, window: int, keys: dict[str, dict[str, Any]]) -> None:
    loop = asyncio.get_running_loop()
    begun = time.monotonic()
    senders = []
    for node, known in keys.items():
        _, sender = await loop.create_connection(
            lambda node=node, known=known: Sender(node, known, window, begun + seconds),
            # type: ignore[misc]
            "127.0.0.1",
            port,
        )
        senders.append(sender)
    await asyncio.gather(*(s.done for s in senders))
    print(
        json.dumps(
            {"messages": sum(s.acknowledged for s in senders), "seconds": time.monotonic() - begun}
        )
    )


if __name__ == "__main__":
    uvloop.run(
        main(
            int(sys.argv[1]),
            float(sys.argv[2]),
            int(sys.argv[3]),
            json.loads(Path(sys.argv[4]).read_text()),
        )
    )
