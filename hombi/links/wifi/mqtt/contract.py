"""What the door needs of both its ends: the wire of a connection, and the host that
owns the door."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from hombi.core.outcome import Outcome
from hombi.links.pace import Pace
from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.packets import Publish
from hombi.links.wifi.mqtt.session import Session, Subscription


class Wire(Protocol):
    """The far end of one connection."""

    def write(self, data: bytes) -> None:
        """Send bytes, with what else is sent in this turn of the loop."""

    def flush(self) -> None:
        """Send at once what was written."""

    def close(self) -> None:
        """Close the connection after what was written."""


class Rights(Protocol):
    """What a signed-in account may do."""

    @property
    def account(self) -> str:
        """The account's name."""

    def may_publish(self, topic: str) -> bool:
        """Whether it may publish under this name."""

    def may_subscribe(self, name_filter: str) -> bool:
        """Whether it may hear everything that falls under this filter."""

    def cost(self, length: int) -> float:
        """What a message of so many bytes takes of its account's pace."""


class Acknowledge(Protocol):
    """Tells the sender of a message that it is safe, or with a reason code of MQTT 5
    why it was not taken."""

    def __call__(self, reason: int = 0) -> None: ...


REASONS = {
    Outcome.SAFE: 0,
    Outcome.REFUSED: p.NOT_TAKEN,
    Outcome.LATER: p.QUOTA,
}


def with_reason(acknowledge: Acknowledge, outcome: Outcome) -> None:
    """Acknowledge with the reason code of MQTT 5 for this outcome."""
    acknowledge(REASONS[outcome])


class Host(Protocol):
    """Who owns the door."""

    def sign_in(self, username: str | None, password: bytes | None) -> Rights | None:
        """The rights that go with these credentials, or None."""

    def published(self, rights: Rights, message: Publish, acknowledge: Acknowledge) -> None:
        """A message came in. `acknowledge` must be called once it is safe."""

    def connected(self, rights: Rights) -> None:
        """An account has connected."""

    def disconnected(self, rights: Rights) -> None:
        """An account's last connection is gone."""

    def subscribed(self, rights: Rights, name_filter: str) -> None:
        """An account has subscribed to something: what nobody listened to a moment ago
        may be heard now."""

    def turned_away(self, account: str, why: str) -> None:
        """Something was refused, closed or dropped."""

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        """Something of the door's is to outlive the hub, as plain data; None when it is
        not any more."""

    def when_kept(self, call: Callable[[], None]) -> None:
        """Call once all that was to be kept so far is on disk."""


class Sessions(Protocol):
    """The door, as one of its connections sees it."""

    host: Host
    now_s: float
    connect_within_s: float

    def enter(
        self, connection: Any, key: str, *, clean: bool, expiry_s: int
    ) -> tuple[Session, bool] | None:
        """Give a signed-in connection its session: (session, whether it was there
        before).

        None when its account has as many connections as it may.
        """

    def pace_of(self, account: str) -> Pace:
        """How fast an account is listened to, over all its connections."""

    def leave(self, session: Session, expiry_s: int) -> None:
        """A client takes its leave and says how long its session is to be kept."""

    def gone(self, connection: Any, will: Publish | None) -> None:
        """A connection has ended."""

    def numbers_changed(self, session: Session) -> None:
        """Keep which QoS 2 messages a session has received, if it is one to keep."""

    def changed(self, session: Session) -> None:
        """A session has changed."""

    def route(self, message: Publish, origin: Session | None = None) -> bool:
        """Send a message to all who subscribed; whether something of it must be kept
        before it is safe."""

    def may_subscribe_more(self, session: Session) -> bool:
        """Whether the session and its account may have one more subscription."""

    def subscribe(self, session: Session, name_filter: str, subscription: Subscription) -> None:
        """Add or replace a subscription."""

    def unsubscribe(self, session: Session, name_filter: str) -> bool:
        """Take a subscription away; whether there was one."""

    def retained_under(self, name_filter: str) -> list[Publish]:
        """The retained messages that fall under a filter."""
