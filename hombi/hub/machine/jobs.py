"""Work over the past: all that makes, moves or deletes what is stored already, one job
at a time for each thing that it is about.

A job is stored with what it still has to do. It goes on in small steps, after a kill
too; what a busy or full disk did not take is done again after a pause that grows. A
changed zone, step or source only adds a job.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable, Iterable
from contextlib import aclosing
from dataclasses import dataclass, field
from typing import Any

from hombi.hub.errors import Busy
from hombi.hub.kernel import Context, Feature
from hombi.hub.machine.events import JobsChanged
from hombi.hub.machine.keeper import Keeper

# Under this name what is left is kept; no link has it.
OWNER = "past"
# Others get their turn at the disk after each step.
REST_S = 0.002
PAUSES_S = (0.5, 2.0, 5.0, 15.0, 30.0)
KEPT_EVERY_S = 1.0
# What is over by then is not worth a word.
TOLD_AFTER_S = 1.0

Left = dict[str, Any]


@dataclass(eq=False, slots=True)
class Job:
    """One piece of work: of which sort, about what (an entity's number, or "" for the
    house), and what is left of it, as plain data.

    `since_ms` and `until_ms` in what is left are the span that it still goes over.
    `problem` says what the disk did not take, "" while all is well.
    """

    sort: str
    about: str
    left: Left
    after: tuple[Job, ...] = ()
    problem: str = ""
    first_ms: int | None = None
    # Whether those who look on know of it.
    told: bool = False
    task: asyncio.Task[None] | None = None
    # It is done, or has met a first problem.
    settled: asyncio.Event = field(default_factory=asyncio.Event)
    over: asyncio.Event = field(default_factory=asyncio.Event)

    @property
    def key(self) -> str:
        """Under this what is left is kept."""
        return f"{OWNER}/{self.sort}/{self.about}"

    @property
    def progress(self) -> float | None:
        """How much of its span is done, 0 to 1; None where its end is not known."""
        at, end = self.left.get("since_ms"), self.left.get("until_ms")
        if at is None or end is None or self.first_ms is None:
            return None
        done_ms, whole_ms = int(at) - self.first_ms, int(end) - self.first_ms
        return min(1.0, max(0.0, done_ms / max(1, whole_ms)))


# The steps of a job, one after another: what is left after each. Begun again, they go
# on from what is left.
Steps = Callable[[Job], AsyncIterator[Left]]


@dataclass(frozen=True, slots=True)
class _Sort:
    steps: Steps
    in_words: Callable[[Job], str]
    entity: Callable[[Job], str]
    stores_left: bool


class Jobs(Feature):
    """Runs the jobs, and lists them."""

    name = "work over the past"

    def __init__(self, context: Context, keeper: Keeper) -> None:
        super().__init__(context)
        self._keeper = keeper
        self._sorts: dict[str, _Sort] = {}
        self._all: dict[tuple[str, str], Job] = {}
        self._open = False
        self.pauses_s: tuple[float, ...] = PAUSES_S

    def sort(
        self,
        name: str,
        steps: Steps,
        in_words: Callable[[Job], str],
        entity: Callable[[Job], str] = lambda _: "",
        *,
        stores_left: bool = False,
    ) -> None:
        """A sort of work; `entity` is the address of what it is about. It goes on after
        a restart with what is left of it. With `stores_left` its steps store that
        themselves, in the transaction that does them: done twice, they would do
        harm."""
        self._sorts[name] = _Sort(steps, in_words, entity, stores_left)
        for key, left in self._keeper.of(f"{OWNER}/{name}").items():
            self._all[name, key] = Job(name, key, left)

    async def open(self) -> None:
        """Go on with what a stop or a kill has cut off."""
        self._open = True
        for job in self._all.values():
            self.start(job)

    async def close(self) -> None:
        """Stop between two steps; what is left is kept."""
        self._open = False
        tasks = [job.task for job in self._all.values() if job.task is not None]
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        for job in self._all.values():
            if not self._sorts[job.sort].stores_left:
                self._keeper.keep(job.key, job.left)

    def plan(self, sort: str, about: object, left: Left, after: Iterable[Job] = ()) -> Job:
        """Have something to do, which begins when it is started, or after a restart.
        What the same sort of work had still to do about this is forgotten: who plans
        knows it. It waits for the jobs that it comes `after`."""
        old = self.find(sort, about)
        if old is not None:
            if old.task is not None:
                old.task.cancel()
            old.over.set()
            old.settled.set()
        job = Job(sort, str(about), left, tuple(after))
        self._all[sort, job.about] = job
        self._keeper.keep(job.key, left)
        return job

    def start(self, job: Job) -> None:
        """Begin a planned job; before the hub is open, it begins then."""
        if self._open and job.task is None:
            job.task = self.context.tasks.start(self._run(job), self.in_words(job))
            asyncio.get_running_loop().call_later(TOLD_AFTER_S, self._lasts, job)

    def begin(self, sort: str, about: object, left: Left, after: Iterable[Job] = ()) -> Job:
        """Plan a job and start it."""
        job = self.plan(sort, about, left, after)
        self.start(job)
        return job

    async def safe(self) -> None:
        """Wait until all that was planned so far would outlive a kill."""
        await self._keeper.settled()

    async def ended(self, job: Job) -> None:
        """Wait until a job is done. Raises Busy when it meets something that hinders
        it; it is tried again all the same."""
        await job.settled.wait()
        if job.problem:
            raise Busy(f"{self.in_words(job)} waits, and goes on by itself: {job.problem}")

    def drop(self, job: Job) -> None:
        """There is nothing left of it to do."""
        if self._all.get((job.sort, job.about)) is job:
            del self._all[job.sort, job.about]
            self._keeper.keep(job.key, None)
            if job.told:
                self._changed(job)
        job.over.set()
        job.settled.set()

    def find(self, sort: str, about: object) -> Job | None:
        """What is to be done of a sort, about something."""
        return self._all.get((sort, str(about)))

    def under_way(self) -> list[Job]:
        """All jobs that were started."""
        return [job for job in self._all.values() if job.task is not None]

    def in_words(self, job: Job) -> str:
        """What a job does: "conditioning the past of cellar-rack/humidity"."""
        return self._sorts[job.sort].in_words(job)

    def entity(self, job: Job) -> str:
        """The address of the entity that a job is about; "" for the house."""
        return self._sorts[job.sort].entity(job)

    async def _run(self, job: Job) -> None:
        await asyncio.gather(*(other.over.wait() for other in job.after))
        failures = 0
        while True:
            try:
                async for _ in self._steps(job):
                    failures, job.problem = 0, ""
                self.drop(job)
                return
            except Busy as error:
                job.problem = str(error)
                job.settled.set()
                self._changed(job)
                self.context.tasks.failed(self.in_words(job), error)
                await asyncio.sleep(self.pauses_s[min(failures, len(self.pauses_s) - 1)])
                failures += 1
            except Exception as error:
                # A fault of the hub's own: it would meet it again. What is left is
                # kept, for a version that can do it.
                job.problem = f"{type(error).__name__}: {error}"
                job.over.set()
                job.settled.set()
                self._changed(job)
                raise

    def _lasts(self, job: Job) -> None:
        if self._open and not job.over.is_set():
            self._changed(job)

    def _changed(self, job: Job) -> None:
        job.told = True
        self.context.announce(JobsChanged(entity=self.entity(job)))

    async def _steps(self, job: Job) -> AsyncIterator[None]:
        kept_s = asyncio.get_running_loop().time()
        if job.first_ms is None:
            job.first_ms = job.left.get("since_ms")
        sort = self._sorts[job.sort]
        async with aclosing(sort.steps(job)) as steps:  # type: ignore[type-var]
            async for left in steps:
                job.left = left
                now_s = asyncio.get_running_loop().time()
                if not sort.stores_left and now_s - kept_s >= KEPT_EVERY_S:
                    kept_s = now_s
                    self._keeper.keep(job.key, left)
                yield
                await asyncio.sleep(REST_S)
