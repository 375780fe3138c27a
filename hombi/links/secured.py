"""Connections over TLS, taken in one by one: each is counted from its first moment. A
server of the loop's own would tell only of those that are secured already, and whoever
begins a thousand handshakes and ends none would have a thousand of the hub's files."""

from __future__ import annotations

import asyncio
import contextlib
import socket
import ssl
from collections.abc import Callable

from hombi.links.base import Tasks
from hombi.links.crowd import Crowd

HANDSHAKE_S = 10.0
NO_FILES_S = 0.5


class _Handshake:
    """A connection that is to be secured first."""

    busy = False

    def __init__(self, sock: socket.socket) -> None:
        self._sock = sock

    def turn_out(self) -> None:
        """Close the connection at once."""
        with contextlib.suppress(OSError):
            self._sock.shutdown(socket.SHUT_RDWR)


class SecuredDoor:
    """Takes connections in at a listening socket; `welcome` makes the protocol of one
    that is secured, which enters the crowd by itself."""

    def __init__(
        self,
        sock: socket.socket,
        tls: ssl.SSLContext,
        crowd: Crowd,
        welcome: Callable[[], asyncio.Protocol],
        tasks: Tasks,
    ) -> None:
        sock.setblocking(False)
        self._sock, self._tls, self._crowd = sock, tls, crowd
        self._welcome, self._tasks = welcome, tasks

    async def take_in(self) -> None:
        """Take them in until cancelled."""
        loop = asyncio.get_running_loop()
        while True:
            try:
                sock, peer = await loop.sock_accept(self._sock)
            except OSError:  # no file is left for it
                await asyncio.sleep(NO_FILES_S)
                continue
            handshake = _Handshake(sock)
            if not self._crowd.enter(handshake, str(peer[0])):
                sock.close()
                continue
            self._tasks.start(self._secure(sock, handshake), name="a TLS handshake")

    async def _secure(self, sock: socket.socket, handshake: _Handshake) -> None:
        try:
            await asyncio.get_running_loop().connect_accepted_socket(
                self._welcome, sock, ssl=self._tls, ssl_handshake_timeout=HANDSHAKE_S
            )
        except (OSError, TimeoutError):  # ssl.SSLError is an OSError
            sock.close()
        finally:
            self._crowd.leave(handshake)
