"""The supervisor: keeps what runs beside the hub's calls going.

A loop that ends by an exception is announced, told, and restarted with growing pauses.
Work that nobody waits for, and calls that a timer makes, are announced when they fail,
and hurt nothing beside them.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable, Coroutine
from typing import Any, ParamSpec

from hombi.hub.kernel.clock import Clock, Timer
from hombi.hub.kernel.events import Event

log = logging.getLogger(__name__)

P = ParamSpec("P")

PAUSES_S = (1.0, 2.0, 5.0, 15.0, 60.0)
# One that ran for this long has recovered: its next pause is the shortest again.
WELL_AFTER_S = 120.0


class PartFailed(Event, frozen=True, kw_only=True):
    """A part of the hub failed; it is restarted in `pause_s`, or was a single call."""

    part: str
    error: str
    pause_s: float = 0.0

    @property
    def sentence(self) -> str:
        again = f"; it is started again in {self.pause_s:g} s" if self.pause_s else ""
        return f"{self.part} failed: {self.error}{again}"


class PartRecovered(Event, frozen=True, kw_only=True):
    """A part that had failed works again."""

    part: str

    @property
    def sentence(self) -> str:
        return f"{self.part} works again"


class Supervisor:
    """Starts and watches tasks. `failing` has the loops that wait to be restarted: the
    part's name and what went wrong."""

    def __init__(self, clock: Clock, announce: Callable[[Event], None]) -> None:
        self._clock, self._announce = clock, announce
        self._running: set[asyncio.Task[Any]] = set()
        self._watched: set[asyncio.Task[Any]] = set()
        self.failing: dict[str, str] = {}
        self.pauses_s: tuple[float, ...] = PAUSES_S

    def start(self, work: Coroutine[Any, Any, Any], name: str) -> asyncio.Task[Any]:
        """Begin work that nobody waits for, and that ends by itself."""
        task = asyncio.create_task(work, name=name)
        self._running.add(task)
        task.add_done_callback(self._ended)
        return task

    def _ended(self, task: asyncio.Task[Any]) -> None:
        self._running.discard(task)
        if not task.cancelled() and (error := task.exception()) is not None:
            self.failed(task.get_name(), error)

    def watch(self, name: str, run: Callable[[], Coroutine[Any, Any, None]]) -> asyncio.Task[None]:
        """Run a loop until it returns or is cancelled; one that fails is restarted."""
        task = asyncio.create_task(self._keep_going(name, run), name=name)
        self._watched.add(task)
        task.add_done_callback(self._watched.discard)
        return task

    async def _keep_going(self, name: str, run: Callable[[], Coroutine[Any, Any, None]]) -> None:
        failures = 0
        while True:
            begun = asyncio.get_running_loop().time()
            well = asyncio.get_running_loop().call_later(WELL_AFTER_S, self._well, name)
            try:
                await run()
                return
            except Exception as error:  # noqa: BLE001 - whatever it is, the loop is restarted
                ran_s = asyncio.get_running_loop().time() - begun
                failures = 1 if ran_s > WELL_AFTER_S else failures + 1
                pause_s = self.pauses_s[min(failures, len(self.pauses_s)) - 1]
                self.failing[name] = _said(error)
                self.failed(name, error, pause_s)
            finally:
                well.cancel()
            await asyncio.sleep(pause_s)

    def _well(self, name: str) -> None:
        if self.failing.pop(name, None) is not None:
            self._announce(PartRecovered(part=name))

    def failed(self, name: str, error: BaseException, pause_s: float = 0.0) -> None:
        """Say that something failed."""
        log.error("%s failed", name, exc_info=error)
        try:
            self._announce(PartFailed(part=name, error=_said(error), pause_s=pause_s))
        except Exception:
            log.exception("a failure could not be announced")

    def guarded(self, name: str, call: Callable[P, None]) -> Callable[P, None]:
        """The same call, whose failure is announced and goes no further."""

        def call_it(*words: P.args, **more: P.kwargs) -> None:
            try:
                call(*words, **more)
            except Exception as error:  # noqa: BLE001 - it must not reach who called
                self.failed(name, error)

        return call_it

    def at(self, at_ms: int, call: Callable[[], None], name: str) -> Timer:
        """Call at that moment."""
        return self._clock.call_at_ms(at_ms, self.guarded(name, call))

    async def settle(self, grace_s: float) -> None:
        """Let work that ends by itself finish within the grace time, then cancel the
        rest."""
        running = set(self._running)
        if running:
            _, late = await asyncio.wait(running, timeout=grace_s)
            for task in late:
                task.cancel()
            await asyncio.gather(*late, return_exceptions=True)

    async def end(self) -> None:
        """End the loops."""
        for task in self._watched:
            task.cancel()
        await asyncio.gather(*self._watched, return_exceptions=True)


def _said(error: BaseException) -> str:
    return f"{type(error).__name__}: {error}" if str(error) else type(error).__name__
