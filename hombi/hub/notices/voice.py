"""Notices as sounds, for loudspeakers that play what an address leads to: spoken by
espeak-ng, where it is installed."""

from __future__ import annotations

import asyncio
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path

from hombi.hub.errors import Refused
from hombi.hub.kernel import Context
from hombi.hub.notices.buttons import SOUND, Buttons
from hombi.hub.notices.kept import Kept
from hombi.hub.ports import DeliveryRecord

PROGRAM = "espeak-ng"
PATIENCE_S = 20.0
LONGEST_TEXT = 1_000


def can_speak() -> bool:
    """Whether this machine has what it takes."""
    return shutil.which(PROGRAM) is not None


class Voice:
    """Makes them. `language` is the voice of espeak-ng, `address` that of the hub as
    nodes of the house reach it."""

    def __init__(
        self,
        context: Context,
        sounds: Kept,
        buttons: Buttons,
        language: Callable[[], str],
        address: Callable[[], str],
    ) -> None:
        self._context, self._buttons = context, buttons
        self._sounds, self._language, self._address = sounds, language, address

    async def spoken(self, delivery: DeliveryRecord, text: str) -> str:
        """The address of a WAV file that says a text. Raises Refused."""
        content = await self._made(text[:LONGEST_TEXT])
        now_s = self._context.clock.now_ms() / 1000
        try:
            await asyncio.to_thread(self._sounds.put, delivery.identity, content, now_s)
        except OSError as error:
            raise Refused(f"the sound cannot be kept: {error.strerror}") from error
        return f"{self._address()}/api/notices/sounds/{self._buttons.right(delivery.id, SOUND)}"

    async def _made(self, text: str) -> bytes:
        # Its header is right in a file only: it says how long the sound is.
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "spoken.wav"
            words = (PROGRAM, "-v", self._language(), "-w", str(file), "--stdin")
            pipe, none = asyncio.subprocess.PIPE, asyncio.subprocess.DEVNULL
            try:
                process = await asyncio.create_subprocess_exec(
                    *words, stdin=pipe, stdout=none, stderr=pipe
                )
            except OSError as error:
                raise Refused(f"{PROGRAM} is not installed; the hub cannot speak") from error
            try:
                async with asyncio.timeout(PATIENCE_S):
                    _, said = await process.communicate(text.encode())
            except TimeoutError as error:
                process.kill()
                await process.wait()
                raise Refused(f"{PROGRAM} took longer than {PATIENCE_S:.0f} s") from error
            if process.returncode or not file.exists():
                why = " ".join(said.decode(errors="replace").split())[:200]
                raise Refused(f"{PROGRAM}: {why or 'it failed'}")
            return file.read_bytes()
