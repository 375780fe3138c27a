"""A driver's own work: it runs where the hub's does, under watch, and ends with the
driver."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from typing import Any

from hombi.links.base import Tasks


class Work:
    """The tasks of one driver."""

    def __init__(self, tasks: Tasks) -> None:
        self._tasks = tasks
        self._running: set[asyncio.Task[Any]] = set()

    def start(self, work: Coroutine[Any, Any, Any], name: str) -> asyncio.Task[Any]:
        """Begin work that ends by itself."""
        return self._kept(self._tasks.start(work, name))

    def watch(self, name: str, run: Callable[[], Coroutine[Any, Any, None]]) -> asyncio.Task[None]:
        """Run a loop until it is cancelled; one that fails is restarted."""
        return self._kept(self._tasks.watch(name, run))

    def _kept(self, task: asyncio.Task[Any]) -> asyncio.Task[Any]:
        self._running.add(task)
        task.add_done_callback(self._running.discard)
        return task

    async def end(self) -> None:
        """End all of it."""
        tasks = list(self._running)
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
