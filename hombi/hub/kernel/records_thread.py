"""The one thread in which the records are written, so that there is one writer and the
loop never waits for the disk."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import ParamSpec, TypeVar

from hombi.hub.errors import Busy

NAME = "records"
PAUSES_S = (0.5, 2.0, 5.0, 15.0, 30.0)
P = ParamSpec("P")
R = TypeVar("R")


class RecordsThread:
    """Runs blocking calls one after another, in the order in which they were asked
    for."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix=NAME)

    async def run(self, call: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> R:
        """What the call returns, or the exception it raises."""
        return await asyncio.get_running_loop().run_in_executor(
            self._pool, lambda: call(*args, **kwargs)
        )

    async def run_patiently(
        self,
        failed: Callable[[Exception], None],
        call: Callable[P, R],
        *args: P.args,
        **kwargs: P.kwargs,
    ) -> R:
        """The same for work over the past. What the disk did not take, because it was
        full or busy, is done again with growing pauses; `failed` hears each time."""
        failures = 0
        while True:
            try:
                return await self.run(call, *args, **kwargs)
            except Busy as error:
                failed(error)
                await asyncio.sleep(PAUSES_S[min(failures, len(PAUSES_S) - 1)])
                failures += 1

    def close(self) -> None:
        """Finish what was asked for, then end."""
        self._pool.shutdown(wait=True)
