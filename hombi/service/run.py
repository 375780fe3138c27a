"""Running the hub: one process, one event loop, one database file; the web server opens
and closes with the hub."""

from __future__ import annotations

import asyncio
import contextlib
import fcntl
import gc
import json
import os
import signal
import socket
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import django
import uvicorn
import uvloop

from hombi.hub.config import Config, ConfigError, load_config
from hombi.hub.hub import Hub, open_hub
from hombi.links.base import LinkError
from hombi.links.crowd import raise_open_files
from hombi.service.data_folder import DataError, prepare

TOKEN_FILE = "hub.token"  # noqa: S105 - the name of the file
# Short turns between threads: a commit that runs beside must not keep an automation
# waiting for 5 ms.
THREAD_TURN_S = 0.0005
COLLECT_AFTER = 50_000


OURS = ("records", "accounts")
_WRONG_KEY = (
    "{}: put back the secret.key that belongs to this database. If it is lost, start "
    "once with `hombi serve --new-secrets`: "
    "phones, the secrets of nodes and the kept Zigbee network are forgotten and must be "
    "set up again; everything else stays"
)


class StartError(Exception):
    """The hub cannot start; the message says why and what to do."""


def serve(data: Path, *, new_secrets: bool = False) -> None:
    """Run the hub on a data folder until it is told to stop. With `new_secrets` the
    sealed ones are forgotten first. Raises StartError."""
    sys.setswitchinterval(THREAD_TURN_S)
    try:
        prepare(data)
        config = load_config(data)
    except (ConfigError, DataError) as error:
        raise StartError(str(error)) from error
    raise_open_files()
    with _only_hub(data):
        os.environ["HOMBI_DATA"] = str(data)
        os.environ["DJANGO_SETTINGS_MODULE"] = "hombi.service.settings"
        django.setup()
        with _listening_socket(config) as sock:
            _migrate(new_secrets=new_secrets)
            # What is here now stays: the collector need not look through it again and
            # again. And readings come by the thousand, none of them part of a circle:
            # it is called for every fifty thousand of them, not for every seven
            # hundred.
            gc.freeze()
            gc.set_threshold(COLLECT_AFTER)
            uvloop.run(_serve(config, sock))
            _tidy()


@contextlib.contextmanager
def _only_hub(data: Path) -> Iterator[None]:
    """Hold the data folder's lock. Raises StartError when another hub holds it."""
    path = data / "hub.lock"
    with path.open("a+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            file.seek(0)
            raise StartError(
                f"another hub (process {file.read().strip() or '?'}) runs on {data}; "
                f"stop it, or set HOMBI_DATA to another folder"
            ) from error
        file.truncate(0)
        file.write(str(os.getpid()))
        file.flush()
        yield


def _listening_socket(config: Config) -> socket.socket:
    """Raises StartError when the port cannot be had."""
    family = socket.AF_INET6 if ":" in config.http_host else socket.AF_INET
    sock = socket.socket(family)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        sock.bind((config.http_host, config.http_port))
        sock.listen(256)  # who connects before the hub is open waits a moment, and is not refused
    except OSError as error:
        sock.close()
        raise StartError(
            f"HTTP port {config.http_port} cannot be opened ({error.strerror}); "
            "stop what uses it, or set HOMBI_PORT, or http.port in hombi.toml"
        ) from error
    return sock


def _migrate(*, new_secrets: bool) -> None:
    # Only after django.setup().
    from django.core.management import call_command  # noqa: PLC0415
    from django.db import DatabaseError, connection  # noqa: PLC0415
    from django.db.migrations.loader import MigrationLoader  # noqa: PLC0415

    from hombi.service.records.sealing import WrongKey, forget_all  # noqa: PLC0415

    try:
        loader = MigrationLoader(connection)
        if newer := sorted(
            name
            for app, name in set(loader.applied_migrations) - set(loader.disk_migrations)
            if app in OURS
        ):
            raise StartError(
                f"this data was written by a newer Hombi ({newer[-1]} is not known "
                f"here); install that one again, "
                "or put back a backup of before"
            )
        call_command("migrate", verbosity=0, interactive=False)
        if new_secrets:
            forget_all(connection)
    except WrongKey as error:
        raise StartError(_WRONG_KEY.format(error)) from error
    except DatabaseError as error:
        raise StartError(
            f"the database cannot be brought up to date ({error}); put a backup in its place"
        ) from error


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
    # Imported here, since all of these need Django to be set up first.
    from django.db import DatabaseError  # noqa: PLC0415

    from hombi.service import bridge  # noqa: PLC0415
    from hombi.service.accounts.authentication import LocalToken  # noqa: PLC0415
    from hombi.service.accounts.changes import Accounts  # noqa: PLC0415
    from hombi.service.accounts.claim import Claim  # noqa: PLC0415
    from hombi.service.accounts.models import fresh_token  # noqa: PLC0415
    from hombi.service.asgi import application  # noqa: PLC0415
    from hombi.service.connections import IDLE_S, Connection  # noqa: PLC0415
    from hombi.service.names import learn  # noqa: PLC0415
    from hombi.service.records.sealing import WrongKey  # noqa: PLC0415
    from hombi.service.records.store import DatabaseRecords  # noqa: PLC0415

    learn(config.http_names, config.http_port)
    server = _Server(
        uvicorn.Config(
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
    )
    try:
        async with open_hub(config, DatabaseRecords()) as hub:
            server.stop_with(hub)
            Accounts(hub.context, hub.house)
            bridge.connect(hub)
            LocalToken.value = fresh_token()
            url = f"http://{_own_address(config)}:{config.http_port}"
            _write_private(
                config.data / TOKEN_FILE, json.dumps({"url": url, "token": LocalToken.value})
            )
            code = await asyncio.to_thread(Claim.prepare)
            print(f"Hombi is up at {url}  ({config.data})", flush=True)  # noqa: T201
            if code:
                claim = f"Open {url}/claim and enter the code {code}"
                print(f"Nobody owns this hub yet. {claim}", flush=True)  # noqa: T201
            print("Ready. Ctrl-C stops it.", flush=True)  # noqa: T201
            await server.serve([sock])
            (config.data / TOKEN_FILE).unlink(missing_ok=True)
    except LinkError as error:
        raise StartError(str(error)) from error
    except WrongKey as error:
        raise StartError(_WRONG_KEY.format(error)) from error
    except DatabaseError as error:
        raise StartError(
            f"the database cannot be read ({error}); put a backup in its place"
        ) from error


def _own_address(config: Config) -> str:
    return "127.0.0.1" if config.http_host in ("0.0.0.0", "::") else config.http_host  # noqa: S104


def _write_private(path: Path, text: str) -> None:
    """A file for the hub's own user only, from its first byte."""
    path.unlink(missing_ok=True)
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
        file.write(text)
