"""The live stream: a ring of the latest events that any number of listeners read at
their own pace.

A listener holds nothing but its place in the ring. One that falls behind by the whole
ring is told so (`Reset`), and fetches the present state again; so no listener costs
memory, and none holds up the hub.
"""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import AsyncIterator
from dataclasses import dataclass

RING = 4_096


@dataclass(slots=True)
class LiveEvent:
    """One event in its place. `rendered` is for whoever writes it out, so that it is
    done once for all listeners."""

    number: int
    event: object
    rendered: bytes | None = None


class Live:
    """Publishes to the ring and lets listeners follow it."""

    def __init__(self, ring: int = RING) -> None:
        self._ring: list[LiveEvent | None] = [None] * ring
        self._next = 1
        self._news = asyncio.Event()
        self._closed = False
        # Numbers start over with each run of the hub; the run's name keeps an old
        # number from being taken for a new one.
        self.run = secrets.token_hex(4)

    @property
    def closed(self) -> bool:
        """Whether the hub stops."""
        return self._closed

    def publish(self, event: object) -> None:
        """Tell everybody who listens."""
        self._ring[self._next % len(self._ring)] = LiveEvent(self._next, event)
        self._next += 1
        if not self._news.is_set():
            self._news.set()

    def event_id(self, event: LiveEvent) -> str:
        """The id under which a listener can resume after this event."""
        return f"{self.run}-{event.number}"

    @property
    def here(self) -> str:
        """The id under which a listener hears all that comes from now on."""
        return f"{self.run}-{self._next - 1}"

    def _place(self, last_id: str) -> int | None:
        """The number after `last_id`, or None when it is not in the ring any more."""
        run, _, number = last_id.partition("-")
        if run != self.run or not (number.isascii() and number.isdigit() and len(number) < 16):
            return None
        following = int(number) + 1
        return following if self._next - len(self._ring) < following <= self._next else None

    async def follow(
        self, last_id: str = "", beat_s: float = 15.0
    ) -> AsyncIterator[list[LiveEvent] | None]:
        """Batches of events from now on, or from after `last_id`.

        An empty batch means that events were missed and the present state is to be
        fetched; None is a heartbeat after `beat_s` without news. Ends when the hub
        stops.
        """
        place = self._next
        if last_id:
            following = self._place(last_id)
            if following is None:
                yield []
            else:
                place = following
        while not self._closed:
            if place == self._next:
                news = self._news
                try:
                    async with asyncio.timeout(beat_s):
                        await news.wait()
                except TimeoutError:
                    yield None
                    continue
                if news is self._news and news.is_set():
                    self._news = asyncio.Event()
                    if self._closed:
                        self._news.set()
                continue
            if place < self._next - len(self._ring):
                place = self._next
                yield []
                continue
            batch = [self._ring[n % len(self._ring)] for n in range(place, self._next)]
            place = self._next
            yield [event for event in batch if event is not None]

    def close(self) -> None:
        """End all listeners."""
        self._closed = True
        self._news.set()
