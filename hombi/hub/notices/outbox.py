"""The outbox: notices are stored first and sent then, so that a restart loses none.

A notice has one identity from the moment it is decided on. Sent again (the hub was
killed, a phone answered late), it is the same notice to the push service and on the
phone, which rings once. Over each contact, notices come in the order in which they were
made.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from hombi.core.names import slug
from hombi.core.values import show_span
from hombi.hub.errors import NotFound
from hombi.hub.house import House
from hombi.hub.kernel import HOUSE, Actor, Change, Context, Done, Feature, Need, Right
from hombi.hub.machine.events import ClockSet
from hombi.hub.machine.keeper import Keeper
from hombi.hub.notices.events import (
    NoticeChanged,
    NoticeDelayed,
    NoticeDelivered,
    NoticeFailed,
    NoticesSummedUp,
    NoticeUnsent,
    PhoneRemoved,
)
from hombi.hub.notices.pictures import Pictures
from hombi.hub.notices.port import DeliveryRecord, NewNotice, PhoneRecord
from hombi.hub.notices.queue import Queue, summed_up
from hombi.hub.notices.quiet import QuietHours
from hombi.hub.notices.sending import Fate, Senders, Sent
from hombi.hub.readings.writer import Writer
from hombi.hub.settings.config import Config

PAUSES_S = (5, 15, 60, 300, 900, 3600)
GIVE_UP_MS = 24 * 3600_000
EVERYONE = "everyone"


@dataclass(frozen=True, slots=True)
class Told:
    """A notice for one person, for everyone, or for one contact of a person
    (`ada/mail`).

    `subject` is what it is about, "" for what stands alone; `sorts` are the sorts of
    contacts that it goes, all of them when there are none. `picture` is the address of
    a camera's.
    """

    to: str
    title: str
    text: str = ""
    path: str = "/"
    subject: str = ""
    urgent: bool = False
    quiet: bool = False
    sorts: tuple[str, ...] = ()
    buttons: tuple[dict[str, Any], ...] = ()
    picture: str = ""


class Outbox(Feature):
    """The ways of reaching people, and what is on its way."""

    name = "notices"
    pressing = 10

    def __init__(
        self,
        context: Context,
        house: House,
        writer: Writer,
        keeper: Keeper,
        senders: Senders,
        pictures: Pictures,
        config: Config,
    ) -> None:
        super().__init__(context)
        self.pictures = pictures
        self._house, self._writer, self._keeper = house, writer, keeper
        self._senders, self._clock, self.zone = senders.by_sort, context.clock, config.zone
        self.phones: dict[int, PhoneRecord] = {}
        self.quiet: dict[str, QuietHours] = {}
        # Until when somebody does not want to hear of a subject.
        self.hushed: dict[tuple[str, str], int] = {}
        # What was told when something began, to tell quietly that it is over.
        self._begun: dict[str, dict[str, Any]] = {}
        context.hear(ClockSet, lambda event: self._clock_set(event.by_ms))
        self.failed = 0
        self._queues: dict[int, Queue] = {}
        self._closed = False

    async def reconfigured(self, new: Config, old: Config) -> None:
        self.zone = new.zone

    async def open(self) -> None:
        """Take up what was on its way before a restart."""
        run, records = self.context.thread.run, self.context.records.notices
        self.phones = {phone.id: phone for phone in await run(records.phones)}
        self.name_contacts()
        kept = self._keeper.of("notices")
        self._begun = {
            key.removeprefix("begun/"): one for key, one in kept.items() if key.startswith("begun/")
        }
        for key, one in kept.items():
            if key.startswith("person/"):
                self._take_person(key.removeprefix("person/"), one)
        self._queue_all(await run(records.waiting))

    def _take_person(self, person: str, kept: Mapping[str, Any]) -> None:
        hours = QuietHours.read(str(kept.get("quiet", "")))
        if hours is not None:
            self.quiet[person] = hours
        for subject, until in dict(kept.get("hushed", {})).items():
            self.hushed[person, subject] = int(until)

    async def close(self) -> None:
        """Begin no more attempts; what waits is stored and goes on after the next
        start."""
        self._closed = True
        self.pictures.close()

    # Who is reached, and how

    def find(self, contact_id: int) -> PhoneRecord:
        """Raises NotFound."""
        phone = self.phones.get(contact_id)
        if phone is None:
            raise NotFound(f"no contact {contact_id}; `hombi contact list` names them")
        return phone

    def name_contacts(self) -> None:
        """Have the house know the names of all contacts, for who writes texts."""
        self._house.contacts = frozenset(address_of(phone) for phone in self.phones.values())

    def meant(self, to: str, sorts: Sequence[str] = ()) -> list[PhoneRecord]:
        """The contacts that somebody means: everyone's, a person's, or one alone."""
        return [
            phone
            for phone in self.phones.values()
            if to in (EVERYONE, phone.person, address_of(phone))
            and (phone.sort in sorts if sorts else self._usual(phone, to))
        ]

    def _usual(self, contact: PhoneRecord, to: str) -> bool:
        """Whether a notice goes over this contact unless another is asked for: to
        phones; to somebody without one, by mail."""
        if to == address_of(contact) or contact.sort == "phone":
            return True
        has_phone = any(
            phone.person == contact.person and phone.sort == "phone"
            for phone in self.phones.values()
        )
        return contact.sort == "mail" and not has_phone

    # Telling

    def tell(self, told: Told) -> None:
        """Send a notice, once what it is about is safe on disk."""
        now = self._clock.now_ms()
        meant = self.meant(told.to, told.sorts)
        if not meant:
            self.context.announce(
                NoticeUnsent(title=told.title, to=told.to, automation=_about(told.subject))
            )
            return
        contacts = [
            phone for phone in meant
            if told.urgent or self.hushed.get((phone.person, told.subject), 0) <= now
        ]  # fmt: skip
        if told.subject and not told.quiet:
            begun = {"to": told.to, "title": told.title, "sorts": list(told.sorts)}
            since = self._begun.get(told.subject, {}).get("since", now)
            self._begun[told.subject] = {**begun, "since": since}
            self._keeper.keep(f"notices/begun/{told.subject}", self._begun[told.subject])
        if contacts:
            notice = self._notice(told)
            if told.picture:
                self.pictures.begin(notice.identity, told.picture, _about(told.subject))
            self._writer.also(
                lambda records: records.notices.add_notice(notice, contacts), self._queue_all
            )

    def over(self, subject: str, say: Callable[[str], str], path: str) -> None:
        """What was told of is over: say so without a sound, in the place of what was
        said. Nothing is said of what nobody was told of."""
        begun = self._begun.get(subject)
        if begun is None:
            return
        self.forget(subject)
        lasted = show_span(max(0, self._clock.now_ms() - int(begun["since"])))
        # Only a phone can put it in the other's place.
        notice = Told(
            begun["to"], begun["title"], say(lasted), path, subject, quiet=True, sorts=("phone",)
        )
        if self.meant(notice.to, notice.sorts):
            self.tell(notice)

    def forget(self, subject: str) -> None:
        """Say nothing more of what was told of it."""
        if self._begun.pop(subject, None) is not None:
            self._keeper.keep(f"notices/begun/{subject}", None)

    async def send(self, contacts: Sequence[PhoneRecord], told: Told) -> None:
        """Store a notice for these contacts and begin to send it."""
        notice, records = self._notice(told), self.context.records.notices
        self._queue_all(await self.context.thread.run(records.add_notice, notice, contacts))

    def _notice(self, notice: Told) -> NewNotice:
        return NewNotice(
            secrets.token_urlsafe(12), notice.title, notice.text, notice.path, self._clock.now_ms(),
            notice.subject, notice.urgent, notice.quiet, notice.buttons, notice.picture,
        )  # fmt: skip

    # On the way

    def _queue_all(self, deliveries: Sequence[DeliveryRecord]) -> None:
        for delivery in deliveries:
            queue = self._queues.setdefault(delivery.phone_id or 0, Queue())
            queue.until_ms = max(queue.until_ms, delivery.next_ms if delivery.attempts else 0)
            for replaced in queue.put(delivery):
                self._end(replaced, "replaced", "a newer one about the same took its place")
        for contact_id in {delivery.phone_id or 0 for delivery in deliveries}:
            self._plan(contact_id)

    def _end(self, delivery: DeliveryRecord, state: str, why: str) -> None:
        """It does not go any more."""
        delivery.state, delivery.problem = state, why
        delivery.settled_ms = self._clock.now_ms()
        self._writer.also(lambda records: records.notices.save(delivery))
        self.context.announce(NoticeChanged(delivery=delivery))

    def _plan(self, contact_id: int) -> None:
        queue = self._queues.get(contact_id)
        if self._closed or queue is None or queue.busy is not None or not queue.waiting:
            return
        if queue.until_ms <= self._clock.now_ms():
            self._begin(contact_id)
        else:
            self.context.tasks.at(queue.until_ms, lambda: self._begin(contact_id), "a notice")

    def _begin(self, contact_id: int) -> None:
        queue, contact, now = (
            self._queues.get(contact_id),
            self.phones.get(contact_id),
            self._clock.now_ms(),
        )
        if self._closed or queue is None or queue.busy is not None or contact is None:
            return
        if now < queue.until_ms:  # a timer may be early, and the clock may be set
            self._plan(contact_id)
            return
        over = self._quiet_until(contact, now)
        delivery = queue.next(over is not None)
        if delivery is None:
            if over is not None and queue.waiting:
                self.context.tasks.at(over, lambda: self._begin(contact_id), "quiet hours")
            return
        if over is None and (late := queue.late(now)):
            queue.take_out(late)
            for one in late:
                self._end(one, "told together", "too much had gathered to tell each by itself")
            self._sum_up(contact, late)
            return
        queue.busy = delivery
        name = f"a notice for {delivery.phone}"
        self.context.tasks.start(self._attempt(delivery, contact, queue), name=name)

    def _clock_set(self, by_ms: int) -> None:
        """The machine's clock was set: what waits for its next attempt waits no longer
        than before."""
        for contact_id, queue in self._queues.items():
            queue.until_ms += by_ms if queue.until_ms else 0
            self._plan(contact_id)

    def _quiet_until(self, contact: PhoneRecord, now: int) -> int | None:
        """When the quiet hours of this moment are over; a mail and a post disturb
        nobody."""
        hours = self.quiet.get(contact.person)
        rings = contact.sort in ("phone", "loudspeaker")
        return hours.over_ms(now, self.zone) if hours is not None and rings else None

    def _sum_up(self, contact: PhoneRecord, late: Sequence[DeliveryRecord]) -> None:
        title, text = summed_up(late)
        told = Told(contact.person, title, text, "/notices", "summed-up")
        notice = self._notice(told)
        self._writer.also(
            lambda records: records.notices.add_notice(notice, [contact]), self._queue_all
        )
        self.context.announce(
            NoticesSummedUp(count=len(late), phone=contact.name, person=contact.person)
        )

    async def _attempt(self, delivery: DeliveryRecord, contact: PhoneRecord, queue: Queue) -> None:
        send = self._senders.get(contact.sort)
        try:
            if send is None:
                sent = Sent(
                    Fate.IMPOSSIBLE, f"this hub knows no sort of contact called {contact.sort}"
                )
            else:
                sent = await send(contact, delivery)
        except Exception as error:  # noqa: BLE001 - one contact's failure is its own
            self.context.tasks.failed(f"sending to {contact.name}", error)
            sent = Sent(Fate.LATER, f"the hub failed: {error}")
        delivery.attempts += 1
        delivery.problem = sent.problem
        self._settle(delivery, contact, queue, sent)
        try:
            await self.context.thread.run(self.context.records.notices.save, delivery)
        except Exception as error:  # noqa: BLE001 - whatever the disk says, the next one goes out
            self.context.tasks.failed("keeping what became of a notice", error)
            # The writer keeps it, and tries again.
            self._writer.also(lambda records: records.notices.save(delivery))
        finally:
            queue.busy = None
        self.context.announce(NoticeChanged(delivery=delivery))
        if sent.fate is Fate.GONE and contact.id in self.phones:
            await self.context.changes.do(RemovePhone(contact.id, sent.problem), HOUSE)
        else:
            self._plan(contact.id)

    def _settle(
        self, delivery: DeliveryRecord, contact: PhoneRecord, queue: Queue, sent: Sent
    ) -> None:
        now, announce = self._clock.now_ms(), self.context.announce
        about = {
            "title": delivery.title,
            "phone": contact.name,
            "automation": _about(delivery.subject),
        }
        if sent.fate is Fate.LATER and now - delivery.created_ms < GIVE_UP_MS:
            pause = PAUSES_S[min(delivery.attempts, len(PAUSES_S)) - 1]
            delivery.next_ms = queue.until_ms = now + round(max(pause, sent.wait_s) * 1000)
            if delivery.attempts == 1:
                announce(NoticeDelayed(problem=sent.problem, **about))
            return
        queue.take_out([delivery])
        queue.until_ms, delivery.settled_ms = 0, now
        if sent.fate is Fate.DELIVERED:
            delivery.state = "delivered"
            announce(NoticeDelivered(person=contact.person, **about))
        elif sent.fate is Fate.TOO_LATE:
            delivery.state = "too late"
        else:
            delivery.state = "failed"
            self.failed += 1
            announce(NoticeFailed(problem=sent.problem, **about))

    @property
    def waiting(self) -> int:
        """How many are on their way."""
        return sum(len(queue.waiting) for queue in self._queues.values())

    def needs(self) -> Iterator[Need]:
        if self.failed:
            yield Need("notice", f"{self.failed} notices did not reach anybody", "/notices")

    async def keep_person(self, person: str) -> None:
        """Keep what a person wants of notices; done when it is safe."""
        quiet, now = self.quiet.get(person), self._clock.now_ms()
        hushed = {
            subject: until
            for (who, subject), until in self.hushed.items()
            if who == person and until > now
        }
        state = {"quiet": str(quiet) if quiet else "", "hushed": hushed}
        self._keeper.keep(f"notices/person/{person}", state)
        await self._keeper.settled()

    def look_again(self) -> None:
        """Something that holds notices back is another than before."""
        for contact_id in self._queues:
            self._plan(contact_id)

    async def take_away(self, contact: PhoneRecord) -> None:
        """Take a contact away; what waits for it has failed then."""
        del self.phones[contact.id]
        self._queues.pop(contact.id, None)
        self.name_contacts()
        await self.context.thread.run(self.context.records.notices.remove_phone, contact.id)


class RemovePhone(Change[Outbox, None], frozen=True):
    """Have a contact take no more notices. Raises NotFound."""

    phone: int
    why: str = ""

    feature = Outbox
    right = Right.TELL

    async def do(self, feature: Outbox, by: Actor) -> Done[None]:
        contact = feature.find(self.phone)
        await feature.take_away(contact)
        event = PhoneRemoved(
            phone=contact.id, title=contact.name, person=contact.person, why=self.why
        )
        return Done(None, event)


def address_of(contact: PhoneRecord) -> str:
    """How a text names it: its person, and its own name."""
    return f"{contact.person}/{slug(contact.name)}"


def _about(subject: str) -> str:
    """The automation that a notice is about; "" for anything else."""
    start, _, automation = subject.partition("/")
    return automation if start == "automation" else ""
