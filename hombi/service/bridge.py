"""Between the API's threads and the hub's event loop."""

from __future__ import annotations

import asyncio
from collections.abc import Coroutine
from typing import Any, TypeVar

from hombi.hub.hub import Hub

T = TypeVar("T")
_open: tuple[Hub, asyncio.AbstractEventLoop] | None = None


def connect(hub_: Hub | None) -> None:
    """The hub that the API acts on from now on, in the running loop."""
    global _open  # noqa: PLW0603 - one process has one hub; Django gives views no other way to reach it
    _open = (hub_, asyncio.get_running_loop()) if hub_ is not None else None


def hub() -> Hub:
    """The hub. Raises RuntimeError before it is open."""
    if _open is None:
        raise RuntimeError("the hub is not open")
    return _open[0]


def call(action: Coroutine[Any, Any, T]) -> T:
    """Run one of the hub's actions in its loop and wait for it here, in the thread of
    the request."""
    if _open is None:
        action.close()
        raise RuntimeError("the hub is not open")
    return asyncio.run_coroutine_threadsafe(action, _open[1]).result()


async def _later(plain: Any, args: tuple[Any, ...]) -> Any:
    return plain(*args)


def call_plain(plain: Any, *args: Any) -> Any:
    """Run a plain method of the hub in its loop: only there may its state be
    changed."""
    return call(_later(plain, args))
