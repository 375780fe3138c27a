"""How late the hub's loop is, and whether the machine's clock was set."""

from __future__ import annotations

import asyncio
import time

from hombi.hub.kernel import Context, Feature
from hombi.hub.machine.events import ClockSet

LOOK_EVERY_S = 1.0
JUMPED_MS = 2_000
# How much of an earlier delay is still remembered a second later.
FORGETS = 0.98


class Lag(Feature):
    """Looks once a second. `worst_ms` is the longest delay of late, slowly
    forgotten."""

    name = "lag"

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self.worst_ms = 0.0

    async def open(self) -> None:
        self.context.tasks.watch(self.name, self.watch)

    async def watch(self) -> None:
        """Check again and again."""
        wall, steady = self.context.clock.machine.now_ms(), time.monotonic()
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            wall, steady = self.look(wall, steady)

    def look(self, wall: int, steady: float) -> tuple[int, float]:
        """Compare with the look before: its time by the machine's clock (ms) and by a
        steady one (s)."""
        clock = self.context.clock
        now, gone = clock.machine.now_ms(), time.monotonic()
        passed_ms = (gone - steady) * 1000
        self.worst_ms = max(self.worst_ms * FORGETS, passed_ms - LOOK_EVERY_S * 1000)
        jump = now - wall - passed_ms
        if abs(jump) > JUMPED_MS:
            doubtful, by_ms = clock.doubtful, clock.machine_set(round(jump))
            if by_ms or doubtful != clock.doubtful:
                self.context.announce(ClockSet(by_ms=by_ms))
        return now, gone
