"""The notices port: phones, notices, and their deliveries."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol


@dataclass(slots=True)
class PhoneRecord:
    """A device that takes notifications: its Web Push subscription (RFC 8030) and keys
    (RFC 8291)."""

    id: int
    name: str
    person: str
    endpoint: str
    p256dh: str
    auth: str
    added_ms: int


@dataclass(frozen=True, slots=True)
class NewNotice:
    """A notice as it is stored. `identity` is what push services and phones know it by:
    sent again, it is the same one."""

    identity: str
    title: str
    text: str
    path: str
    created_ms: int


@dataclass(slots=True)
class DeliveryRecord:
    """One notice on its way to one phone; `phone` is what that is called, also when it
    is gone."""

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


class NoticesPort(Protocol):
    """Whom the hub tells, and what became of it."""

    def phones(self) -> list[PhoneRecord]: ...

    def add_phone(self, phone: PhoneRecord) -> PhoneRecord:
        """Store a phone; it has its id then."""

    def remove_phone(self, phone_id: int) -> None:
        """Take a phone away; what waits for it has failed then."""

    def add_notice(self, notice: NewNotice, phones: Sequence[PhoneRecord]) -> list[DeliveryRecord]:
        """Store a notice and its deliveries to those of these phones that are there."""

    def waiting(self) -> list[DeliveryRecord]:
        """The deliveries that still wait, oldest first."""

    def latest(self, limit: int) -> list[DeliveryRecord]:
        """Deliveries, newest first."""

    def save(self, delivery: DeliveryRecord) -> None: ...

    def push_key(self, fresh: str) -> str:
        """The hub's own VAPID key (PEM); `fresh` is kept when there is none yet."""
