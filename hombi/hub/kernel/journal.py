"""The journal: what happened, in order, and who was behind it."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections import deque
from itertools import islice
from typing import TYPE_CHECKING, NamedTuple

from hombi.hub.errors import Busy
from hombi.hub.kernel.actor import Actor
from hombi.hub.kernel.clock import Clock
from hombi.hub.kernel.events import Event, Quiet
from hombi.hub.kernel.journal_port import JournalEntry
from hombi.hub.kernel.live import Live
from hombi.hub.kernel.records_thread import RecordsThread

if TYPE_CHECKING:
    from hombi.hub.records import Records

log = logging.getLogger(__name__)
BURST, BURST_MS = 10, 60_000
# While the disk is full, this many entries wait for room; then the oldest go.
MAX_KEPT = 1_000
AGAIN_S, SETTLED_S = 1.0, 2.0
# So many are written in one go: a commit costs as much for one as for all.
AT_ONCE = 100


class EntryWritten(Quiet, frozen=True, kw_only=True):
    """An entry of the journal is stored."""

    entry: JournalEntry


class _Happened(NamedTuple):
    at_ms: int
    event: Event
    by: Actor
    more: int

    def entry(self) -> JournalEntry:
        event, text = self.event, self.event.sentence
        if self.more:
            text += f" (and {self.more} more like it before)"
        # What an automation did stands among what happened to it.
        about = event.node, event.entity, event.automation or self.by.address
        return JournalEntry(self.at_ms, event.name, text, str(self.by), *about, event.data)


class Journal:
    """Writes events down. Faults of one kind about one node are written ten times a
    minute at most, and counted."""

    def __init__(self, clock: Clock, records: Records, thread: RecordsThread, live: Live) -> None:
        self._clock, self._records, self._thread, self._live = clock, records, thread, live
        self._kept: deque[_Happened] = deque(maxlen=MAX_KEPT)
        self._work, self._stored = asyncio.Event(), asyncio.Event()
        self._stored.set()
        self._closing = False
        self.running: asyncio.Task[None] | None = None
        # (event, node): when its minute began, and how many there were in it
        self._bursts: dict[tuple[str, str], tuple[int, int]] = {}

    def write(self, event: Event, by: Actor) -> None:
        """Write an event down soon: what is to be done at once does not wait for its
        sentence."""
        more = self._more(event) if event.fault else 0
        if more is not None:
            self._kept.append(_Happened(self._clock.now_ms(), event, by, more))
            self._stored.clear()
            self._work.set()

    def _more(self, event: Event) -> int | None:
        """How many like it were left out before; None when this one is left out too."""
        key, now = (event.name, event.node or event.automation), self._clock.now_ms()
        began, seen = self._bursts.get(key, (now, 0))
        more = 0
        if now - began >= BURST_MS:
            began, seen, more = now, 0, max(0, seen - BURST)
        self._bursts[key] = (began, seen + 1)
        return more if seen < BURST else None

    async def run(self) -> None:
        """Store what is written, until closed."""
        while True:
            await self._work.wait()
            self._work.clear()
            await self._store()
            if self._closing:
                return

    async def _store(self) -> None:
        at_once = AT_ONCE
        while self._kept:
            some = list(islice(self._kept, at_once))
            try:
                await self._add(some)
            except Busy as error:
                log.warning("the journal cannot be written: %s", error)
                if self._closing:
                    return
                await asyncio.sleep(AGAIN_S)
                continue
            except Exception:  # one that can never be written must not hold up the others
                if len(some) > 1:
                    at_once = 1
                    continue
                log.exception("an entry of the journal is lost: %s", some[0].event.name)
            for one in some:
                if self._kept and self._kept[0] is one:
                    self._kept.popleft()
        self._stored.set()

    async def _add(self, happened: list[_Happened]) -> None:
        entries = [one.entry() for one in happened]
        numbers = await self._thread.run(self._records.journal.add, entries)
        for entry, number in zip(entries, numbers, strict=True):
            entry.id = number
            self._live.publish(EntryWritten(entry=entry))

    async def settled(self) -> None:
        """Wait until what has happened is stored, so that who made a change finds it;
        for a moment at most, since the disk may be full."""
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(SETTLED_S):
                await self._stored.wait()

    async def close(self) -> None:
        """Store what is written, then end `run`."""
        self._closing = True
        self._work.set()
        if self.running is not None:
            await self.running
