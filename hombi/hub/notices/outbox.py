"""The outbox: notices are stored first and sent then, so that a restart loses none.

A notice has one identity from the moment it is decided on. Sent again (the hub was
killed, a phone answered late), it is the same notice to the push service and on the
phone, which rings once.
"""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from hombi.hub.errors import Invalid, NotFound
from hombi.hub.events import (
    NoticeChanged,
    NoticeDelayed,
    NoticeDelivered,
    NoticeFailed,
    NoticeUnsent,
    PhoneAdded,
    PhoneRemoved,
    PhoneTested,
)
from hombi.hub.kernel import HOUSE, Actor, Change, Context, Done, Need, Part, Right
from hombi.hub.notices.endpoints import why_not
from hombi.hub.notices.push import Fate, Push, PushResult
from hombi.hub.ports import DeliveryRecord, NewNotice, PhoneRecord
from hombi.hub.writer import Writer

PAUSES_S = (5, 15, 60, 300, 900, 3600)
GIVE_UP_MS = 24 * 3600_000


class Outbox(Part):
    """The phones, and what is on its way to them."""

    name = "notices"

    def __init__(
        self, context: Context, writer: Writer, push: Push, services: Sequence[str] = ()
    ) -> None:
        super().__init__(context)
        self._writer, self._push, self._clock = writer, push, context.clock
        self.services = tuple(services)
        self.phones: dict[int, PhoneRecord] = {}
        self.failed = 0
        # Each phone has its notices one after another, and none waits for another
        # phone.
        self._turns: dict[int, asyncio.Lock] = {}
        self._closed = False

    async def open(self) -> None:
        """Take up what was on its way before a restart."""
        run, records = self.context.thread.run, self.context.records.notices
        self.phones = {phone.id: phone for phone in await run(records.phones)}
        self._plan_all(await run(records.waiting))

    async def close(self) -> None:
        """Begin no more attempts; what waits is stored and goes on after the next
        start."""
        self._closed = True

    def find(self, phone_id: int) -> PhoneRecord:
        """Raises NotFound."""
        phone = self.phones.get(phone_id)
        if phone is None:
            raise NotFound(f"no phone {phone_id}; `hombi phone list` names them")
        return phone

    def tell(self, to: str, title: str, text: str, path: str) -> None:
        """Send a notice to the phones of one person, or of everyone, once what it is
        about is safe on disk."""
        phones = [p for p in self.phones.values() if to in ("everyone", p.person)]
        if not phones:
            self.context.announce(NoticeUnsent(title=title, to=to))
            return
        notice = self._notice(title, text, path)
        self._writer.also(
            lambda records: records.notices.add_notice(notice, phones), self._plan_all
        )

    async def send(self, phones: Sequence[PhoneRecord], title: str, text: str, path: str) -> None:
        """Store a notice for these phones and begin to send it."""
        notice, records = self._notice(title, text, path), self.context.records.notices
        self._plan_all(await self.context.thread.run(records.add_notice, notice, phones))

    def _notice(self, title: str, text: str, path: str) -> NewNotice:
        return NewNotice(secrets.token_urlsafe(12), title, text, path, self._clock.now_ms())

    def _plan_all(self, deliveries: Sequence[DeliveryRecord]) -> None:
        for delivery in deliveries:
            self._plan(delivery)

    def _plan(self, delivery: DeliveryRecord) -> None:
        if not self._closed:
            at = max(delivery.next_ms, self._clock.now_ms())
            self.context.tasks.at(at, lambda: self._begin(delivery), "a notice")

    def _begin(self, delivery: DeliveryRecord) -> None:
        if not self._closed:
            name = f"a notice for {delivery.phone}"
            self.context.tasks.start(self._attempt(delivery), name=name)

    async def _attempt(self, delivery: DeliveryRecord) -> None:
        phone = self.phones.get(delivery.phone_id or 0)
        if phone is None:
            return
        async with self._turns.setdefault(phone.id, asyncio.Lock()):
            if self._closed or phone.id not in self.phones:
                return
            try:
                result = await self._push.send(phone, delivery)
            except Exception as error:  # noqa: BLE001 - one phone's failure is its own
                self.context.tasks.failed(f"sending to {phone.name}", error)
                result = PushResult(Fate.LATER, f"the hub failed: {error}")
        delivery.attempts += 1
        delivery.problem = result.problem
        self._settle(delivery, phone, result)
        await self.context.thread.run(self.context.records.notices.save, delivery)
        self.context.announce(NoticeChanged(delivery=delivery))
        if delivery.state == "waiting":
            self._plan(delivery)
        elif result.fate is Fate.GONE and phone.id in self.phones:
            await self.context.changes.do(RemovePhone(phone.id, result.problem), HOUSE)

    def _settle(self, delivery: DeliveryRecord, phone: PhoneRecord, result: PushResult) -> None:
        now, announce, title = self._clock.now_ms(), self.context.announce, delivery.title
        if result.fate is Fate.DELIVERED:
            delivery.state = "delivered"
            announce(NoticeDelivered(title=title, phone=phone.name, person=phone.person))
        elif result.fate is Fate.LATER and now - delivery.created_ms < GIVE_UP_MS:
            pause = PAUSES_S[min(delivery.attempts, len(PAUSES_S)) - 1]
            delivery.next_ms = now + round(max(pause, result.wait_s) * 1000)
            if delivery.attempts == 1:
                announce(NoticeDelayed(title=title, phone=phone.name, problem=result.problem))
        else:
            delivery.state = "failed"
            self.failed += 1
            announce(NoticeFailed(title=title, phone=phone.name, problem=result.problem))

    async def add(self, phone: PhoneRecord) -> PhoneRecord:
        """Keep a phone; one with the same endpoint is replaced. Raises Invalid."""
        if problem := why_not(phone.endpoint, self.services):
            raise Invalid(problem)
        run, records = self.context.thread.run, self.context.records.notices
        for other in [p for p in self.phones.values() if p.endpoint == phone.endpoint]:
            await run(records.remove_phone, other.id)
            del self.phones[other.id]
        phone.added_ms = self._clock.now_ms()
        phone = await run(records.add_phone, phone)
        self.phones[phone.id] = phone
        return phone

    async def forget(self, phone: PhoneRecord) -> None:
        """Take a phone away; what waits for it has failed then."""
        del self.phones[phone.id]
        self._turns.pop(phone.id, None)
        await self.context.thread.run(self.context.records.notices.remove_phone, phone.id)

    def needs(self) -> Iterator[Need]:
        if self.failed:
            yield Need("notice", f"{self.failed} notices did not reach a phone", "/journal")


@dataclass(frozen=True, slots=True)
class AddPhone(Change[Outbox, PhoneRecord]):
    """Have a device take notices. Raises Invalid for an endpoint that cannot be
    used."""

    phone: PhoneRecord

    part = Outbox
    right = Right.TELL

    async def do(self, part: Outbox, by: Actor) -> Done[PhoneRecord]:
        phone = await part.add(self.phone)
        event = PhoneAdded(phone=phone.id, title=phone.name, person=phone.person)
        return Done(phone, event)


@dataclass(frozen=True, slots=True)
class RemovePhone(Change[Outbox, None]):
    """Have a device take no more notices. Raises NotFound."""

    phone: int
    why: str = ""

    part = Outbox
    right = Right.TELL

    async def do(self, part: Outbox, by: Actor) -> Done[None]:
        phone = part.find(self.phone)
        await part.forget(phone)
        event = PhoneRemoved(phone=phone.id, title=phone.name, person=phone.person, why=self.why)
        return Done(None, event)


@dataclass(frozen=True, slots=True)
class TryPhone(Change[Outbox, None]):
    """Send a device a notice, to try it. Raises NotFound."""

    phone: int

    part = Outbox
    right = Right.TELL

    async def do(self, part: Outbox, by: Actor) -> Done[None]:
        phone = part.find(self.phone)
        await part.send([phone], "Hombi can reach you", f"This is {phone.name}.", "/")
        return Done(None, PhoneTested(title=phone.name, person=phone.person))
