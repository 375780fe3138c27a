"""The batch writer: one commit for all readings that came in during the one before; then their senders are told."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable

from hombi.hub.journal import Journal
from hombi.hub.ports import Records, Row
from hombi.hub.records_thread import RecordsThread

log = logging.getLogger(__name__)

MAX_BATCH = 2_000
MAX_HELD = 200_000
GATHER_S = 0.1
RETRY_S = (0.2, 1.0, 2.0, 5.0)


class Writer:
    """Holds readings until they are committed. Nothing is acknowledged before, and nothing is dropped: at the bound
    (`MAX_HELD` rows) `full` says so, and intake takes no more until there is room."""

    def __init__(self, records: Records, thread: RecordsThread, journal: Journal) -> None:
        self._records, self._thread, self._journal = records, thread, journal
        self._rows: list[Row] = []
        self._told: list[tuple[int, Callable[[], None]]] = []
        self._work = asyncio.Event()
        self._gathering: asyncio.TimerHandle | None = None
        self._closing = False
        self.committed = 0
        self.problem = ""

    @property
    def full(self) -> bool:
        """Whether no more can be held."""
        return len(self._rows) >= MAX_HELD

    @property
    def held(self) -> int:
        """How many readings wait for the disk."""
        return len(self._rows)

    def put(self, rows: list[Row], committed: Callable[[], None] | None) -> None:
        """Write these; `committed` is called once they are safe. Those that nobody waits for are gathered for a moment first:
        a commit costs as much for one reading as for fifty."""
        self._rows += rows
        self._told.append((len(rows), committed or _nobody))
        if committed is not None:
            self._work.set()
        elif self._gathering is None:
            self._gathering = asyncio.get_running_loop().call_later(GATHER_S, self._gathered)

    def _gathered(self) -> None:
        self._gathering = None
        self._work.set()

    async def run(self) -> None:
        """Write until closed."""
        failures = 0
        while True:
            await self._work.wait()
            self._work.clear()
            while self._rows:
                batch = self._rows[:MAX_BATCH]
                try:
                    await self._thread.run(self._records.store_readings, batch)
                except Exception as error:  # noqa: BLE001 - whatever the disk says, the readings are kept and tried again
                    failures += 1
                    self._report(error)
                    if self._closing:
                        return
                    await asyncio.sleep(RETRY_S[min(failures, len(RETRY_S)) - 1])
                    continue
                if failures:
                    self._journal.note("WritingResumed", f"readings are written again; {len(self._rows)} were held")
                failures, self.problem = 0, ""
                self._settle(len(batch))
            if self._closing:
                return

    async def close(self) -> None:
        """Write what is held, then end `run`."""
        self._closing = True
        if self._gathering is not None:
            self._gathering.cancel()
        self._work.set()

    def _settle(self, count: int) -> None:
        del self._rows[:count]
        self.committed += count
        told = 0
        for place, (rows, committed) in enumerate(self._told):
            if rows > count:
                # The batch ended inside this one: its sender waits for the rest.
                self._told[place] = (rows - count, committed)
                break
            count -= rows
            told = place + 1
            committed()
        del self._told[:told]

    def _report(self, error: Exception) -> None:
        log.warning("readings cannot be written: %s", error)
        self.problem = f"readings cannot be written ({error}); {len(self._rows)} are held in memory and tried again"
        self._journal.fault("WritingFailed", self.problem)


def _nobody() -> None:
    """Nobody waits."""
