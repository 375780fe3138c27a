"""The notices port: the contacts over which people are reached, notices, and their
deliveries."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol


@dataclass(slots=True)
class PhoneRecord:
    """A contact of a person: a device that takes notifications, a mail address, an
    address that is posted to, or a loudspeaker.

    Of a device, `endpoint`, `p256dh` and `auth` are its Web Push subscription (RFC
    8030, RFC 8291). Of the others, `endpoint` is the address, `auth` what a post is
    signed with, and `form` its JSON, "" for the usual one.
    """

    id: int
    name: str
    person: str
    endpoint: str
    p256dh: str
    auth: str
    added_ms: int
    sort: str = "phone"
    form: str = ""


@dataclass(frozen=True, slots=True)
class NewNotice:
    """A notice as it is stored. `identity` is what push services and phones know it by:
    sent again, it is the same one. `subject` is what it is about: it takes the place of
    an earlier one about the same.

    An `urgent` one comes in quiet hours too; a `quiet` one makes no sound. `buttons`
    are what a phone offers to do about it. `picture` is the address of a camera's.
    """

    identity: str
    title: str
    text: str
    path: str
    created_ms: int
    subject: str = ""
    urgent: bool = False
    quiet: bool = False
    buttons: tuple[dict[str, Any], ...] = ()
    picture: str = ""


@dataclass(slots=True)
class DeliveryRecord:
    """One notice on its way to one person in one way; `phone` is what that way is
    called, also when it is gone. `pressed` are the buttons that were used."""

    id: int
    phone_id: int | None
    phone: str
    identity: str
    title: str
    text: str
    path: str
    created_ms: int
    attempts: int = 0
    next_ms: int = 0
    state: str = "waiting"
    problem: str = ""
    subject: str = ""
    urgent: bool = False
    quiet: bool = False
    buttons: tuple[dict[str, Any], ...] = ()
    pressed: tuple[str, ...] = ()
    settled_ms: int = 0
    person: str = ""
    picture: str = ""


class NoticesPort(Protocol):
    """Whom the hub tells, and what became of it."""

    def phones(self) -> list[PhoneRecord]: ...

    def add_phone(self, phone: PhoneRecord) -> PhoneRecord:
        """Store a contact; it has its id then."""

    def remove_phone(self, phone_id: int) -> None:
        """Take a contact away; what waits for it has failed then."""

    def add_notice(self, notice: NewNotice, phones: Sequence[PhoneRecord]) -> list[DeliveryRecord]:
        """Store a notice and its deliveries over those contacts that are there."""

    def waiting(self) -> list[DeliveryRecord]:
        """The deliveries that still wait, oldest first."""

    def latest(self, limit: int) -> list[DeliveryRecord]:
        """Deliveries, newest first."""

    def delivery(self, delivery: int) -> DeliveryRecord | None:
        """One of them, if it is there."""

    def save(self, delivery: DeliveryRecord) -> None: ...

    def push_key(self, fresh: str) -> str:
        """The hub's own VAPID key (PEM); `fresh` is kept when there is none yet."""

    def buttons_key(self, fresh: str) -> str:
        """The key that the rights of buttons are made with; `fresh` is kept when there
        is none yet."""
