"""What waits to be sent over one contact, and its rules: in order, the newest of a
subject in the place of those before, and told together where too much has gathered."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from hombi.hub.notices.port import DeliveryRecord

# More than this many that could not be brought in time are told in one.
MOST_SINGLE = 3
LATE_MS = 5 * 60_000
LINES = 6


@dataclass(slots=True)
class Queue:
    """The deliveries of one way, oldest first. `busy` is the one that is on its way
    now, `until_ms` when the next attempt may be made."""

    waiting: list[DeliveryRecord] = field(default_factory=list)
    busy: DeliveryRecord | None = None
    until_ms: int = 0

    def put(self, new: DeliveryRecord) -> list[DeliveryRecord]:
        """Put one in; those whose place it takes are out of the queue, and returned. An
        urgent one comes also in quiet hours: only another urgent one says as much, or
        that it is over."""
        replaced = [
            delivery
            for delivery in self.waiting
            if new.subject and delivery.subject == new.subject and delivery is not self.busy
            and (new.urgent or new.quiet or not delivery.urgent)
        ]  # fmt: skip
        self.waiting = [delivery for delivery in self.waiting if delivery not in replaced]
        self.waiting.append(new)
        return replaced

    def late(self, now_ms: int) -> list[DeliveryRecord]:
        """Those that are told together: what has waited, when it is too much to be told
        one by one. Urgent ones always come by themselves."""
        deliveries = [
            delivery
            for delivery in self.waiting
            if not delivery.urgent
            and delivery is not self.busy
            and now_ms - delivery.created_ms >= LATE_MS
        ]
        return deliveries if len(deliveries) > MOST_SINGLE else []

    def take_out(self, gone: Sequence[DeliveryRecord]) -> None:
        """These wait no longer."""
        self.waiting = [delivery for delivery in self.waiting if delivery not in gone]

    def next(self, quiet: bool) -> DeliveryRecord | None:
        """The one to bring now; in quiet hours only what is urgent."""
        return next((delivery for delivery in self.waiting if delivery.urgent or not quiet), None)


def summed_up(late: Sequence[DeliveryRecord]) -> tuple[str, str]:
    """Title and text of one notice for several."""
    shown = [delivery.title for delivery in late[-LINES:]][::-1]
    more = [f"and {len(late) - LINES} before"] if len(late) > LINES else []
    return f"{len(late)} notices while you were not reached", "\n".join([*shown, *more])
