"""How late the hub's loop is, and whether the machine's clock was set."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from dataclasses import dataclass

from hombi.hub.clock import Clock
from hombi.hub.journal import Journal

LOOK_EVERY_S = 1.0
JUMPED_MS = 2_000
# How much of an earlier delay is still remembered a second later.
FORGETS = 0.98


@dataclass
class Lag:
    """Looks once a second. `worst_ms` is the longest delay of late, slowly
    forgotten."""

    clock: Clock
    journal: Journal
    clock_set: Callable[[int], None]
    worst_ms: float = 0.0

    async def watch(self) -> None:
        """Look again and again."""
        wall, steady = self.clock.now_ms(), time.monotonic()
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            wall, steady = self.look(wall, steady)

    def look(self, wall: int, steady: float) -> tuple[int, float]:
        """Compare with the look before: its time by the machine's clock (ms) and by a
        steady one (s)."""
        now, gone = self.clock.now_ms(), time.monotonic()
        passed_ms = (gone - steady) * 1000
        self.worst_ms = max(self.worst_ms * FORGETS, passed_ms - LOOK_EVERY_S * 1000)
        jump = now - wall - passed_ms
        if abs(jump) > JUMPED_MS:
            way = "forward" if jump > 0 else "back"
            self.journal.note(
                "ClockSet",
                f"the machine's clock was set {way} by {abs(jump) / 1000:.0f} s; what "
                f"waits is reckoned anew",
            )
            self.clock_set(round(jump))
        return now, gone
