"""Running the hub: one process, one event loop, one database file; the web server opens
and closes with the hub."""

from __future__ import annotations

import asyncio
import contextlib
import ctypes
import gc
import json
import os
import signal
import socket
import sqlite3
import sys
from collections.abc import Callable, Iterator
from importlib import import_module
from pathlib import Path
from typing import Any

import django
import uvicorn
import uvloop

from hombi.core.hosts import in_url
from hombi.hub.hub import Hub, open_hub
from hombi.hub.machine.private_file import write_private
from hombi.hub.machine.workspace import tidy
from hombi.hub.settings.config import Config, ConfigError, load_config
from hombi.links.base import LinkError
from hombi.links.crowd import raise_open_files
from hombi.links.secured import SecuredDoor
from hombi.service import systemd
from hombi.service.data_folder import DATABASE, DataError, holding, prepare
from hombi.service.start_error import WRONG_KEY, StartError
from hombi.service.table_places import keep_places

__all__ = ["StartError", "serve"]

TOKEN_FILE = "hub.token"  # noqa: S105 - the name of the file
# Short turns between threads: a commit that runs beside must not keep an automation
# waiting for 5 ms.
THREAD_TURN_S = 0.0005
# Readings come by the thousand, none of them part of a circle: the collector need not
# be called for every seven hundred. Each request leaves three hundred objects that only
# it finds: called much later, it would hold everything up for tens of milliseconds.
COLLECT_AFTER = 5_000
M_MMAP_THRESHOLD, M_ARENA_MAX = -3, -8  # malloc.h


def serve(data: Path, *, new_secrets: bool = False) -> None:
    """Run the hub on a data folder until it is told to stop. With `new_secrets` the
    sealed ones are forgotten first. Raises StartError."""
    sys.setswitchinterval(THREAD_TURN_S)
    _spare_memory()
    try:
        prepare(data)
        config = load_config(data)
    except (ConfigError, DataError) as error:
        raise StartError(str(error)) from error
    raise_open_files()
    with _only_hub(data):
        tidy(data)
        os.environ["HOMBI_DATA"] = str(data)
        os.environ["DJANGO_SETTINGS_MODULE"] = "hombi.service.settings"
        django.setup()
        with _listening_socket(config) as sock:
            # Only after django.setup().
            from hombi.service.updating import bring_up_to_date  # noqa: PLC0415

            bring_up_to_date(new_secrets=new_secrets)
            with contextlib.suppress(OSError, sqlite3.DatabaseError):  # a full disk, for now
                keep_places(data / DATABASE)
            uvloop.run(_serve(config, sock))
            _tidy()


def _spare_memory() -> None:
    """Have threads share two heaps. glibc gives each its own otherwise, and what one of
    them needed once stays with it: a third more memory after a large import. And have
    large blocks go back to the system: otherwise glibc keeps them, once one of their
    size was freed (4 MB after the console's heaviest pages)."""
    with contextlib.suppress(AttributeError, OSError):  # another C library has no mallopt
        libc = ctypes.CDLL(None)
        libc.mallopt(M_ARENA_MAX, 2)
        libc.mallopt(M_MMAP_THRESHOLD, 128 * 1024)


@contextlib.contextmanager
def _only_hub(data: Path) -> Iterator[None]:
    """Raises StartError when another hub runs on the data folder."""
    try:
        with holding(data):
            yield
    except DataError as error:
        raise StartError(str(error)) from error


def _listening_socket(config: Config) -> socket.socket:
    """Raises StartError when the port cannot be had."""
    try:
        return _listen(config.http_host, config.http_port)
    except OSError as error:
        raise StartError(
            f"HTTP port {config.http_port} cannot be opened ({error.strerror}); "
            "stop what uses it, or set HOMBI_PORT, or http.port in hombi.toml"
        ) from error


@contextlib.contextmanager
def _secured(config: Config, hub: Hub, welcome: Callable[[], asyncio.Protocol]) -> Iterator[None]:
    """Take connections in over HTTPS too. When its port cannot be had, the hub goes on
    over HTTP alone, and says so."""
    from hombi.service.connections import crowd  # noqa: PLC0415 - only after django.setup()

    if hub.trust.tls is None:
        yield
        return
    try:
        sock = _listen(config.http_host, config.https_port)
    except OSError as error:
        hub.trust.shut = f"port {config.https_port} cannot be opened ({error.strerror})"
        yield
        return
    door = SecuredDoor(sock, hub.trust.tls, crowd, welcome, hub.context.tasks)
    hub.context.tasks.watch("HTTPS", door.take_in)
    with sock:
        yield


def _listen(host: str, port: int) -> socket.socket:
    sock = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        sock.bind((host, port))
        sock.listen(256)  # who connects before the hub is open waits a moment, and is not refused
    except OSError:
        sock.close()
        raise
    return sock


def _tidy() -> None:
    """Put what the write-ahead log holds into the database, so that the one file is the
    whole house."""
    from django.db import connection  # noqa: PLC0415 - only after django.setup()

    with connection.cursor() as cursor:
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    connection.close()


class _Server(uvicorn.Server):
    """uvicorn, without its own signal handling: it would end the process before the hub
    has closed."""

    def capture_signals(self) -> Any:
        return contextlib.nullcontext()

    def stop_with(self, hub: Hub) -> None:
        """End on SIGINT and SIGTERM; the streams end first, or uvicorn would wait for
        them."""

        def stop() -> None:
            hub.context.live.close()
            self.should_exit = True

        for sign in (signal.SIGINT, signal.SIGTERM):
            asyncio.get_running_loop().add_signal_handler(sign, stop)


async def _serve(config: Config, sock: socket.socket) -> None:
    # Else they are loaded for the first request, and all others wait for that.
    import_module("hombi.service.urls")
    import_module("hombi.service.asgi")
    # Imported here, since all of these need Django to be set up first.
    from django.db import DatabaseError  # noqa: PLC0415

    from hombi.service import bridge  # noqa: PLC0415
    from hombi.service.accounts.authentication import LocalToken  # noqa: PLC0415
    from hombi.service.accounts.changes import Accounts  # noqa: PLC0415
    from hombi.service.accounts.first_sign_in import FirstSignIn  # noqa: PLC0415
    from hombi.service.accounts.models import fresh_token  # noqa: PLC0415
    from hombi.service.asgi import application  # noqa: PLC0415
    from hombi.service.connections import IDLE_S, Connection  # noqa: PLC0415
    from hombi.service.names import learn  # noqa: PLC0415
    from hombi.service.records.sealing import WrongKey  # noqa: PLC0415
    from hombi.service.records.store import DatabaseRecords  # noqa: PLC0415

    # What is here now stays, as does the house once it is open: the collector need not
    # look through it again and again.
    gc.collect()
    gc.freeze()
    gc.set_threshold(COLLECT_AFTER)
    learn(config.http_names)

    settings = uvicorn.Config(
        application,
        loop="none",
        lifespan="off",
        log_level="warning",
        timeout_graceful_shutdown=2,
        timeout_keep_alive=IDLE_S,
        server_header=False,
        http=Connection,
        # Whom a proxy speaks for is believed only of the proxies that the settings
        # name.
        proxy_headers=bool(config.http_behind),
        forwarded_allow_ips=list(config.http_behind),
    )
    server = _Server(settings)

    def welcome() -> asyncio.Protocol:
        """A connection over HTTPS is one of the same server's."""
        return Connection(config=settings, server_state=server.server_state, app_state={})

    try:
        async with open_hub(config, DatabaseRecords()) as hub:
            server.stop_with(hub)
            Accounts(hub.context, hub.house, hub.outbox)
            bridge.connect(hub)
            LocalToken.value = fresh_token()
            url = f"http://{_own_address(config)}:{config.http_port}"
            token = json.dumps({"url": url, "token": LocalToken.value})
            write_private(config.data / TOKEN_FILE, token.encode())
            code = await asyncio.to_thread(FirstSignIn.prepare)
            print(f"Hombi is up at {url}  ({config.data})", flush=True)  # noqa: T201
            if code:
                how = f"Open {url}/first-sign-in and enter the code {code}"
                print(f"Nobody owns this hub yet. {how}", flush=True)  # noqa: T201
            gc.freeze()
            with _secured(config, hub, welcome):
                print("Ready. Ctrl-C stops it.", flush=True)  # noqa: T201
                hub.context.tasks.watch("telling systemd", systemd.watching)
                await server.serve([sock])
            systemd.tell("STOPPING=1")
            (config.data / TOKEN_FILE).unlink(missing_ok=True)
    except LinkError as error:
        raise StartError(str(error)) from error
    except WrongKey as error:
        raise StartError(WRONG_KEY.format(error)) from error
    except DatabaseError as error:
        raise StartError(
            f"the database cannot be read ({error}); put a backup in its place"
        ) from error


def _own_address(config: Config) -> str:
    anywhere = config.http_host in ("0.0.0.0", "::")  # noqa: S104
    return in_url("127.0.0.1" if anywhere else config.http_host)
