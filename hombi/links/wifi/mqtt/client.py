"""The hub as a client of a broker: one connection, over which each message is
acknowledged when the hub says so."""

from __future__ import annotations

import asyncio
import functools
import socket
import ssl
from collections import deque
from collections.abc import Callable, Iterable
from typing import cast

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.decoding import Reader
from hombi.links.wifi.mqtt.encoding import encode
from hombi.links.wifi.mqtt.wire import MalformedPacket

ANSWER_S = 10.0
SLICE = 100
REFUSED_TOLD = 5
MAX_PACKET = 16 * 1024 * 1024  # a broker carries pictures too
Received = Callable[[p.Publish, Callable[[], None]], None]

_REFUSALS = {
    p.BAD_PROTOCOL: "it does not speak this version of MQTT",
    p.BAD_CLIENT_ID: "it does not take the hub's client identifier",
    p.UNAVAILABLE: "it is not available",
    p.BAD_CREDENTIALS: "bad user name or password",
    p.NOT_AUTHORISED: "not authorised",
    p.UNSUPPORTED_VERSION: "it does not speak this version of MQTT",
    p.CLIENT_ID_NOT_VALID: "it does not take the hub's client identifier",
    p.BAD_USER_OR_PASSWORD: "bad user name or password",
    p.NOT_AUTHORIZED: "not authorised",
}


class Refused(Exception):
    """The broker does not let the hub in; the message says why."""


class Client(asyncio.Protocol):
    """One connection, from `connect` until `ended` is done with the reason. What is
    received goes to `received` with the call that acknowledges it; acknowledging after
    the connection has ended does nothing, since the broker sends it again."""

    def __init__(self, hello: p.Connect, received: Received) -> None:
        self._hello, self._received = hello, received
        self._loop = asyncio.get_running_loop()
        self._reader = Reader(MAX_PACKET, hello.level)
        self._came: deque[p.Publish] = deque()
        self._out: list[bytes] = []
        self._number = 0
        self._heard_s = self._loop.time()
        self._answer: asyncio.Future[p.Connack] = self._loop.create_future()
        self.ended: asyncio.Future[str] = self._loop.create_future()
        # Sent at QoS 1 and not acknowledged yet, by packet identifier.
        self.unacknowledged: dict[int, p.Publish] = {}
        self.refused_filters: list[str] = []
        # Topics under which the broker did not take what was published, the last ones.
        self.refused_topics: deque[str] = deque(maxlen=REFUSED_TOLD)
        self._asked: dict[int, list[str]] = {}

    @classmethod
    async def connect(
        cls, host: str, port: int, tls: ssl.SSLContext | None, hello: p.Connect, received: Received
    ) -> Client:
        """A connection that the broker has accepted. Raises OSError, Refused."""
        loop = asyncio.get_running_loop()
        async with asyncio.timeout(ANSWER_S):
            _, client = await loop.create_connection(
                lambda: cls(hello, received), host, port, ssl=tls
            )
            client._write(encode(hello))
            try:
                answer = await client._answer
            except BaseException:
                client.close()
                raise
        if answer.code:
            client.close()
            raise Refused(_REFUSALS.get(answer.code, f"reason {answer.code:#04x}"))
        client._keep_alive()
        return client

    def subscribe(self, filters: Iterable[str]) -> None:
        """Hear these topics, at QoS 1."""
        names = list(filters)
        if names:
            number = self._next()
            self._asked[number] = names
            self._write(
                encode(p.Subscribe(number, tuple((name, 1) for name in names)), self._hello.level)
            )

    def publish(self, message: p.Publish) -> None:
        """Send a message at QoS 0 or 1; its packet identifier is chosen here."""
        number = self._next() if message.qos else 0
        sent = p.Publish(
            message.topic, message.payload, message.qos, message.retain, number, message.duplicate
        )
        if number:
            self.unacknowledged[number] = sent
        self._write(encode(sent, self._hello.level))

    def close(self) -> None:
        """Say goodbye."""
        self._write(encode(p.Disconnect(), self._hello.level))
        self._flush()
        self._transport.close()

    # asyncio.Protocol

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._transport = cast(asyncio.Transport, transport)
        sock = transport.get_extra_info("socket")
        if sock is not None:
            sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def data_received(self, data: bytes) -> None:
        self._heard_s = self._loop.time()
        try:
            packets = self._reader.feed(data)
        except MalformedPacket as error:
            self.end(f"it sent what is not MQTT: {error}")
            return
        for packet in packets:
            self._take(packet)
        if self._came:
            # The loop has other things to do too; nothing more is read until this is
            # done.
            self._transport.pause_reading()
            self._loop.call_soon(self._work)

    def connection_lost(self, exc: Exception | None) -> None:
        self.end(f"the connection dropped ({exc})" if exc else "it closed the connection")

    # What comes

    def _take(self, packet: p.Packet) -> None:
        match packet:
            case p.Publish():
                self._came.append(packet)
            case p.Puback():
                sent = self.unacknowledged.pop(packet.packet_id, None)
                if sent is not None and packet.reason >= p.SUBSCRIBE_REFUSED:
                    self._not_taken(sent.topic)
            case p.Suback():
                names = self._asked.pop(packet.packet_id, [])
                self.refused_filters += [
                    name
                    for name, code in zip(names, packet.codes, strict=False)
                    if code >= p.SUBSCRIBE_REFUSED
                ]
            case p.Connack() if not self._answer.done():
                self._answer.set_result(packet)
            case p.Disconnect():
                self.end(f"it ended the connection, reason {packet.reason:#04x}")

    def _not_taken(self, topic: str) -> None:
        if topic not in self.refused_topics:
            self.refused_topics.append(topic)

    def _work(self) -> None:
        try:
            for _ in range(min(SLICE, len(self._came))):
                message = self._came.popleft()
                number = message.packet_id
                self._received(message, functools.partial(self._acknowledge, number))
        finally:
            # Whatever became of one message, those behind it must not wait for ever.
            if self._came:
                self._loop.call_soon(self._work)
            elif not self._transport.is_closing():
                self._transport.resume_reading()

    def _acknowledge(self, number: int) -> None:
        if number and not self.ended.done():
            self._write(encode(p.Puback(number), self._hello.level))

    # What goes

    def _next(self) -> int:
        self._number = self._number % 0xFFFF + 1
        while self._number in self.unacknowledged:
            self._number = self._number % 0xFFFF + 1
        return self._number

    def _write(self, data: bytes) -> None:
        """Gather what one turn of the loop writes into one send."""
        if not self._out:
            self._loop.call_soon(self._flush)
        self._out.append(data)

    def _flush(self) -> None:
        if self._out and not self._transport.is_closing():
            self._transport.write(b"".join(self._out))
        self._out.clear()

    def _keep_alive(self) -> None:
        """Ping when it has been quiet for half the time, and end when nothing answers
        [MQTT-3.1.2-22]."""
        if self.ended.done():
            return
        quiet = self._loop.time() - self._heard_s
        if quiet > self._hello.keep_alive * 1.5:
            self.end("it does not answer any more")
            self._transport.abort()
            return
        if quiet > self._hello.keep_alive / 2:
            self._write(encode(p.Pingreq()))
        self._loop.call_later(self._hello.keep_alive / 4, self._keep_alive)

    def end(self, why: str) -> None:
        """End the connection without a goodbye, and say why."""
        if not self._answer.done():
            self._answer.set_exception(ConnectionError(why))
            self._answer.exception()  # who waits for it hears it; nobody need
        if not self.ended.done():
            self.ended.set_result(why)
        self._transport.close()
