"""The outbox: notices are stored first and sent then, so that a restart loses none.

A notice has one identity from the moment it is decided on. Sent again (the hub was
killed, a phone answered late), it is the same notice to the push service and on the
phone, which rings once.
"""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import Sequence
from typing import Any

from hombi.hub.clock import Clock
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.notices.endpoints import why_not
from hombi.hub.notices.push import Fate, Push, PushResult
from hombi.hub.ports import DeliveryRecord, NewNotice, PhoneRecord, Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.tasks import Tasks
from hombi.hub.writer import Writer

PAUSES_S = (5, 15, 60, 300, 900, 3600)
GIVE_UP_MS = 24 * 3600_000


class Outbox:
    """The phones, and what is on its way to them."""

    def __init__(
        self,
        clock: Clock,
        records: Records,
        thread: RecordsThread,
        live: Live,
        journal: Journal,
        tasks: Tasks,
        push: Push,
        writer: Writer,
        services: Sequence[str] = (),
    ) -> None:
        self._clock, self._records, self._thread, self._live = clock, records, thread, live
        self._journal, self._tasks, self._push, self._writer = journal, tasks, push, writer
        self.services = tuple(services)
        self.phones: dict[int, PhoneRecord] = {}
        self.failed = 0
        # Each phone has its notices one after another, and none waits for another
        # phone.
        self._turns: dict[int, asyncio.Lock] = {}
        self._closed = False

    def load(self, phones: Sequence[PhoneRecord], waiting: Sequence[DeliveryRecord]) -> None:
        """Take up what was on its way before a restart."""
        self.phones = {phone.id: phone for phone in phones}
        self._plan_all(waiting)

    async def add_phone(self, phone: PhoneRecord) -> PhoneRecord:
        """Add a phone; one with the same endpoint is replaced. Raises Invalid for an
        endpoint that cannot be used."""
        if problem := why_not(phone.endpoint, self.services):
            raise Invalid(problem)
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
        self._turns.pop(phone_id, None)
        await self._thread.run(self._records.remove_phone, phone_id)
        self._journal.note(
            "PhoneRemoved",
            f"{phone.name} of {phone.person} was removed" + (f": {why}" if why else ""),
        )
        self._live.publish("phone", {"id": phone_id})

    def tell(self, to: str, title: str, text: str, path: str) -> None:
        """Send a notice to the phones of one person, or of everyone, once what it is
        about is safe on disk."""
        phones = [p for p in self.phones.values() if to in ("everyone", p.person)]
        if not phones:
            self._journal.note(
                "NoticeUnsent",
                f"“{title}” reached nobody: {to} has no phone here; add one under Settings, Phones",
            )
            return
        notice = self._notice(title, text, path)
        self._writer.also(lambda records: records.add_notice(notice, phones), self._plan_all)

    async def send(
        self, phones: Sequence[PhoneRecord], title: str, text: str, path: str
    ) -> list[DeliveryRecord]:
        """Store a notice for these phones and begin to send it."""
        notice = self._notice(title, text, path)
        deliveries = await self._thread.run(self._records.add_notice, notice, phones)
        self._plan_all(deliveries)
        return deliveries

    def _notice(self, title: str, text: str, path: str) -> NewNotice:
        return NewNotice(secrets.token_urlsafe(12), title, text, path, self._clock.now_ms())

    def _plan_all(self, deliveries: Sequence[DeliveryRecord]) -> None:
        for delivery in deliveries:
            self._plan(delivery)

    def _plan(self, delivery: DeliveryRecord) -> None:
        if not self._closed:
            at = max(delivery.next_ms, self._clock.now_ms())
            self._clock.call_at_ms(at, lambda: self._begin(delivery))

    def _begin(self, delivery: DeliveryRecord) -> None:
        if not self._closed:
            self._tasks.start(self._attempt(delivery), name="notice")

    async def _attempt(self, delivery: DeliveryRecord) -> None:
        phone = self.phones.get(delivery.phone_id or 0)
        if phone is None:
            return
        async with self._turns.setdefault(phone.id, asyncio.Lock()):
            if self._closed or phone.id not in self.phones:
                return
            result = await self._push.send(phone, delivery)
        delivery.attempts += 1
        delivery.problem = result.problem
        self._settle(delivery, phone, result)
        await self._thread.run(self._records.save_delivery, delivery)
        self._live.publish("notice", delivery_data(delivery))
        if delivery.state == "waiting":
            self._plan(delivery)
        elif result.fate is Fate.GONE and phone.id in self.phones:
            await self.remove_phone(phone.id, result.problem)

    def _settle(self, delivery: DeliveryRecord, phone: PhoneRecord, result: PushResult) -> None:
        now = self._clock.now_ms()
        if result.fate is Fate.DELIVERED:
            delivery.state = "delivered"
            self._journal.note(
                "NoticeDelivered", f"“{delivery.title}” is on {phone.name} of {phone.person}"
            )
        elif result.fate is Fate.LATER and now - delivery.created_ms < GIVE_UP_MS:
            pause = PAUSES_S[min(delivery.attempts, len(PAUSES_S)) - 1]
            delivery.next_ms = now + round(max(pause, result.wait_s) * 1000)
            if delivery.attempts == 1:
                self._journal.note(
                    "NoticeDelayed",
                    f"“{delivery.title}” for {phone.name} is tried again: {result.problem}",
                )
        else:
            delivery.state = "failed"
            self.failed += 1
            self._journal.note(
                "NoticeFailed", f"“{delivery.title}” did not reach {phone.name}: {result.problem}"
            )

    def close(self) -> None:
        """Begin no more attempts; what waits is stored and goes on after the next
        start."""
        self._closed = True


def delivery_data(delivery: DeliveryRecord) -> dict[str, Any]:
    """A delivery as programs see it."""
    return {
        "id": delivery.id,
        "phone": delivery.phone,
        "title": delivery.title,
        "text": delivery.text,
        "state": delivery.state,
        "attempts": delivery.attempts,
        "problem": delivery.problem,
        "at": delivery.created_ms,
    }
