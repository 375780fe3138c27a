"""What sending a notice over one contact comes to."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Mapping
from dataclasses import dataclass
from enum import Enum

from hombi.hub.notices.port import DeliveryRecord, PhoneRecord


class Fate(Enum):
    """What became of one attempt."""

    DELIVERED = "delivered"
    GONE = "gone"
    LATER = "later"
    # Nothing failed: what it says is of no use any more.
    TOO_LATE = "too late"
    IMPOSSIBLE = "impossible"


@dataclass(frozen=True, slots=True)
class Sent:
    """The fate of an attempt, why, and how long the far end asks us to wait (0: it did
    not say)."""

    fate: Fate
    problem: str = ""
    wait_s: float = 0.0


# One attempt in one contact. It never raises for what the far end does.
Send = Callable[[PhoneRecord, DeliveryRecord], Awaitable[Sent]]


@dataclass(frozen=True, slots=True)
class Senders:
    """What sends notices, by the sort of a contact."""

    by_sort: Mapping[str, Send]
