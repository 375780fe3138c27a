"""Changes of who is reached how: phones, mail addresses, addresses to post to,
loudspeakers; quiet hours; and the buttons of notices."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping
from email.utils import parseaddr
from typing import Any
from urllib.parse import urlsplit

from hombi.core.names import slug
from hombi.core.outside import hidden_sign
from hombi.hub.errors import HubError, Invalid, NotFound, Refused
from hombi.hub.house import House
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right, while_stored
from hombi.hub.notices import form
from hombi.hub.notices.buttons import HUSH, HUSH_MS, Buttons, check
from hombi.hub.notices.endpoints import why_not
from hombi.hub.notices.events import ButtonPressed, PhoneAdded, PhoneTested, QuietHoursSet
from hombi.hub.notices.kept import Kept
from hombi.hub.notices.loudspeaker import input_of
from hombi.hub.notices.outbox import Outbox, Told, address_of
from hombi.hub.notices.port import PhoneRecord
from hombi.hub.notices.quiet import QuietHours
from hombi.hub.notices.voice import PROGRAM, can_speak

PHONE, MAIL, POST, LOUDSPEAKER = "phone", "mail", "post", "loudspeaker"
MOST_CONTACTS = 100


class Contacts(Feature):
    """What may be added as a contact; `services` are push services in the house, `does`
    the changes that buttons make, `sounds` what loudspeakers were given to play."""

    name = "contacts"

    def __init__(
        self,
        context: Context,
        house: House,
        outbox: Outbox,
        buttons: Buttons,
        sounds: Kept,
        services: tuple[str, ...],
        does: Mapping[str, Callable[[Mapping[str, Any]], Change[Any, Any]]],
    ) -> None:
        super().__init__(context)
        self.does, self.sounds = does, sounds
        self.house, self.outbox, self.buttons, self.services = house, outbox, buttons, services

    async def add(self, contact: PhoneRecord) -> PhoneRecord:
        """Keep a contact; a phone with the same subscription is replaced. Raises
        Invalid."""
        outbox, run = self.outbox, self.context.thread.run
        records = self.context.records.notices
        if problem := self._problem(contact):
            raise Invalid(problem)
        if len(outbox.phones) >= MOST_CONTACTS:
            raise Refused(f"{MOST_CONTACTS} contacts are enough; remove one first")
        same = (contact.sort, contact.endpoint) if contact.sort == PHONE else None
        for other in list(outbox.phones.values()):
            if (other.sort, other.endpoint) == same:
                await outbox.take_away(other)
            elif contact.sort != PHONE and address_of(other) == address_of(contact):
                raise Invalid(f"{contact.person} has a contact called {other.name} already")
        contact.added_ms = self.context.clock.now_ms()
        contact = await run(records.add_phone, contact)
        outbox.phones[contact.id] = contact
        outbox.name_contacts()
        return contact

    def _problem(self, contact: PhoneRecord) -> str:
        if odd := hidden_sign(contact.name):
            return f"the name holds a sign that cannot be seen (U+{ord(odd):04X}); delete it"
        if not slug(contact.name):
            return "the name needs a letter or a digit"
        if contact.form and contact.sort != POST:
            return "only a post has a form"
        if contact.sort == PHONE:
            return why_not(contact.endpoint, self.services)
        if contact.sort == MAIL:
            return _no_mail(contact.endpoint)
        if contact.sort == POST:
            return _no_address(contact.endpoint) or (
                form.problem(contact.form) if contact.form else ""
            )
        return self._no_loudspeaker(contact.endpoint)

    def _no_loudspeaker(self, address: str) -> str:
        wanted = input_of(self.house, address)
        if wanted is not None and wanted.format == "uri" and not can_speak():
            return (
                f"{address} plays what an address leads to; install {PROGRAM} on this machine, "
                "so that the hub can make a sound"
            )
        if wanted is None:
            can = [f"{node}/{name}/{given}" for node, name, given in self.speaking()]
            return f"{address} takes no text; give a node's action as node/action/input" + (
                f", like {can[0]}" if can else "; no node here takes one"
            )
        return ""

    def speaking(self) -> list[tuple[str, str, str]]:
        """What could say something: (node, action, its input that takes a text, or the
        address of a sound)."""
        return [
            (node.address, name, given.name or "input")
            for node in self.house.nodes.values()
            for name, action in node.actions.items()
            for given in action.inputs
            if given.type == "string" and not given.choices
            if given.format != "uri" or can_speak()
        ]


def _no_mail(address: str) -> str:
    name, result = parseaddr(address)
    local, at, host = result.rpartition("@")
    plain = not name and result == address and all(33 <= ord(c) < 127 for c in address)
    if not plain or not at or not local or not host.strip("."):
        return f"{address!r} is not a mail address; write one like ada@mill.example"
    return ""


def _no_address(address: str) -> str:
    try:
        parts = urlsplit(address)
        _ = parts.port
    except ValueError:
        parts = urlsplit("")
    if parts.scheme not in ("http", "https") or not parts.hostname or parts.username is not None:
        return f"{address!r} is not an address to post to; write one like https://mill.example/told"
    return ""


class AddContact(Change[Contacts, PhoneRecord], frozen=True):
    """Have a person be reached over one more contact. Raises Invalid, Refused."""

    phone: PhoneRecord

    feature = Contacts
    right = Right.TELL

    async def do(self, feature: Contacts, by: Actor) -> Done[PhoneRecord]:
        contact = self.phone
        if contact.sort == POST:
            contact.auth = secrets.token_urlsafe(32)
        contact = await feature.add(contact)
        event = PhoneAdded(phone=contact.id, title=contact.name, person=contact.person)
        return Done(contact, event)


class TryPhone(Change[Contacts, None], frozen=True):
    """Send a notice over one contact, to try it. Raises NotFound."""

    phone: int

    feature = Contacts
    right = Right.TELL

    async def do(self, feature: Contacts, by: Actor) -> Done[None]:
        contact = feature.outbox.find(self.phone)
        notice = Told(
            contact.person,
            "Hombi can reach you",
            f"This is {contact.name}.",
            "/notices",
            urgent=True,
        )
        await feature.outbox.send([contact], notice)
        return Done(None, PhoneTested(title=contact.name, person=contact.person))


class SetQuietHours(Change[Contacts, str], frozen=True):
    """When a person is told only what is urgent, like "22:00-06:30"; "" for never.
    Raises NotFound, Invalid."""

    person: str
    hours: str

    feature = Contacts
    right = Right.TELL

    async def do(self, feature: Contacts, by: Actor) -> Done[str]:
        if self.person not in feature.house.people:
            raise NotFound(f"nobody here is called {self.person}")
        result, outbox = QuietHours.read(self.hours), feature.outbox
        quiet = {name: hours for name, hours in outbox.quiet.items() if name != self.person}
        if result is not None:
            quiet[self.person] = result
        with while_stored(outbox, quiet=quiet):
            await outbox.keep_person(self.person)
        outbox.look_again()
        sentence = str(result) if result else ""
        return Done(sentence, QuietHoursSet(person=self.person, hours=sentence))


class PressButton(Change[Contacts, str], frozen=True):
    """Press a button of a notice, with the right that came with it; what was done, in
    words. Raises Refused."""

    given: str

    feature = Contacts
    right = Right.PRESS

    async def do(self, feature: Contacts, by: Actor) -> Done[str]:
        outbox, now = feature.outbox, feature.context.clock.now_ms()
        number, button = feature.buttons.named(self.given)
        run, records = feature.context.thread.run, feature.context.records.notices
        delivery = await run(records.delivery, number)
        result = check(delivery, button, now)
        assert delivery is not None
        contact = outbox.find(delivery.phone_id or 0)
        # Used before it is done: pressed twice, it is done once.
        delivery.pressed = (*delivery.pressed, button)
        await run(records.save, delivery)
        person = Actor.person(contact.person)
        if button == HUSH:
            outbox.hushed[contact.person, delivery.subject] = now + HUSH_MS
            await outbox.keep_person(contact.person)
        else:
            make = feature.does[button]
            try:
                await feature.context.changes.do(make(result), person)
            except HubError as error:
                raise Refused(str(error)) from error
        sentence = str(result["label"])
        event = ButtonPressed(title=delivery.title, button=sentence, person=contact.person)
        return Done(sentence, event, person)
