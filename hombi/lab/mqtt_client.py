"""A small MQTT client for the lab's nodes, on the link's codec."""

from __future__ import annotations

import asyncio
import contextlib
import socket
from collections.abc import AsyncIterator, Callable
from itertools import count

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.decoding import Reader
from hombi.links.wifi.mqtt.encoding import encode


class Refused(Exception):
    """The door did not let this client in."""


class MqttClient:
    """One connection: publishes wait for their acknowledgement, messages go to a
    callback."""

    def __init__(
        self,
        reader: asyncio.StreamReader,
        writer: asyncio.StreamWriter,
        heard: Callable[[p.Publish], None],
    ) -> None:
        self._reader, self._writer, self._heard = reader, writer, heard
        self._numbers = count()
        self._waiting: dict[int, asyncio.Future[None]] = {}

    @classmethod
    @contextlib.asynccontextmanager
    async def connect(
        cls, host: str, port: int, hello: p.Connect, heard: Callable[[p.Publish], None]
    ) -> AsyncIterator[tuple[MqttClient, asyncio.Task[None]]]:
        """A connected client, and the task that ends when the connection does. Raises
        OSError, Refused."""
        reader, writer = await asyncio.open_connection(host, port)
        writer.get_extra_info("socket").setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        client = cls(reader, writer, heard)
        try:
            writer.write(encode(hello))
            answer = await reader.readexactly(4)
            if answer[3] != p.ACCEPTED:
                raise Refused(f"the door answered {answer[3]}")
            reading = asyncio.create_task(client._read(hello.keep_alive))
            try:
                yield client, reading
            finally:
                reading.cancel()
                await asyncio.gather(reading, return_exceptions=True)
                writer.write(encode(p.Disconnect()))
        except (asyncio.IncompleteReadError, ConnectionError) as error:
            raise OSError("the connection dropped") from error
        finally:
            writer.close()

    async def publish(
        self, topic: str, payload: bytes, *, qos: int = 1, retain: bool = False
    ) -> None:
        """Publish, and at QoS 1 wait until it is acknowledged."""
        number = next(self._numbers) % 0xFFFF + 1 if qos else 0
        self._writer.write(encode(p.Publish(topic, payload, qos, retain, number)))
        if qos:
            self._waiting[number] = asyncio.get_running_loop().create_future()
            await self._waiting[number]

    def subscribe(self, topic: str) -> None:
        """Subscribe at QoS 1."""
        self._writer.write(encode(p.Subscribe(next(self._numbers) % 0xFFFF + 1, ((topic, 1),))))

    async def _read(self, keep_alive: int) -> None:
        reader = Reader()
        try:
            while True:
                try:
                    async with asyncio.timeout(keep_alive * 0.7):
                        data = await self._reader.read(65536)
                except TimeoutError:
                    self._writer.write(encode(p.Pingreq()))
                    continue
                if not data:
                    raise ConnectionError("the door closed the connection")
                for packet in reader.feed(data):
                    self._take(packet)
        finally:
            for waiting in self._waiting.values():
                if not waiting.done():
                    waiting.set_exception(ConnectionError("the connection dropped"))

    def _take(self, packet: p.Packet) -> None:
        if isinstance(packet, p.Puback):
            if (
                waiting := self._waiting.pop(packet.packet_id, None)
            ) is not None and not waiting.done():
                waiting.set_result(None)
        elif isinstance(packet, p.Publish):
            if packet.qos:
                self._writer.write(encode(p.Puback(packet.packet_id)))
            self._heard(packet)
