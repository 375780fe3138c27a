"""The one place where the real time is read and waited for."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from typing import Protocol

# The clocks of nodes may be ahead by so much.
ALLOWED_MS = 5 * 60_000


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


class HouseClock:
    """The time that the hub goes by: that of the machine's clock. Where that is a time
    that has been, as on a machine without a clock of its own at its start, it is the
    last one that was and what has passed since, until the clock is set."""

    def __init__(self, machine: Clock) -> None:
        self.machine = machine
        # By how much the hub's time is ahead of what the machine says.
        self.ahead_ms = 0

    @property
    def doubtful(self) -> bool:
        """Whether the machine's clock is known to be wrong."""
        return self.ahead_ms > 0

    def now_ms(self) -> int:
        """Milliseconds since 1970."""
        return self.machine.now_ms() + self.ahead_ms

    def call_at_ms(self, at_ms: int, call: Callable[[], None]) -> Timer:
        """Call when that moment has come; at once when it has passed."""
        return self.machine.call_at_ms(at_ms - self.ahead_ms, call)

    def no_earlier_than(self, at_ms: int) -> None:
        """It was this time already."""
        behind = at_ms - self.machine.now_ms()
        if behind > ALLOWED_MS:
            self.ahead_ms = behind + 1_000

    def machine_set(self, by_ms: int) -> int:
        """The machine's clock was set by so much; by how much the hub's time moves. It
        does not move while that is still a time that has been."""
        left = self.ahead_ms - by_ms
        if self.doubtful and left > ALLOWED_MS:
            self.ahead_ms = left
            return 0
        self.ahead_ms = 0
        return -left
