"""A machine without a clock of its own starts with a time that is wrong, until the
network gives it the right one. What came in meanwhile is dated right then."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Iterator
from datetime import datetime

import msgspec

from hombi.core.series import HOUR_MS
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Context, Feature, Need
from hombi.hub.kernel.clock import ALLOWED_MS
from hombi.hub.machine.events import ClockSet, DatesPutRight
from hombi.hub.machine.jobs import Job, Jobs, Left
from hombi.hub.machine.keeper import Keeper
from hombi.hub.readings.intake import AHEAD_MS
from hombi.hub.readings.port import HistoryPort
from hombi.hub.readings.writer import Writer
from hombi.hub.settings.config import Config

# The sort of its work over the past.
DATING = "dating"
OWNER, TIME = "clock", "time"
KEPT_EVERY_MS = 10 * 60_000


def known_ms(keeper: Keeper, house: House) -> int:
    """A time that has been: when the hub ran last, and the last reading of then. What
    is dated later than that could be is from a time when the clock was wrong."""
    kept = int(keeper.of(OWNER).get(TIME, {}).get("ms", 0))
    latest = kept + KEPT_EVERY_MS + ALLOWED_MS
    heard = (entity.latest.at_ms for entity in house.entities.values() if entity.latest)
    return max([kept, *(at for at in heard if at <= latest)])


def none_ahead(house: House, history: HistoryPort, now_ms: int) -> None:
    """A reading that is dated ahead of the hub's time is how nothing is yet: the one
    before it is the present value. Blocking; for a start."""
    for entity in house.entities.values():
        latest = entity.latest
        if latest is None or latest.at_ms <= now_ms + AHEAD_MS:
            continue
        before = history.before(entity.id, now_ms + AHEAD_MS + 1)
        known = before is not None and before.channel in entity.history_channels()
        entity.latest = before if known else None
        entity.heard_ms = before.at_ms if before is not None else 0
    for node in house.nodes.values():
        node.heard_ms = min(node.heard_ms, now_ms)


class MachineClock(Feature):
    """Compares the machine's time with when the hub ran last. While it is wrong,
    readings are dated by what has passed since; once the clock is set, they are put
    where they belong."""

    name = "clock"
    pressing = 1

    def __init__(
        self,
        context: Context,
        house: House,
        writer: Writer,
        keeper: Keeper,
        config: Config,
        jobs: Jobs,
    ) -> None:
        super().__init__(context)
        self._house, self._writer, self.zone = house, writer, config.zone
        self._keeper, self._last_ms = keeper, known_ms(keeper, house)
        # Since when readings are dated by what has passed, by the hub's own time.
        self._since_ms: int | None = None
        self._jobs = jobs
        jobs.sort(
            DATING,
            self._steps,
            lambda _: "dating what came in while the clock was wrong",
            stores_left=True,
        )
        context.hear(ClockSet, lambda event: self._clock_set(event.by_ms))

    async def open(self) -> None:
        if self.context.clock.doubtful:
            self._since_ms = self._last_ms + 1
        self.context.tasks.watch("keeping what time it is", self._keep_on)

    async def reconfigured(self, new: Config, old: Config) -> None:
        self.zone = new.zone

    async def close(self) -> None:
        self._keep()

    async def _keep_on(self) -> None:
        while True:
            self._keep()
            await asyncio.sleep(KEPT_EVERY_MS / 1000)

    def _keep(self) -> None:
        self._keeper.keep(f"{OWNER}/{TIME}", {"ms": self.context.clock.now_ms()})

    @property
    def problem(self) -> str:
        """What is wrong with the time, "" when nothing is."""
        now = self.context.clock.machine.now_ms()
        if now >= self._last_ms - ALLOWED_MS:
            return ""
        shown, last = (
            datetime.fromtimestamp(at / 1000, self.zone).strftime("%d %B %Y %H:%M")
            for at in (now, self._last_ms)
        )
        return f"this machine thinks it is {shown}, and it was {last} when the hub ran last"

    def needs(self) -> Iterator[Need]:
        if self.problem:
            text = (
                f"{self.problem}; until its clock is set, readings are dated by what has "
                f"passed since then, and automations with hours wait"
            )
            yield Need("clock", text, "/settings#doctor")

    def _clock_set(self, by_ms: int) -> None:
        self._keep()
        if self._since_ms is None or self.context.clock.doubtful:
            return
        since, until = self._since_ms, self.context.clock.now_ms() - by_ms + 1
        self._since_ms = None
        # Backwards it goes by less than what is allowed; that is left.
        if by_ms > 0:
            left = {"from": since, "to": until, "by": by_ms, "after": 0, "end": until, "count": 0}
            # The clock may be set a second time before the first is seen to.
            self._jobs.begin(DATING, since, left)

    async def _steps(self, job: Job) -> AsyncIterator[Left]:
        await self._writer.flushed()
        await self._jobs.safe()
        for entity in sorted(self._house.entities.values(), key=lambda entity: entity.id):
            left = job.left
            # What was moved before a restart was read with its new date.
            whole = left["after"] < entity.id and left["end"] == left["to"]
            while job.left["after"] < entity.id:
                yield await self.context.thread.run(self._move, job, entity.id)
            if whole:
                _dated(entity, left["from"], left["to"], left["by"])
        self.context.announce(DatesPutRight(count=job.left["count"], by_ms=job.left["by"]))

    def _move(self, job: Job, number: int) -> Left:
        """In the records thread: date some readings of an entity; what is left then. It
        is stored with them: done twice, readings would be moved twice."""
        left = job.left
        with self.context.records.together():
            history = self.context.records.history
            # The last ones go first, out of the way of those before.
            times = history.shift(number, left["from"], left["end"], left["by"])
            hours = {at // HOUR_MS * HOUR_MS for time in times for at in (time, time + left["by"])}
            history.mark_stale([(number, hour) for hour in sorted(hours)])
            left = {**left, "count": left["count"] + len(times)}
            if times and times[0] > left["from"]:
                left["end"] = times[0]
            else:
                left |= {"after": number, "end": left["to"]}
            self.context.records.keeping.keep({job.key: left})
        return left


def _dated(entity: Entity, since: int, until: int, by_ms: int) -> None:
    latest = entity.latest
    if latest is not None and since <= latest.at_ms < until:
        entity.latest = msgspec.structs.replace(latest, at_ms=latest.at_ms + by_ms)
    entity.recent = {}
