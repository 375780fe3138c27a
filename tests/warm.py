"""Commands in processes of their own, forked from one that has loaded what they all
need (multiprocessing's fork server): a hub is up in a third of the time. What starts
cold has tests of its own."""

from __future__ import annotations

import multiprocessing
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Mapping, Sequence
from multiprocessing.connection import Connection

# Without what looks at the environment when it is loaded: settings, the terminal.
_LOADED = (
    "hombi.service.run",
    "hombi.client",
    "hombi.links.wifi.driver",
    "hombi.links.bluetooth.driver",
    "hombi.links.zigbee.driver",
    "hombi.core.automation.starters",
    "hombi.core.series.review",
    "hombi.hub.automations.looking_back",
    "hombi.hub.nodes.entities",
    "hombi.hub.past.review",
    "httpcore",
    "cryptography.hazmat.backends.openssl.backend",
    "django.db.models.sql.compiler",
    "uvicorn.protocols.http.httptools_impl",
    "django.core.management.commands.migrate",
    "django.contrib.auth.hashers",
    "django.contrib.sessions.middleware",
    "django.contrib.staticfiles.checks",
    "django.db.backends.sqlite3.base",
    "django.middleware.csrf",
    "django.template.defaulttags",
    "rest_framework.serializers",
    "anyio._backends._asyncio",
    "rich.syntax",
    "rich.table",
    "typer",
    "tests.quick_passwords",
    "tests.warm_django",
)
_FORKS = multiprocessing.get_context("forkserver")
_FORKS.set_forkserver_preload(list(_LOADED))


class Command:
    """One `hombi …` at work; what it has of subprocess.Popen does the same. Its errors
    go where its output goes, unless they are asked for apart."""

    def __init__(
        self, words: Sequence[str], environment: Mapping[str, str], *, apart: bool = False
    ) -> None:
        given, self._stdin = _FORKS.Pipe(duplex=False)
        self._out, out = _FORKS.Pipe(duplex=False)
        self._err, err = _FORKS.Pipe(duplex=False)
        streams = (given, out, err if apart else out)
        self._process = _FORKS.Process(
            target=_become, args=(tuple(words), dict(environment), streams), daemon=True
        )
        self._process.start()
        for one in (given, out, err):
            one.close()
        self.stdout = os.fdopen(os.dup(self._out.fileno()), encoding="utf-8", errors="replace")
        self.stderr = os.fdopen(os.dup(self._err.fileno()), encoding="utf-8", errors="replace")

    @property
    def pid(self) -> int:
        return self._process.pid or 0

    @property
    def returncode(self) -> int | None:
        return self._process.exitcode

    def poll(self) -> int | None:
        return self._process.exitcode

    def send_signal(self, sign: signal.Signals) -> None:
        os.kill(self.pid, sign)

    def wait(self, timeout: float) -> int:
        self._process.join(timeout)
        code = self._process.exitcode
        assert code is not None, "it did not end in time"
        return code

    def say(self, text: str) -> None:
        """Type this, and nothing more."""
        os.write(self._stdin.fileno(), text.encode())
        self._stdin.close()


def ran(
    words: Sequence[str], environment: Mapping[str, str], stdin: str, timeout: float
) -> subprocess.CompletedProcess[str]:
    """A command from its start to its end."""
    command = Command(words, environment, apart=True)
    said: dict[str, str] = {}
    readers = [
        threading.Thread(target=lambda name=name, stream=stream: said.update({name: stream.read()}))
        for name, stream in (("out", command.stdout), ("err", command.stderr))
    ]
    for reader in readers:
        reader.start()
    command.say(stdin)
    try:
        code = command.wait(timeout)
    finally:
        if command.poll() is None:
            command.send_signal(signal.SIGKILL)
        for reader, stream in zip(readers, (command.stdout, command.stderr), strict=True):
            reader.join()
            stream.close()
    return subprocess.CompletedProcess(list(words), code, said["out"], said["err"])


def _become(
    words: Sequence[str], environment: Mapping[str, str], streams: Sequence[Connection]
) -> None:
    """Be that command, in the new process."""
    os.environ.clear()
    os.environ.update(environment)
    time.tzset()
    for number, stream in enumerate(streams):
        os.dup2(stream.fileno(), number)
    for stream in set(streams):
        stream.close()
    sys.stdin = open(0, encoding="utf-8", closefd=False)  # noqa: SIM115
    sys.stdout = open(1, "w", encoding="utf-8", closefd=False)  # noqa: SIM115
    sys.stderr = open(2, "w", encoding="utf-8", closefd=False)  # noqa: SIM115
    sys.argv = ["hombi", *words]
    sys.path[:0] = [one for one in environment.get("PYTHONPATH", "").split(os.pathsep) if one]
    from hombi.cli.app import main

    main()
