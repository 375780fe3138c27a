"""A server that answers with bytes made by hand."""

from __future__ import annotations

import asyncio
import contextlib
import ssl
from collections.abc import AsyncIterator, Awaitable, Callable

Answer = Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]


@contextlib.asynccontextmanager
async def service(answer: Answer, tls: ssl.SSLContext | None = None) -> AsyncIterator[str]:
    """One that answers so; its address."""
    tasks: set[asyncio.Task[None]] = set()

    async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        task = asyncio.current_task()
        assert task is not None
        tasks.add(task)
        with contextlib.suppress(ConnectionError, asyncio.CancelledError):
            await answer(reader, writer)
        writer.close()

    server = await asyncio.start_server(serve, "127.0.0.1", 0, ssl=tls)
    port = server.sockets[0].getsockname()[1]
    try:
        yield f"127.0.0.1:{port}"
    finally:
        for task in tasks:
            task.cancel()
        server.close()


async def head_of(reader: asyncio.StreamReader) -> dict[str, str]:
    head = (await reader.readuntil(b"\r\n\r\n")).decode()
    return {
        name.lower(): value
        for name, value in (line.split(": ", 1) for line in head.split("\r\n")[1:] if line)
    } | {"request": head.split("\r\n")[0]}


def says(answer: bytes) -> Answer:
    async def say(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await head_of(reader)
        writer.write(answer)
        await writer.drain()

    return say


def drips(begins: bytes, again: bytes = b" ") -> Answer:
    """Says a little again and again, for ever."""

    async def drip(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await head_of(reader)
        writer.write(begins)
        while True:
            writer.write(again)
            await asyncio.sleep(0.05)

    return drip


def pours(begins: bytes, again: bytes = b" " * 65_536) -> Answer:
    """Says much, as fast as it is taken, for ever."""

    async def pour(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await head_of(reader)
        writer.write(begins)
        while True:
            writer.write(again)
            await writer.drain()

    return pour
