"""A message bus of the lab's own: nothing of the machine's is touched."""

from __future__ import annotations

import asyncio
import shutil
from pathlib import Path


class NoDaemon(Exception):
    """There is no dbus-daemon on this machine, or it does not start."""


class PrivateBus:
    """A bus daemon of the lab's own, at a fixed address in its folder."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self.address = f"unix:path={folder / 'bus'}"
        self._process: asyncio.subprocess.Process | None = None

    async def start(self) -> None:
        """Start it. Raises NoDaemon."""
        program = shutil.which("dbus-daemon")
        if program is None:
            raise NoDaemon("dbus-daemon is not installed")
        config = self._folder / "bus.conf"
        (self._folder / "bus").unlink(missing_ok=True)
        config.write_text(
            '<!DOCTYPE busconfig PUBLIC "-//freedesktop//DTD D-Bus Bus Configuration 1.0//EN" '
            '"http://www.freedesktop.org/standards/dbus/1.0/busconfig.dtd">\n'
            f"<busconfig><type>custom</type><listen>{self.address}</listen><auth>EXTERNAL</auth>"
            '<policy context="default"><allow send_destination="*" '
            'eavesdrop="true"/><allow receive_sender="*"/>'
            '<allow own="*"/></policy></busconfig>\n'
        )
        self._process = await asyncio.create_subprocess_exec(
            program, f"--config-file={config}", "--nofork", "--print-address",
            stdout=asyncio.subprocess.PIPE, stderr=asyncio.subprocess.DEVNULL,
            start_new_session=True,
        )  # fmt: skip
        assert self._process.stdout is not None
        if not await self._process.stdout.readline():
            raise NoDaemon("dbus-daemon does not start")

    async def stop(self) -> None:
        """End it, and every connection to it."""
        if self._process is not None and self._process.returncode is None:
            self._process.terminate()
            await self._process.wait()
