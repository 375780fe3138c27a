"""The one thread in which the records are written, so that there is one writer and the
loop never waits for the disk."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import ParamSpec, TypeVar

NAME = "records"
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

    def close(self) -> None:
        """Finish what was asked for, then end."""
        self._pool.shutdown(wait=True)
