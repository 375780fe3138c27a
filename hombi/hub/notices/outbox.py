"""The outbox: notices are stored first and sent then, so that a restart loses none."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from typing import Any

from hombi.hub.clock import Clock
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.notices.push import Fate, Push, PushResult
from hombi.hub.ports import DeliveryRecord, PhoneRecord, Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.tasks import Tasks

PAUSES_S = (5, 15, 60, 300, 900, 3600)
GIVE_UP_MS = 24 * 3600_000
AT_ONCE = 4


class Outbox:
    """The phones, and what is on its way to them."""

    def __init__(
        self, clock: Clock, records: Records, thread: RecordsThread, live: Live, journal: Journal, tasks: Tasks, push: Push
    ) -> None:
        self._clock, self._records, self._thread, self._live = clock, records, thread, live
        self._journal, self._tasks, self._push = journal, tasks, push
        self.phones: dict[int, PhoneRecord] = {}
        self.failed = 0
        self._slots = asyncio.Semaphore(AT_ONCE)
        self._closed = False

    def load(self, phones: Sequence[PhoneRecord], waiting: Sequence[DeliveryRecord]) -> None:
        """Take up what was on its way before a restart."""
        self.phones = {phone.id: phone for phone in phones}
        for delivery in waiting:
            self._plan(delivery)

    async def add_phone(self, phone: PhoneRecord) -> PhoneRecord:
        """Add a phone; one with the same endpoint is replaced. Raises Invalid for an endpoint that cannot be used."""
        # Push services on the internet are https; plain http is for a stand-in on the hub's own machine.
        if not phone.endpoint.startswith(("https://", "http://127.0.0.1:", "http://localhost:")):
            raise Invalid("the endpoint of a push subscription is an https address")
        for other in [p for p in self.phones.values() if p.endpoint == phone.endpoint]:
            await self._thread.run(self._records.remove_phone, other.id)
            del self.phones[other.id]
        phone.added_ms = self._clock.now_ms()
        phone = await self._thread.run(self._records.add_phone, phone)
        self.phones[phone.id] = phone
        self._journal.note("PhoneAdded", f"{phone.name} of {phone.person} takes notifications now")
        self._live.publish("phone", {"id": phone.id})
        return phone

    async def remove_phone(self, phone_id: int, why: str = "") -> None:
        """Raises NotFound."""
        phone = self.phones.pop(phone_id, None)
        if phone is None:
            raise NotFound(f"no phone {phone_id}; `hombi phones` lists them")
        await self._thread.run(self._records.remove_phone, phone_id)
        self._journal.note("PhoneRemoved", f"{phone.name} of {phone.person} was removed" + (f": {why}" if why else ""))
        self._live.publish("phone", {"id": phone_id})

    async def tell(self, to: str, title: str, text: str, path: str) -> None:
        """Send a notice to the phones of one person, or of everyone."""
        phones = [p for p in self.phones.values() if to in ("everyone", p.person)]
        if not phones:
            self._journal.note("NoticeUnsent", f"“{title}” reached nobody: {to} has no phone here; add one under Settings, Phones")
            return
        await self.send(phones, title, text, path)

    async def send(self, phones: Sequence[PhoneRecord], title: str, text: str, path: str) -> list[DeliveryRecord]:
        """Store a notice for these phones and begin to send it."""
        now = self._clock.now_ms()
        deliveries = await self._thread.run(self._records.add_notice, title, text, path, now, [p.id for p in phones])
        for delivery in deliveries:
            self._plan(delivery)
        return deliveries

    def _plan(self, delivery: DeliveryRecord) -> None:
        if not self._closed:
            at = max(delivery.next_ms, self._clock.now_ms())
            self._clock.call_at_ms(at, lambda: self._begin(delivery))

    def _begin(self, delivery: DeliveryRecord) -> None:
        if not self._closed:
            self._tasks.start(self._attempt(delivery), name="notice")

    async def _attempt(self, delivery: DeliveryRecord) -> None:
        phone = self.phones.get(delivery.phone_id)
        if phone is None:
            return
        async with self._slots:
            result = await self._push.send(phone, delivery)
        delivery.attempts += 1
        delivery.problem = result.problem
        if result.fate is Fate.GONE:
            await self.remove_phone(phone.id, result.problem)
            return
        self._settle(delivery, phone, result)
        await self._thread.run(self._records.save_delivery, delivery)
        self._live.publish("notice", delivery_data(delivery, phone))
        if delivery.state == "waiting":
            self._plan(delivery)

    def _settle(self, delivery: DeliveryRecord, phone: PhoneRecord, result: PushResult) -> None:
        now = self._clock.now_ms()
        if result.fate is Fate.DELIVERED:
            delivery.state = "delivered"
            self._journal.note("NoticeDelivered", f"“{delivery.title}” is on {phone.name} of {phone.person}")
        elif result.fate is Fate.LATER and now - delivery.created_ms < GIVE_UP_MS:
            pause = PAUSES_S[min(delivery.attempts, len(PAUSES_S)) - 1]
            delivery.next_ms = now + round(max(pause, result.wait_s) * 1000)
            if delivery.attempts == 1:
                self._journal.note("NoticeDelayed", f"“{delivery.title}” for {phone.name} is tried again: {result.problem}")
        else:
            delivery.state = "failed"
            self.failed += 1
            self._journal.note("NoticeFailed", f"“{delivery.title}” did not reach {phone.name}: {result.problem}")

    def close(self) -> None:
        """Begin no more attempts; what waits is stored and goes on after the next start."""
        self._closed = True


def delivery_data(delivery: DeliveryRecord, phone: PhoneRecord) -> dict[str, Any]:
    """A delivery as programs see it."""
    return {
        "id": delivery.id,
        "phone": phone.name,
        "title": delivery.title,
        "text": delivery.text,
        "state": delivery.state,
        "attempts": delivery.attempts,
        "problem": delivery.problem,
        "at": delivery.created_ms,
    }
