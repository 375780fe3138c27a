"""Work that goes on beside: named tasks that are watched, and awaited at stop with a
grace time."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Coroutine
from typing import Any

log = logging.getLogger(__name__)


class Tasks:
    """Keeps tasks alive, logs what they raise, and ends them."""

    def __init__(self) -> None:
        self._running: set[asyncio.Task[Any]] = set()

    def start(self, work: Coroutine[Any, Any, Any], name: str) -> asyncio.Task[Any]:
        """Begin work that nobody waits for."""
        task = asyncio.create_task(work, name=name)
        self._running.add(task)
        task.add_done_callback(self._ended)
        return task

    def _ended(self, task: asyncio.Task[Any]) -> None:
        self._running.discard(task)
        if not task.cancelled() and (error := task.exception()) is not None:
            log.error("%s failed", task.get_name(), exc_info=error)

    async def settle(self, grace_s: float) -> None:
        """Let what runs finish within the grace time, then cancel the rest."""
        running = set(self._running)
        if running:
            _, late = await asyncio.wait(running, timeout=grace_s)
            for task in late:
                task.cancel()
            await asyncio.gather(*late, return_exceptions=True)
