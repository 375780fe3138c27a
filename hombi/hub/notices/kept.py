"""What comes with notices and is fetched by whoever gets them: pictures, sounds. Each
is a file by the identity of its notice, and is forgotten after a while."""

from __future__ import annotations

import os
from pathlib import Path

MOST_KEPT, MOST_BYTES = 100, 100_000_000
KEPT_S = 7 * 86_400


class Kept:
    """The files of one sort. Its calls block."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def put(self, identity: str, content: bytes, now_s: float) -> None:
        """Keep one, whole or not at all, and forget the oldest. Raises OSError."""
        self._folder.mkdir(mode=0o700, exist_ok=True)
        made = self._folder / f"{identity}.new"
        made.write_bytes(content)
        made.replace(self._folder / identity)
        with os.scandir(self._folder) as result:
            known = [(one.stat(), one.path) for one in result]
        known.sort(key=lambda one: one[0].st_mtime, reverse=True)
        size = 0
        for place, (about, path) in enumerate(known):
            size += about.st_size
            if place >= MOST_KEPT or size > MOST_BYTES or now_s - about.st_mtime > KEPT_S:
                Path(path).unlink(missing_ok=True)

    def has(self, identity: str) -> bool:
        """Whether one is kept."""
        return (self._folder / identity).exists()

    def get(self, identity: str) -> bytes | None:
        """One of them, None where it is not kept."""
        try:
            return (self._folder / identity).read_bytes()
        except OSError:
            return None
