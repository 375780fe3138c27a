"""Whether an automation may act: its hours and days, what else must be so, and how long
it rests between two starts."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from hombi.core.automation.only import Only
from hombi.core.automation.state import World


class Circumstances(NamedTuple):
    """What `only` and `pause` come to at one step. `also` gives what else is not so, in
    words; "" where all is."""

    only: Only = Only()
    also: Callable[[World], str] | None = None
    rests_until_ms: int = 0
    # Whether the time of day says when it starts.
    by_the_clock: bool = False

    def over(self, world: World) -> str:
        """Why what is on must end; "" while it may be on. Nothing ends by a time that
        nobody knows."""
        if world.time_known and not self.only.allows(world.now_ms, world.zone):
            return "its hours were over"
        return self.also(world) if self.also is not None else ""

    def allow_start(self, world: World) -> bool:
        """Whether it may start now."""
        if self.by_the_clock and not world.time_known:
            return False
        return world.now_ms >= self.rests_until_ms and not self.over(world)

    def next_change_ms(self, world: World, *, on: bool) -> int | None:
        """When to look again although nothing is heard; what is on and may not be is
        looked at now, for its hours may have passed while nobody looked."""
        if on and self.over(world):
            return world.now_ms
        change = self.only.next_change_ms(world.now_ms, world.zone)
        if on or self.rests_until_ms <= world.now_ms:
            return change
        return self.rests_until_ms if change is None else min(change, self.rests_until_ms)


ALWAYS = Circumstances()
