"""Notices as sounds, for loudspeakers that play what an address leads to: spoken by
espeak-ng, where it is installed."""

from __future__ import annotations

import asyncio
import shutil
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path

from hombi.hub.errors import Refused
from hombi.hub.kernel import Context
from hombi.hub.notices.buttons import SOUND, Buttons
from hombi.hub.notices.kept import Kept
from hombi.hub.notices.port import DeliveryRecord

PROGRAM = "espeak-ng"
PATIENCE_S = 10.0
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
        try:
            await asyncio.to_thread(self._say, delivery.identity, text[:LONGEST_TEXT])
        except OSError as error:
            raise Refused(f"{PROGRAM} cannot be used: {error.strerror}") from error
        except subprocess.TimeoutExpired as error:
            raise Refused(f"{PROGRAM} took longer than {PATIENCE_S:.0f} s") from error
        return f"{self._address()}/api/notices/sounds/{self._buttons.right(delivery.id, SOUND)}"

    def _say(self, identity: str, text: str) -> None:
        """In a thread of its own."""
        # Its header is right in a file only: it says how long the sound is.
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "spoken.wav"
            done = subprocess.run(  # noqa: S603 - the text comes by its input, and is not an option
                [PROGRAM, "-v", self._language(), "-w", str(file), "--stdin"],
                input=text.encode(errors="replace"),
                capture_output=True,
                timeout=PATIENCE_S,
                check=False,
            )
            if done.returncode or not file.exists():
                why = " ".join(done.stderr.decode(errors="replace").split())[:200]
                raise Refused(f"{PROGRAM}: {why or 'it failed'}")
            self._sounds.put(identity, file.read_bytes(), self._context.clock.now_ms() / 1000)
