"""A machine without a clock of its own starts with a time that is wrong, until the
network gives it the right one. What came in meanwhile is dated right then."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from datetime import datetime, tzinfo

import msgspec

from hombi.core.series import HOUR_MS
from hombi.hub.errors import Busy
from hombi.hub.events import ClockSet, DatesPutRight
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Context, Need, Part
from hombi.hub.kernel.clock import ALLOWED_MS
from hombi.hub.writer import Writer

RETRY_S = 5.0


class MachineClock(Part):
    """Compares the machine's time with the last reading of before the start. While it
    is wrong, readings are dated by what has passed since that; once the clock is set,
    they are put where they belong."""

    name = "clock"

    def __init__(self, context: Context, house: House, writer: Writer, zone: tzinfo) -> None:
        super().__init__(context)
        self._house, self._writer, self._zone = house, writer, zone
        self._last_ms = 0
        # Since when readings are dated by what has passed, by the hub's own time.
        self._since_ms: int | None = None
        context.hear(ClockSet, lambda event: self._clock_set(event.by_ms))

    async def open(self) -> None:
        heard = (one.latest.at_ms for one in self._house.entities.values() if one.latest)
        self._last_ms = max(heard, default=0)
        if self.context.clock.doubtful:
            self._since_ms = self._last_ms + 1

    @property
    def problem(self) -> str:
        """What is wrong with the time, "" when nothing is."""
        now = self.context.clock.machine.now_ms()
        if now >= self._last_ms - ALLOWED_MS:
            return ""
        shown, last = (
            datetime.fromtimestamp(at / 1000, self._zone).strftime("%d %B %Y %H:%M")
            for at in (now, self._last_ms)
        )
        return f"this machine thinks it is {shown}, and its last reading is of {last}"

    def needs(self) -> Iterator[Need]:
        if self.problem:
            text = (
                f"{self.problem}; until its clock is set, readings are dated by the time since "
                f"then, and automations with hours wait"
            )
            yield Need("clock", text, "/settings#doctor")

    def _clock_set(self, by_ms: int) -> None:
        if self._since_ms is None or self.context.clock.doubtful:
            return
        since, until = self._since_ms, self.context.clock.now_ms() - by_ms + 1
        self._since_ms = None
        if by_ms:
            work = self._put_right(since, until, by_ms)
            self.context.tasks.start(work, name="dating what came in")

    async def _put_right(self, since: int, until: int, by_ms: int) -> None:
        await self._writer.flushed()
        count = 0
        for entity in list(self._house.entities.values()):
            while True:
                try:
                    count += await self.context.thread.run(
                        self._move, entity.id, since, until, by_ms
                    )
                    break
                except Busy as error:
                    self.context.tasks.failed("dating what came in", error)
                    await asyncio.sleep(RETRY_S)
            _dated(entity, since, until, by_ms)
        self.context.announce(DatesPutRight(count=count, by_ms=by_ms))

    def _move(self, number: int, since: int, until: int, by_ms: int) -> int:
        """In the records thread: how many readings of an entity were moved."""
        with self.context.records.together():
            history = self.context.records.history
            times = history.shift(number, since, until, by_ms)
            hours = {at // HOUR_MS * HOUR_MS for one in times for at in (one, one + by_ms)}
            history.mark_stale([(number, hour) for hour in sorted(hours)])
        return len(times)


def _dated(entity: Entity, since: int, until: int, by_ms: int) -> None:
    latest = entity.latest
    if latest is not None and since <= latest.at_ms < until:
        entity.latest = msgspec.structs.replace(latest, at_ms=latest.at_ms + by_ms)
    entity.recent = {}
