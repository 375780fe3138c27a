"""The lab's phones and web servers, each on a port of its own."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import Iterator
from pathlib import Path

import uvicorn
from starlette.applications import Starlette
from starlette.routing import Route

from hombi.lab.phone import LabPhone
from tests.house import Service, until


@contextlib.contextmanager
def served(routes: list[Route], port: int) -> Iterator[None]:
    """A web server on loopback."""
    app = Starlette(routes=routes)
    server = uvicorn.Server(
        uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error", lifespan="off")
    )
    thread = threading.Thread(target=lambda: asyncio.run(server.serve()), daemon=True)
    thread.start()
    until(lambda: server.started)
    try:
        yield
    finally:
        server.should_exit = True
        thread.join(30)


@contextlib.contextmanager
def phone_service(path: Path, port: int) -> Iterator[LabPhone]:
    """The lab's phone behind its push service."""
    phone = LabPhone.kept_in(path, "Lab phone")
    routes = [
        Route("/push/{channel}", phone.push, methods=["POST"]),
        Route("/phone/notices", phone.shown),
        Route("/phone", phone.page),
    ]
    with served(routes, port):
        yield phone


def add_phone(service: Service, phone: LabPhone, port: int) -> int:
    with service.hub() as hub:
        return hub.contacts.add_phone(
            phone.name, f"http://127.0.0.1:{port}/push/{phone.channel}", phone.keys()
        ).id
