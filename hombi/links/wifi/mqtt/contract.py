"""What the door needs of both its ends: the wire of a connection, and the host that owns the door."""

from __future__ import annotations

from typing import Any, Protocol

from hombi.links.wifi.mqtt.packets import Publish
from hombi.links.wifi.mqtt.session import Session, Subscription


class Wire(Protocol):
    """The far end of one connection."""

    def write(self, data: bytes) -> None:
        """Send bytes."""

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


class Acknowledge(Protocol):
    """Tells the sender of a message that it is safe, or with a reason code of MQTT 5 why it was not taken."""

    def __call__(self, reason: int = 0) -> None: ...


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

    def turned_away(self, account: str, why: str) -> None:
        """Something was refused, closed or dropped."""

    def session_changed(self, key: str, session: Session) -> None:
        """A session that is to be kept has changed."""

    def session_forgotten(self, key: str) -> None:
        """A session that was kept is not any more."""


class Sessions(Protocol):
    """The door, as one of its connections sees it."""

    host: Host
    now_s: float
    connect_within_s: float

    def enter(self, connection: Any, key: str, *, clean: bool, expiry_s: int) -> tuple[Session, bool]:
        """Give a signed-in connection its session: (session, whether it was there before)."""

    def gone(self, connection: Any, will: Publish | None) -> None:
        """A connection has ended."""

    def changed(self, session: Session) -> None:
        """A session has changed."""

    def route(self, message: Publish, origin: Session | None = None) -> None:
        """Send a message to all who subscribed."""

    def subscribe(self, session: Session, name_filter: str, subscription: Subscription) -> None:
        """Add or replace a subscription."""

    def unsubscribe(self, session: Session, name_filter: str) -> bool:
        """Take a subscription away; whether there was one."""

    def retained_under(self, name_filter: str) -> list[Publish]:
        """The retained messages that fall under a filter."""
