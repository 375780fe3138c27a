"""A machine without a clock of its own starts with a time that is wrong, until the
network gives it the right one."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, tzinfo

from hombi.hub.house import House
from hombi.hub.kernel import Context, Need, Part

# The clocks of nodes may be ahead by so much.
ALLOWED_MS = 5 * 60_000


class MachineClock(Part):
    """Compares the machine's time with the last reading of before the start."""

    name = "clock"

    def __init__(self, context: Context, house: House, zone: tzinfo) -> None:
        super().__init__(context)
        self._house, self._zone, self._last_ms = house, zone, 0

    async def open(self) -> None:
        heard = (one.latest.at_ms for one in self._house.entities.values() if one.latest)
        self._last_ms = max(heard, default=0)

    @property
    def problem(self) -> str:
        """What is wrong with the time, "" when nothing is."""
        now = self.context.clock.now_ms()
        if now >= self._last_ms - ALLOWED_MS:
            return ""
        shown, last = (
            datetime.fromtimestamp(at / 1000, self._zone).strftime("%d %B %Y %H:%M")
            for at in (now, self._last_ms)
        )
        return f"this machine thinks it is {shown}, and its last reading is of {last}"

    def needs(self) -> Iterator[Need]:
        if self.problem:
            text = f"{self.problem}; what is heard now is dated wrong until its clock is set"
            yield Need("clock", text, "/settings#doctor")
