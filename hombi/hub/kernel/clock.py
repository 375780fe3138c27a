"""The one place where the real time is read and waited for."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from typing import Protocol


class Timer(Protocol):
    """A call that is still to come."""

    def cancel(self) -> None:
        """Do not call."""


class Clock(Protocol):
    """Time, as the hub uses it."""

    def now_ms(self) -> int:
        """Milliseconds since 1970."""

    def call_at_ms(self, at_ms: int, call: Callable[[], None]) -> Timer:
        """Call when that moment has come."""


class RealClock:
    """The machine's clock."""

    def now_ms(self) -> int:
        """Milliseconds since 1970."""
        return time.time_ns() // 1_000_000

    def call_at_ms(self, at_ms: int, call: Callable[[], None]) -> Timer:
        """Call when that moment has come; at once when it has passed."""
        return asyncio.get_running_loop().call_later(max(0.0, (at_ms - self.now_ms()) / 1000), call)
