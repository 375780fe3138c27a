"""A call that is made once all of several others were made."""

from __future__ import annotations

from collections.abc import Callable


def after(times: int, call: Callable[[], None]) -> Callable[[], None]:
    """What makes the call when it was itself called so often."""
    left = times

    def once_more() -> None:
        nonlocal left
        left -= 1
        if not left:
            call()

    return once_more
