"""How often automations have put others on or off duty lately."""

from __future__ import annotations

from collections import defaultdict, deque

# So often a minute one may do it: two could do it to each other without end.
MOST, WITHIN_MS = 20, 60_000


class Duties:
    """The moments, in ms since 1970, at which each changed the duty of others."""

    def __init__(self) -> None:
        self._all: dict[str, deque[int]] = defaultdict(lambda: deque(maxlen=MOST))

    def too_often(self, name: str, now_ms: int) -> bool:
        """Whether one that does it now has done it too often in the last minute."""
        times = self._all[name]
        often = len(times) == MOST and now_ms - times[0] < WITHIN_MS
        times.append(now_ms)
        return often
