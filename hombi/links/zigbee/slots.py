"""Who may send: a stick holds a few frames until they have arrived, and the next ones
it refuses."""

from __future__ import annotations

import asyncio
import contextlib
from collections import OrderedDict
from collections.abc import AsyncIterator

AT_ONCE, A_NODE = 8, 2
# Nodes that did not take their last frame, or took long over it, have so many of the
# places together: eight dead ones leave room for a lamp that answers.
FOR_SLOW = 4
LONG_S = 1.0
MOST_NODES = 1_000


class Slots:
    """The places for frames on their way."""

    def __init__(self) -> None:
        self._all, self._slow = asyncio.Semaphore(AT_ONCE), asyncio.Semaphore(FOR_SLOW)
        self._nodes: OrderedDict[int, asyncio.Semaphore] = OrderedDict()
        self._is_slow: set[int] = set()

    @contextlib.asynccontextmanager
    async def slot(self, short: int) -> AsyncIterator[None]:
        """Hold a place for a frame to a node."""
        async with contextlib.AsyncExitStack() as held:
            await held.enter_async_context(self._of(short))
            if short in self._is_slow:
                await held.enter_async_context(self._slow)
            await held.enter_async_context(self._all)
            yield

    def went(self, short: int, *, arrived: bool, took_s: float) -> None:
        """What became of a frame to a node, and how long it was on its way."""
        if arrived and took_s < LONG_S:
            self._is_slow.discard(short)
        else:
            self._is_slow.add(short)

    def _of(self, short: int) -> asyncio.Semaphore:
        places = self._nodes.setdefault(short, asyncio.Semaphore(A_NODE))
        self._nodes.move_to_end(short)
        if len(self._nodes) > MOST_NODES:
            gone, _ = self._nodes.popitem(last=False)
            self._is_slow.discard(gone)
        return places
