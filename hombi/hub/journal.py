"""The journal: what happened, in order. Every change and every fault goes through here once."""

from __future__ import annotations

from typing import Any

from hombi.hub.clock import Clock
from hombi.hub.live import Live
from hombi.hub.ports import JournalEntry, Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.tasks import Tasks

BURST, BURST_MS = 10, 60_000


class Journal:
    """Notes what happened. Faults of one kind about one node are written ten times a minute at most, and counted."""

    def __init__(self, clock: Clock, records: Records, thread: RecordsThread, live: Live, tasks: Tasks) -> None:
        self._clock, self._records, self._thread, self._live, self._tasks = clock, records, thread, live, tasks
        # (event, node): when its minute began, and how many there were in it
        self._bursts: dict[tuple[str, str], tuple[int, int]] = {}

    def note(self, event: str, text: str, *, node: str = "", entity: str = "", automation: str = "", **data: Any) -> None:
        """Something happened: `event` in the past tense, `text` for people, `data` for programs."""
        entry = JournalEntry(self._clock.now_ms(), event, text, node, entity, automation, data)
        self._tasks.start(self._write(entry), name="journal")

    def fault(self, event: str, text: str, *, node: str = "") -> None:
        """Something went wrong that may go wrong a thousand times a second: ten a minute are written, the rest counted."""
        key, now = (event, node), self._clock.now_ms()
        began, seen = self._bursts.get(key, (now, 0))
        more = 0
        if now - began >= BURST_MS:
            began, seen, more = now, 0, max(0, seen - BURST)
        self._bursts[key] = (began, seen + 1)
        if seen < BURST:
            self.note(event, f"{text} (and {more} more like it before)" if more else text, node=node)

    async def _write(self, entry: JournalEntry) -> None:
        entry.id = await self._thread.run(self._records.add_journal, entry)
        self._live.publish("journal", journal_data(entry))


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
