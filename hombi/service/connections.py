"""The web server's connections: how many there may be, and how long one may keep the
hub waiting."""

from __future__ import annotations

import asyncio
import contextlib
import socket
from collections.abc import MutableMapping
from functools import partial
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

from hombi.links.crowd import Crowd

# A request's head must be there within this time, and no part of its body may take
# longer to come.
HEAD_S, BODY_S = 10.0, 20.0
# Who does not read what it asked for does not stay either, nor does a device that left
# the network without a word: the system tries to reach it for 15 minutes otherwise.
READ_S = 60.0
IDLE_S = 30
SCOPE = "hombi.connection"

crowd = Crowd()


class Connection(HttpToolsProtocol):
    """uvicorn's connection, with bounds: one that says nothing, or half of a request,
    does not stay."""

    _late: asyncio.TimerHandle | None = None
    _unread: asyncio.TimerHandle | None = None

    @property
    def busy(self) -> bool:
        """Whether a whole request has come in and is not answered yet."""
        return (
            self.cycle is not None and not self.cycle.response_complete and not self.cycle.more_body
        )

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        address = str(self.client[0]) if self.client else ""
        if not crowd.enter(self, address):
            transport.abort()
            return
        sock = transport.get_extra_info("socket")
        if sock is not None and hasattr(socket, "TCP_USER_TIMEOUT"):
            with contextlib.suppress(OSError):
                sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_USER_TIMEOUT, int(READ_S * 1000))
        self._expect(HEAD_S)

    def connection_lost(self, exc: Exception | None) -> None:
        self._expect(None)
        self._read_again()
        crowd.leave(self)
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        crowd.active(self)
        answered = self.cycle is None or self.cycle.response_complete
        super().data_received(data)
        if answered and (self.cycle is None or self.cycle.response_complete) and self._late is None:
            self._expect(HEAD_S)  # it has begun the next request

    def on_message_begin(self) -> None:
        super().on_message_begin()
        scope: MutableMapping[str, Any] = self.scope  # type: ignore[assignment]
        scope[SCOPE] = self

    def on_headers_complete(self) -> None:
        super().on_headers_complete()
        self._expect(BODY_S)

    def on_body(self, body: bytes) -> None:
        super().on_body(body)
        self._expect(BODY_S)

    def on_message_complete(self) -> None:
        super().on_message_complete()
        self._expect(None)

    def pause_writing(self) -> None:
        super().pause_writing()
        self._unread = self.loop.call_later(READ_S, self.turn_out)

    def resume_writing(self) -> None:
        super().resume_writing()
        self._read_again()

    def _read_again(self) -> None:
        if self._unread is not None:
            self._unread.cancel()
            self._unread = None

    def turn_out(self) -> None:
        """Close the connection at once."""
        if self.transport is not None and not self.transport.is_closing():
            self.transport.abort()

    def _expect(self, within_s: float | None) -> None:
        if self._late is not None:
            self._late.cancel()
        self._late = None if within_s is None else self.loop.call_later(within_s, self.turn_out)


def recognised(scope: MutableMapping[str, Any] | None, account: str, *, kept: bool) -> None:
    """The connection that this request came over has shown whose it is."""
    connection = scope.get(SCOPE) if scope is not None else None
    if connection is not None:
        loop = connection.loop
        loop.call_soon_threadsafe(partial(crowd.recognised, connection, account, kept=kept))
