"""How often each automation has started lately, from the journal."""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Collection

from hombi.hub.kernel.journal_port import JournalPort

WEEK_MS = 7 * 86_400_000
# One that starts more often than that has another problem than being counted.
MOST = 2_000
EVENT = "AutomationStarted"


class Starts:
    """The moments, in ms since 1970, at which automations started, by their names: the
    last one, and those of the last seven days (2,000 at most)."""

    def __init__(self) -> None:
        self._all: dict[str, deque[int]] = defaultdict(lambda: deque(maxlen=MOST))

    def load(self, journal: JournalPort, names: Collection[str], now_ms: int) -> None:
        """Take up what the journal has. Blocking."""
        for name, moments in journal.moments(EVENT, now_ms - WEEK_MS).items():
            if name in names:
                self._all[name].extend(moments)

    def add(self, name: str, at_ms: int) -> None:
        """It started."""
        self._all[name].append(at_ms)

    def forget(self, name: str) -> None:
        """It is gone; another one may get its name."""
        self._all.pop(name, None)

    def last(self, name: str) -> int | None:
        """When it started last; None if it never did."""
        moments = self._all.get(name)
        return moments[-1] if moments else None

    def lately(self, name: str, now_ms: int) -> int:
        """How often it started in the last seven days."""
        return sum(at_ms > now_ms - WEEK_MS for at_ms in self._all.get(name, ()))
