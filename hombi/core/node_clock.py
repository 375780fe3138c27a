"""A node's own clock, as its stamps show it: how far it is from the hub's.

A pack that was buffered comes late, and its stamps are right. A node whose clock is
wrong is late (or early) by the same time with every pack, while its stamps go on as
time does: by that the two are told apart, within seconds.
"""

from __future__ import annotations

from dataclasses import dataclass

# Less than this is the way, not the clock.
OFF_MS = 60_000
# The stamps must go with the arrivals for this long, within so much: nodes that count
# whole seconds are a second off.
APART_MS, AGREE_MS, AGREE_SHARE = 5_000, 1_500, 0.02
# How far a live pack may be from what the offset says.
LIVE_MS = 15_000
DRIFT_MS = 5_000


@dataclass(slots=True)
class NodeClock:
    """`offset_ms` is arrival less stamp, as learnt; `from_boot` says that the node
    counts from its own start."""

    offset_ms: int = 0
    from_boot: bool = False
    _first: tuple[int, int] | None = None

    @property
    def wrong(self) -> bool:
        """Whether it is further off than the way explains."""
        return self.from_boot or abs(self.offset_ms) >= OFF_MS

    def learn(self, stamp_ms: int, now_ms: int) -> None:
        """A pack arrived now whose newest stamp is this."""
        late = now_ms - stamp_ms
        if abs(late) < OFF_MS:
            self.offset_ms, self._first = 0, None
            return
        if self.offset_ms and abs(late - self.offset_ms) <= LIVE_MS:
            if abs(late - self.offset_ms) > DRIFT_MS:
                self.offset_ms = late
            return
        passed, said = (
            (now_ms - self._first[0], stamp_ms - self._first[1]) if self._first else (0, 1 << 60)
        )
        if abs(passed - said) > AGREE_MS + AGREE_SHARE * passed:
            self._first = (now_ms, stamp_ms)
        elif passed >= APART_MS:
            self.offset_ms, self._first = late, None

    def is_live(self, stamp_ms: int, now_ms: int) -> bool:
        """Whether a stamp is that of now, by a clock that is wrong."""
        return bool(self.offset_ms) and abs(now_ms - stamp_ms - self.offset_ms) <= LIVE_MS

    def hub_time(self, stamp_ms: int) -> int:
        """The stamp by the hub's clock. The same stamp gives the same time, so that
        what is sent again is known again."""
        return stamp_ms + self.offset_ms
