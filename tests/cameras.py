"""Cameras that answer as they are told."""

from __future__ import annotations

import contextlib
import socket
import threading
from collections.abc import Callable, Iterator

# What a camera shows, and an automation that sends it along; its ADDRESS is replaced.
PNG = b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 40
SEEN = """name = "Yard"
[watch]
entity = "cellar-rack/humidity"
over = "90 %"
[[starts]]
notify = "ada"
title = "Somebody is in the yard"
picture = "ADDRESS"
"""


@contextlib.contextmanager
def camera(answer: Callable[[socket.socket], None]) -> Iterator[str]:
    """A camera that does this with whoever asks it; its address."""
    with socket.create_server(("127.0.0.1", 0)) as server:
        server.settimeout(0.2)
        ends = threading.Event()

        def run() -> None:
            while not ends.is_set():
                with contextlib.suppress(TimeoutError, OSError):
                    one, _ = server.accept()
                    with one:
                        one.recv(4096)
                        answer(one)

        thread = threading.Thread(target=run, daemon=True)
        thread.start()
        try:
            yield f"http://127.0.0.1:{server.getsockname()[1]}/snapshot.jpg"
        finally:
            ends.set()
            thread.join()


def says(status: str, head: str, body: bytes) -> Callable[[socket.socket], None]:
    return lambda one: one.sendall(f"HTTP/1.1 {status}\r\n{head}\r\n\r\n".encode() + body)
