"""The journal: what happened, in order. Every change and every fault goes through here
once."""

from __future__ import annotations

import asyncio
import logging
from collections import deque
from typing import Any

from hombi.hub.clock import Clock
from hombi.hub.errors import Busy
from hombi.hub.live import Live
from hombi.hub.ports import JournalEntry, Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.tasks import Tasks

log = logging.getLogger(__name__)
BURST, BURST_MS = 10, 60_000
# While the disk is full, this many entries wait for room; then the oldest go.
MAX_KEPT = 1_000
AGAIN_S = 1.0


class Journal:
    """Notes what happened. Faults of one kind about one node are written ten times a
    minute at most, and counted."""

    def __init__(
        self, clock: Clock, records: Records, thread: RecordsThread, live: Live, tasks: Tasks
    ) -> None:
        self._clock, self._records, self._thread, self._live, self._tasks = (
            clock,
            records,
            thread,
            live,
            tasks,
        )
        self._kept: deque[JournalEntry] = deque(maxlen=MAX_KEPT)
        self._writing = False
        # (event, node): when its minute began, and how many there were in it
        self._bursts: dict[tuple[str, str], tuple[int, int]] = {}

    def note(
        self,
        event: str,
        text: str,
        *,
        node: str = "",
        entity: str = "",
        automation: str = "",
        **data: Any,
    ) -> None:
        """Something happened: `event` in the past tense, `text` for people, `data` for
        programs."""
        entry = JournalEntry(self._clock.now_ms(), event, text, node, entity, automation, data)
        self._kept.append(entry)
        if not self._writing:
            self._writing = True
            self._tasks.start(self._write(), name="journal")

    def fault(self, event: str, text: str, *, node: str = "", automation: str = "") -> None:
        """Something went wrong that may go wrong a thousand times a second: ten a
        minute are written, the rest counted."""
        key, now = (event, node or automation), self._clock.now_ms()
        began, seen = self._bursts.get(key, (now, 0))
        more = 0
        if now - began >= BURST_MS:
            began, seen, more = now, 0, max(0, seen - BURST)
        self._bursts[key] = (began, seen + 1)
        if seen < BURST:
            self.note(
                event,
                f"{text} (and {more} more like it before)" if more else text,
                node=node,
                automation=automation,
            )

    async def _write(self) -> None:
        try:
            while self._kept:
                entry = self._kept[0]
                try:
                    entry.id = await self._thread.run(self._records.add_journal, entry)
                except Busy as error:
                    log.warning("the journal cannot be written: %s", error)
                    await asyncio.sleep(AGAIN_S)
                    continue
                except Exception:  # one that can never be written must not hold up the others
                    log.exception("an entry of the journal is lost: %s", entry.text)
                else:
                    self._live.publish("journal", journal_data(entry))
                if self._kept[0] is entry:
                    self._kept.popleft()
        finally:
            self._writing = False


def journal_data(entry: JournalEntry) -> dict[str, Any]:
    """An entry as programs see it."""
    return {
        "id": entry.id,
        "at": entry.at_ms,
        "event": entry.event,
        "text": entry.text,
        "node": entry.node,
        "entity": entry.entity,
        "automation": entry.automation,
        "data": entry.data,
    }
