"""Between the API's threads and the hub's event loop.

The hub's state lives in the loop. A request looks at it there (`read`) and gets values
that nobody changes any more; it changes it there too (`change`). What it writes to the
database itself, accounts and sessions, goes through the hub's one writer (`written`).
"""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable, Coroutine
from typing import Any, TypeVar

from hombi.hub.hub import Hub
from hombi.hub.kernel import Actor, Change
from hombi.hub.kernel.records_thread import NAME as WRITER

P = TypeVar("P")
T = TypeVar("T")
U = TypeVar("U")
_open: tuple[Hub, asyncio.AbstractEventLoop] | None = None


def connect(hub_: Hub | None) -> None:
    """The hub that the API acts on from now on, in the running loop."""
    global _open  # noqa: PLW0603 - one process has one hub; Django gives views no other way to reach it
    _open = (hub_, asyncio.get_running_loop()) if hub_ is not None else None


def hub() -> Hub:
    """The hub, for who is in its loop, or wants what never changes. Raises RuntimeError
    before it is open."""
    if _open is None:
        raise RuntimeError("the hub is not open")
    return _open[0]


def call(action: Coroutine[Any, Any, T]) -> T:
    """Run something of the hub's in its loop, and wait for it here, in the thread of
    the request."""
    if _open is None:
        action.close()
        raise RuntimeError("the hub is not open")
    return asyncio.run_coroutine_threadsafe(action, _open[1]).result()


def read(look: Callable[[Hub], T]) -> T:
    """Look at the hub's state, in its loop. What comes back must be values, not parts
    of the state."""

    async def looking() -> T:
        return look(hub())

    return call(looking())


def change(by: Actor, made: Change[P, T], answer: Callable[[Hub, T], U]) -> U:
    """Make a change, and make the answer of its result, both in the hub's loop. Raises
    HubError."""

    async def changing() -> U:
        result = await hub().context.changes.do(made, by)
        return answer(hub(), result)

    return call(changing())


def written(write: Callable[..., T], *args: Any) -> T:
    """Write to the database in the hub's one writer, and wait for it. Before the hub is
    open, and in the writer itself, here."""
    if _open is None or threading.current_thread().name.startswith(WRITER):
        return write(*args)
    return call(hub().context.thread.run(write, *args))
