"""What links ask to be kept: gathered by key and written in one transaction after
another.

Only the latest state of a key waits to be written, so a queue that is filled and
emptied costs memory for what is in it and nothing for how it got there.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable
from typing import Any

from hombi.hub.kernel import Context, Feature
from hombi.hub.machine.events import WritingFailed

log = logging.getLogger(__name__)

RETRY_S = 1.0
MAX_BATCH = 1_000


class Keeper(Feature):
    """Keeps plain data by key. `when_kept` tells once all that was given before is on
    disk."""

    name = "keeper"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._pending: dict[str, dict[str, Any] | None] = {}
        self._told: list[Callable[[], None]] = []
        self._writing = False
        self._work = asyncio.Event()
        self._closing = False
        self.kept: dict[str, dict[str, Any]] = {}

    async def load(self) -> None:
        """Read what was kept before a restart, into `kept`."""
        self.kept = await self.context.thread.run(self.context.records.keeping.all)

    def of(self, owner: str) -> dict[str, dict[str, Any]]:
        """What one owner had kept, by its own keys."""
        start = f"{owner}/"
        return {k.removeprefix(start): v for k, v in self.kept.items() if k.startswith(start)}

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        """Keep this (None: keep it no longer)."""
        self._pending.pop(key, None)  # it goes behind what was asked for since
        self._pending[key] = state
        self._work.set()

    def when_kept(self, call: Callable[[], None]) -> None:
        """Call once all that was given so far is on disk; at once when it is."""
        if not self._pending and not self._writing:
            call()
            return
        self._told.append(call)
        self._work.set()

    async def settled(self) -> None:
        """Wait until all that was given so far is on disk."""
        kept = asyncio.Event()
        self.when_kept(kept.set)
        await kept.wait()

    async def run(self) -> None:
        """Write until closed."""
        while True:
            await self._work.wait()
            self._work.clear()
            while self._pending or self._told:
                if not await self._write() and self._closing:
                    return
            if self._closing:
                return

    async def _write(self) -> bool:
        keys = list(self._pending)[:MAX_BATCH]
        batch = {key: self._pending.pop(key) for key in keys}
        # Who asked is told when nothing is left that was given before: with the whole
        # of it.
        waiting = self._told if not self._pending else []
        if waiting:
            self._told = []
        self._writing = True
        try:
            if batch:
                await self.context.thread.run(self.context.records.keeping.keep, batch)
        except Exception as error:  # noqa: BLE001 - whatever the disk says, it is kept here and tried again
            log.warning("what links keep cannot be written: %s", error)
            what = f"what nodes and clients are owed cannot be written ({error})"
            self.context.announce(WritingFailed(what=what))
            self._pending = {**batch, **self._pending}
            self._told = waiting + self._told
            if not self._closing:
                await asyncio.sleep(RETRY_S)
            return False
        finally:
            self._writing = False
        for call in waiting:
            self.context.tasks.guarded("who waited for what is kept", call)()
        return True

    async def open(self) -> None:
        self._loop = self.context.tasks.watch(self.name, self.run)

    async def close(self) -> None:
        """Write what is held."""
        self._closing = True
        self._work.set()
        await self._loop
