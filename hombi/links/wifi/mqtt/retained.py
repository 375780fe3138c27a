"""Retained messages: the last one of each topic, for who subscribes later."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.bodies import Bodies
from hombi.links.wifi.mqtt.contract import Host
from hombi.links.wifi.mqtt.session import Ledger, expiring, size_of
from hombi.links.wifi.mqtt.topics import Retained

MAX_RETAINED = 10_000
# What one account may have: one node takes nothing from the others.
MAX_ACCOUNT_RETAINED = 2_000
BEGINNING = "retained/"


@dataclass(frozen=True, slots=True)
class Kept:
    """One message, whose it is, and when it ends."""

    account: str
    message: p.Publish
    expires_s: float | None


class RetainedMessages:
    """All of them, within bounds for each account and in all."""

    def __init__(self, host: Host, ledger: Ledger, bodies: Bodies) -> None:
        self._host, self._ledger, self._bodies = host, ledger, bodies
        # How many bytes were written for them.
        self.written = 0
        self._by_topic: Retained[Kept] = Retained()
        self._by_account: dict[str, int] = {}

    def take(self, account: str, message: p.Publish, now_s: float) -> bool:
        """Keep a message in place of the one before, or clear it when it is empty;
        whether that must be on disk before it is safe."""
        if not message.payload:
            self._drop(message.topic)  # [MQTT-3.3.1-10]
            return True
        earlier = self._drop(message.topic)
        full = len(self._by_topic) >= MAX_RETAINED
        full = full or self._by_account.get(account, 0) >= MAX_ACCOUNT_RETAINED
        if full or not self._ledger.has_room(account, size_of(message)):
            lost = "; the one before it is not kept either" if earlier else ""
            self._host.turned_away(
                account,
                f"as many retained messages are kept for it as may be: "
                f"{message.topic!r} is not{lost}",
            )
            return True
        expiry = message.properties.get("message_expiry")
        self.put(account, message, None if expiry is None else now_s + expiry)
        more = {"account": account, "left": expiry}
        self.written += self._bodies.keep(key_of(message.topic), message, more)
        return True

    def put(self, account: str, message: p.Publish, expires_s: float | None) -> None:
        """Take up one message."""
        self._by_topic.put(message.topic, Kept(account, message, expires_s))
        self._by_account[account] = self._by_account.get(account, 0) + 1
        self._ledger.book(account, size_of(message))

    def _drop(self, topic: str) -> bool:
        kept = self._by_topic.pop(topic)
        if kept is None:
            return False
        left = self._by_account[kept.account] - 1
        if left:
            self._by_account[kept.account] = left
        else:
            del self._by_account[kept.account]
        self._ledger.book(kept.account, -size_of(kept.message))
        self._bodies.drop(key_of(topic))
        return True

    def under(self, name_filter: str, now_s: float) -> list[p.Publish]:
        """The retained messages that fall under a filter, with what is left of their
        time."""
        publishes = []
        for kept in self._by_topic.find(name_filter):
            if kept.expires_s is None:
                publishes.append(kept.message)
            elif kept.expires_s > now_s:
                publishes.append(expiring(kept.message, kept.expires_s - now_s))
            else:
                self._drop(kept.message.topic)
        return publishes


def key_of(topic: str) -> str:
    """What a retained message is kept under."""
    return BEGINNING + hashlib.sha256(topic.encode()).hexdigest()
