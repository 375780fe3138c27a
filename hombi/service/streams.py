"""How many live streams are open, for each account and for each of its tokens or
sessions. A stream stays open for hours: without a bound, one account could hold as many
as the hub has connections."""

from __future__ import annotations

import threading
from collections import Counter
from typing import Final

AN_ACCOUNT, A_KEY = 16, 8
RETRY_AFTER_S = 30


class Streams:
    """The streams that are open. Views take a place in the event loop; Django may give
    it back in another thread, hence the lock."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._open: Counter[tuple[str, str]] = Counter()

    def take(self, account: str, key: str) -> Place | None:
        """A place for one more stream; None when the account, or its token or session
        `key`, has as many as it may."""
        bounds = {(account, ""): AN_ACCOUNT, (account, key): A_KEY}
        with self._lock:
            if any(self._open[name] >= most for name, most in bounds.items()):
                return None
            self._open.update(bounds.keys())
        return Place(self, tuple(bounds))

    def leave(self, names: tuple[tuple[str, str], ...]) -> None:
        """One stream of these has ended."""
        with self._lock:
            self._open.subtract(names)
            for name in names:
                if not self._open[name]:
                    del self._open[name]


class Place:
    """The place of one stream."""

    def __init__(self, streams: Streams, names: tuple[tuple[str, str], ...]) -> None:
        self._streams, self._names, self._left = streams, names, False

    def leave(self) -> None:
        """The stream has ended; to say so twice is harmless."""
        if not self._left:
            self._left = True
            self._streams.leave(self._names)


streams: Final = Streams()
