"""How fast one sender is listened to.

A sensor sends a few messages a second; one that sends a thousand is broken, or catches
up. It is held to this, so that it holds up nobody else.
"""

from __future__ import annotations

from dataclasses import dataclass

RATE_PER_S = 1_000.0
BURST = 2_000.0
# What has more bytes makes more work, and counts as several.
BYTES_OF_ONE = 512
BYTES_KEPT_OF_ONE = 64


def cost_of(length: int) -> float:
    """What a message of so many bytes takes of its sender's pace, where it is read."""
    return 1.0 + length // BYTES_OF_ONE


def cost_of_keeping(length: int) -> float:
    """What it takes of its sender's pace that so many bytes are written to the disk for
    it: 64 kB a second, since disks wear out."""
    return length / BYTES_KEPT_OF_ONE


@dataclass(slots=True)
class Pace:
    """A bucket that fills at `rate` up to `burst`; each message takes one out. Times
    are seconds of one clock."""

    rate: float = RATE_PER_S
    burst: float = BURST
    dropped: int = 0
    _left: float = 0.0
    _filled_s: float = 0.0

    def __post_init__(self) -> None:
        self._left = self.burst

    def fill(self, now_s: float) -> None:
        """Time has gone on."""
        self._left = min(self.burst, self._left + (now_s - self._filled_s) * self.rate)
        self._filled_s = now_s

    def take(self, cost: float = 1.0) -> bool:
        """Whether one more may pass; one that makes more work than a message costs
        more, and what is free passes always."""
        if cost and self._left < min(cost, self.burst):
            return False
        self._left -= cost
        return True

    def charge(self, cost: float) -> None:
        """What has passed made more work than was known before: the next ones wait
        longer."""
        self._left -= cost

    def allows(self, now_s: float) -> bool:
        """`fill`, then `take`."""
        self.fill(now_s)
        return self.take()

    def wait_s(self, messages: float) -> float:
        """How long until this many more may pass, or as many as there is room for."""
        return max(0.0, (min(messages, self.burst) - self._left) / self.rate)
