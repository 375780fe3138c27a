"""The batch writer: one commit for all that came in during the one before; then those
who wait for it are told.

What is decided because of a reading (the state of an automation, a notice, what a
switch is wanted to be) is committed in one transaction with it, or after it, never
before: a crash neither loses an edge nor repeats it.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, TypeVar

from hombi.hub.errors import Busy
from hombi.hub.kernel import Context, Feature, Need
from hombi.hub.machine.events import WritingFailed, WritingResumed
from hombi.hub.readings.port import Row
from hombi.links.pace import Pace

if TYPE_CHECKING:
    from hombi.hub.records import Records

log = logging.getLogger(__name__)

T = TypeVar("T")
MAX_BATCH = 2_000
MAX_HELD, MAX_ALSO = 200_000, 20_000
# A lone reading is committed at once. Where more than so many come in a second,
# readings stream: they are gathered for up to so long, until so many are there, or
# until nothing more comes.
ALONE_PER_S, ALONE_AT_ONCE = 10.0, 20.0
GATHER_S, ENOUGH, QUIET_S = 0.1, 100, 0.02
# So long readings are only safe, not yet in their place.
SETTLE_S = 60.0
RETRY_S = (0.2, 1.0, 2.0, 5.0)


@dataclass(slots=True)
class _Also:
    """Something else to be stored, after so many of the rows that wait."""

    after: int
    call: Callable[[Records], Any]
    done: Callable[[Any], None]


@dataclass(slots=True)
class _Gathering:
    """Readings that are gathered: since when, how many there were when it was looked
    at last, and whether somebody waits for one of them."""

    since_s: float
    rows: int = 0
    waited_for: bool = False
    timer: asyncio.TimerHandle | None = None


class Writer(Feature):
    """Holds readings until they are committed. Nothing is acknowledged before, and
    nothing is dropped: at the bound (`MAX_HELD` rows) `full` says so, and intake takes
    no more until there is room."""

    name = "writer"
    pressing = 2

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._records, self._thread = context.records, context.thread
        self._rows: list[Row] = []
        self._told: list[tuple[int, Callable[[], None]]] = []
        self._also: list[_Also] = []
        self._work = asyncio.Event()
        self._gathering: _Gathering | None = None
        self._lone = Pace(rate=ALONE_PER_S, burst=ALONE_AT_ONCE)
        self._settling: asyncio.TimerHandle | None = None
        self._closing = False
        self._hearers: list[Callable[[Sequence[Row]], None]] = []
        self.committed = 0
        self.problem = ""

    @property
    def full(self) -> bool:
        """Whether no more can be held: readings, or what was decided for them."""
        return len(self._rows) >= MAX_HELD or len(self._also) >= MAX_ALSO

    @property
    def held(self) -> int:
        """How many readings wait for the disk."""
        return len(self._rows)

    def put(self, rows: list[Row], committed: Callable[[], None] | None) -> None:
        """Write these; `committed` is called once they are safe. While readings stream,
        and where nobody waits for them, they are gathered for a moment first: a commit
        costs as much for one reading as for fifty."""
        self._rows += rows
        for hear in self._hearers:
            hear(rows)
        self._told.append((len(rows), committed or _nobody))
        if len(self._rows) >= ENOUGH or (
            committed is not None and self._lone.allows(asyncio.get_running_loop().time())
        ):
            self._work.set()
        else:
            self._gather(waited_for=committed is not None)

    def hear(self, call: Callable[[Sequence[Row]], None]) -> None:
        """Have this called with all rows that are to be written."""
        self._hearers.append(call)

    def also(self, call: Callable[[Records], T], done: Callable[[T], None] | None = None) -> None:
        """Store something else, in the transaction of the readings that were put before
        it; `done` is called with what the call returned, once that is committed."""
        self._also.append(_Also(len(self._rows), call, done or _ignore))
        self._work.set()

    async def flushed(self) -> None:
        """Wait until all that was put so far is on the disk."""
        done = asyncio.Event()
        self.also(lambda _: None, lambda _: done.set())
        await done.wait()

    def _settle_soon(self) -> None:
        if self._settling is None:
            self._settling = asyncio.get_running_loop().call_later(SETTLE_S, self._settle_now)

    def _settle_now(self) -> None:
        self._settling = None
        self.also(lambda records: records.history.settle())

    def _gather(self, *, waited_for: bool) -> None:
        if self._gathering is None:
            self._gathering = _Gathering(asyncio.get_running_loop().time())
            self._look_again(self._gathering)
        self._gathering.waited_for |= waited_for

    def _look_again(self, gathering: _Gathering) -> None:
        gathering.rows = len(self._rows)
        loop = asyncio.get_running_loop()
        gathering.timer = loop.call_later(QUIET_S, self._gathered, gathering)

    def _gathered(self, gathering: _Gathering) -> None:
        over = asyncio.get_running_loop().time() >= gathering.since_s + GATHER_S
        # A sender that has nothing on its way but what it waits for sends no more now.
        quiet = gathering.waited_for and len(self._rows) == gathering.rows
        if over or quiet:
            self._gathering = None
            self._work.set()
        else:
            self._look_again(gathering)

    async def run(self) -> None:
        """Write until closed."""
        failures = 0
        while True:
            await self._work.wait()
            self._work.clear()
            rows = self._rows[:MAX_BATCH]
            also = [one for one in self._also if one.after <= len(rows)]
            if rows or also:
                try:
                    answers = await self._thread.run(self._store, rows, also)
                except Exception as error:  # noqa: BLE001 - whatever the disk says, the readings are kept and tried again
                    failures += 1
                    self._report(error)
                    if self._closing:
                        return
                    self._work.set()
                    await asyncio.sleep(RETRY_S[min(failures, len(RETRY_S)) - 1])
                    continue
                if failures:
                    self.context.announce(WritingResumed(held=len(self._rows)))
                failures, self.problem = 0, ""
                self._tell_all(len(rows), also, answers)
            if rows:
                self._settle_soon()
            if (
                self._also
                or len(self._rows) >= ENOUGH
                or len(rows) == MAX_BATCH
                or (self._closing and self._rows)
            ):
                self._work.set()
            elif self._closing:
                if self._settling is None:
                    return
                self._settling.cancel()
                self._settle_now()

    async def open(self) -> None:
        self._loop = self.context.tasks.watch(self.name, self.run)

    async def close(self) -> None:
        """Write what is held."""
        self._closing = True
        if self._gathering is not None and self._gathering.timer is not None:
            self._gathering.timer.cancel()
        self._work.set()
        await self._loop

    def needs(self) -> Iterator[Need]:
        if self.problem:
            yield Need("disk", self.problem, "/journal")

    def _store(self, rows: list[Row], also: list[_Also]) -> list[Any]:
        """In the records thread: all of it as one."""
        if not also:
            self._records.history.store(rows)
            return []
        try:
            with self._records.together():
                if rows:
                    self._records.history.store(rows)
                return [one.call(self._records) for one in also]
        except Busy:
            raise
        except Exception:
            log.exception(
                "what belongs to readings cannot be stored with them; it is stored one by one"
            )
        # One that can never be stored must not hold up the others.
        if rows:
            self._records.history.store(rows)
        return [self._alone(one) for one in also]

    def _alone(self, one: _Also) -> Any:
        try:
            with self._records.together():
                return one.call(self._records)
        except Busy:
            raise
        except Exception as error:
            log.exception("something is not stored")
            return error

    def _tell_all(self, count: int, also: list[_Also], answers: list[Any]) -> None:
        del self._rows[:count]
        self.committed += count
        del self._also[: len(also)]
        for one in self._also:
            one.after -= count
        told = 0
        for place, (rows, committed) in enumerate(self._told):
            if rows > count:
                # The batch ended inside this one: its sender waits for the rest.
                self._told[place] = (rows - count, committed)
                break
            count -= rows
            told = place + 1
            self._tell(committed)
        del self._told[:told]
        for one, answer in zip(also, answers, strict=True):
            if isinstance(answer, Exception):
                what = f"something that was decided could not be stored: {answer}"
                self.context.announce(WritingFailed(what=what))
            else:
                self._tell(one.done, answer)

    def _tell(self, call: Callable[..., None], *words: Any) -> None:
        try:
            call(*words)
        except Exception:
            log.exception("who waited for a commit failed")

    def _report(self, error: Exception) -> None:
        log.warning("readings cannot be written: %s", error)
        self.problem = (
            f"readings cannot be written ({error}); {len(self._rows)} are held in memory "
            f"and tried again"
        )
        self.context.announce(WritingFailed(what=self.problem))


def _nobody() -> None:
    """Nobody waits."""


def _ignore(_: Any) -> None:
    """Nobody asks what came of it."""
