"""The door's sockets and its clock."""

from __future__ import annotations

import asyncio
import socket
import ssl
from typing import cast

from hombi.links.crowd import Crowd
from hombi.links.secured import SecuredDoor
from hombi.links.wifi.mqtt.connection import Connection
from hombi.links.wifi.mqtt.door import Door
from hombi.links.work import Work

# A client with this many messages on the way to the disk is not read from until some
# are there.
MAX_UNACKNOWLEDGED = 4_096
SWEEP_EVERY_S = 0.5
MAX_UNSENT = 1 << 20


class _Protocol(asyncio.Protocol):
    """One TCP connection; also the `Wire` that the door writes to."""

    busy = False

    def __init__(self, door: Door, crowd: Crowd) -> None:
        self._door, self._crowd = door, crowd
        self._recognised = False
        self._loop = asyncio.get_running_loop()
        self._out: list[bytes] = []
        self._paused = self._waits = False

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._transport = cast(asyncio.Transport, transport)
        _answer_at_once(transport)
        self._connection: Connection = self._door.accept(self, self._loop.time())
        if not self._crowd.enter(self, _address(transport)):
            self._transport.abort()

    def data_received(self, data: bytes) -> None:
        self._later(self._connection.receive(data, self._loop.time()))
        rights = self._connection.rights
        if not self._recognised and rights is not None:
            self._recognised = True
            self._crowd.recognised(self, rights.account)

    def turn_out(self) -> None:
        """Close the connection at once."""
        self._transport.abort()

    def _later(self, wait_s: float | None) -> None:
        """Read no more from a client while what it sent waits: for its turn, for its
        rate, or for the disk."""
        self._waits = wait_s is not None
        if wait_s is not None:
            self._loop.call_later(wait_s, self._go_on)
        if not self._paused and (
            self._waits or self._connection.unacknowledged > MAX_UNACKNOWLEDGED
        ):
            self._paused = True
            self._transport.pause_reading()
        else:
            self._resume()

    def _go_on(self) -> None:
        self._later(self._connection.go_on(self._loop.time()))

    def _resume(self) -> None:
        enough = self._connection.unacknowledged < MAX_UNACKNOWLEDGED // 2
        if self._paused and not self._waits and enough and not self._transport.is_closing():
            self._paused = False
            self._transport.resume_reading()

    def connection_lost(self, exc: Exception | None) -> None:
        self._crowd.leave(self)
        self._connection.close()

    def write(self, data: bytes) -> None:
        """Gather what one turn of the loop writes into one send."""
        if not self._out:
            self._loop.call_soon(self.flush)
        self._out.append(data)

    def close(self) -> None:
        self.flush()
        self._transport.close()

    def flush(self) -> None:
        """Send what was gathered so far."""
        if self._out and not self._transport.is_closing():
            self._transport.write(b"".join(self._out))
        self._out.clear()
        self._resume()
        if self._transport.get_write_buffer_size() > MAX_UNSENT:
            # It asks for more than it reads: what waits for it is kept in its session,
            # not in our memory.
            self._transport.abort()


def _answer_at_once(transport: asyncio.BaseTransport) -> None:
    sock = transport.get_extra_info("socket")
    if sock is not None:
        sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)


def _address(transport: asyncio.BaseTransport) -> str:
    peer = transport.get_extra_info("peername")
    return str(peer[0]) if peer else ""


class Listener:
    """Listens on a port, and with a certificate on a second one over TLS, from `open`
    to `close`. `problem` says why not on the second one, where it may do without."""

    def __init__(
        self,
        door: Door,
        work: Work,
        host: str,
        port: int,
        tls_port: int = 0,
        tls: ssl.SSLContext | None = None,
        must_secure: bool = True,
    ) -> None:
        self._door, self._work, self._host, self.port = door, work, host, port
        self.tls_port, self._tls, self._must_secure = tls_port, tls, must_secure
        self.problem = ""
        self._servers: list[asyncio.Server] = []
        self._securing: list[socket.socket] = []
        self.crowd = Crowd()

    async def open(self) -> None:
        """Bind and listen. Raises OSError when a port cannot be had; port 0 takes any
        free one."""
        self.port = await self._listen(self.port)
        if self._tls is not None:
            try:
                self.tls_port = await self._listen_tls(self.tls_port, self._tls)
            except OSError as error:
                if self._must_secure:
                    raise
                self.problem = (
                    f"MQTT over TLS is closed: port {self.tls_port} cannot be opened "
                    f"({error.strerror or error})"
                )
        self._work.watch("the MQTT listener's keep-alive", self._sweep)

    @property
    def secured(self) -> bool:
        """Whether it listens over TLS."""
        return bool(self._securing)

    async def _listen(self, port: int) -> int:
        loop = asyncio.get_running_loop()

        def welcome() -> asyncio.Protocol:
            return _Protocol(self._door, self.crowd)

        server = await loop.create_server(welcome, self._host or None, port)
        self._servers.append(server)
        return int(server.sockets[0].getsockname()[1])

    async def _listen_tls(self, port: int, tls: ssl.SSLContext) -> int:
        family = socket.AF_INET6 if ":" in self._host else socket.AF_INET
        sock = socket.create_server((self._host, port), family=family, backlog=128)
        door = SecuredDoor(
            sock, tls, self.crowd, lambda: _Protocol(self._door, self.crowd), self._work
        )
        self._work.watch("the MQTT listener over TLS", door.take_in)
        self._securing.append(sock)
        return int(sock.getsockname()[1])

    async def close(self) -> None:
        """Stop listening and end every connection."""
        await self._work.end()
        for server in self._servers:
            server.close()
        for sock in self._securing:
            sock.close()
        self._door.close()

    async def _sweep(self) -> None:
        loop = asyncio.get_running_loop()
        while True:
            await asyncio.sleep(SWEEP_EVERY_S)
            self._door.sweep(loop.time())
