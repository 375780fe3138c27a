"""What the door keeps for one client: its subscriptions, and the messages on their way to it."""

from __future__ import annotations

import base64
from collections import deque
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from typing import Any

from hombi.links.wifi.mqtt.packets import Publish

MAX_INFLIGHT = 32
MAX_QUEUED = 256
NEVER_S = 0xFFFFFFFF  # a session expiry that means "keep it" (MQTT 5, 3.1.2.11.2)


@dataclass(frozen=True, slots=True)
class Subscription:
    """One filter's options (MQTT 5, 3.8.3.1); of 3.1.1 only the QoS."""

    qos: int
    no_local: bool = False
    retain_as_published: bool = False
    identifier: int = 0


@dataclass(frozen=True, slots=True)
class _Waiting:
    message: Publish
    expires_s: float | None


@dataclass
class Session:
    """The session state of 3.1.1, section 4.1, bounded: at the bound the oldest waiting message is dropped and counted.

    `expiry_s` is how long it is kept after its connection ended: 0 for one that ends with it, `NEVER_S` for no end.
    Times are seconds of the door's clock.
    """

    key: str
    expiry_s: int
    subscriptions: dict[str, Subscription] = field(default_factory=dict)
    dropped: int = 0
    window: int = MAX_INFLIGHT
    ends_s: float | None = None
    # QoS 2 messages that came in and were not released yet: the same identifier again is the same message (4.3.3).
    received: set[int] = field(default_factory=set)
    # Those on their way to the disk, with who is to be answered.
    receiving: dict[int, list[Callable[[int], None]]] = field(default_factory=dict)
    _inflight: dict[int, Publish] = field(default_factory=dict)
    _waiting: deque[_Waiting] = field(default_factory=deque)
    _last_id: int = 0

    @property
    def persistent(self) -> bool:
        """Whether it outlives its connection."""
        return self.expiry_s > 0

    def offer(self, message: Publish, connected: bool, now_s: float) -> Publish | None:
        """Take a message for the client; what comes back is to be sent now.

        QoS 0 goes out at once or, to a client that is away, not at all. QoS 1 stays until it is acknowledged.
        """
        if message.qos == 0:
            return message if connected else None
        if connected and len(self._inflight) < self.window:
            return self._launch(message)
        if len(self._waiting) >= MAX_QUEUED:
            self._waiting.popleft()
            self.dropped += 1
        expiry = message.properties.get("message_expiry")
        self._waiting.append(_Waiting(message, None if expiry is None else now_s + expiry))
        return None

    def acknowledged(self, packet_id: int, now_s: float) -> Publish | None:
        """The client has a message; what comes back is the next one to send."""
        if self._inflight.pop(packet_id, None) is None:
            return None
        return self._next(now_s)

    def resume(self, now_s: float) -> Iterator[Publish]:
        """What to send when the client is back: first what it never acknowledged, in order [MQTT-4.4.0-1, 4.6.0-1]."""
        for packet_id, message in list(self._inflight.items()):
            self._inflight[packet_id] = again = replace(message, duplicate=True)
            yield again
        while len(self._inflight) < self.window and (following := self._next(now_s)) is not None:
            yield following

    def snapshot(self, now_s: float) -> dict[str, Any]:
        """What must outlive the hub, as plain data."""
        return {
            "expiry": self.expiry_s,
            "subscriptions": {
                name: [s.qos, s.no_local, s.retain_as_published, s.identifier] for name, s in self.subscriptions.items()
            },
            "inflight": [_packed(message) for message in self._inflight.values()],
            "waiting": [
                [*_packed(w.message), None if w.expires_s is None else max(0.0, w.expires_s - now_s)] for w in self._waiting
            ],
            "received": sorted(self.received),
            "last_id": self._last_id,
        }

    @classmethod
    def restored(cls, key: str, kept: dict[str, Any], now_s: float) -> Session:
        """The session that a snapshot was taken of; the time until its end begins anew."""
        session = cls(key, kept.get("expiry", NEVER_S), _last_id=kept["last_id"], received=set(kept.get("received", ())))
        for name, options in kept["subscriptions"].items():
            session.subscriptions[name] = Subscription(*options) if isinstance(options, list) else Subscription(options)
        session._inflight = {message.packet_id: message for message in map(_unpacked, kept["inflight"])}
        for packed in kept["waiting"]:
            left = packed[5] if len(packed) > 5 else None
            session._waiting.append(_Waiting(_unpacked(packed), None if left is None else now_s + left))
        if session.expiry_s != NEVER_S:
            session.ends_s = now_s + session.expiry_s
        return session

    def _next(self, now_s: float) -> Publish | None:
        """The next waiting message that has not expired, with what is left of its time [MQTT-3.3.2-5, 3.3.2-6]."""
        while self._waiting:
            waiting = self._waiting.popleft()
            if waiting.expires_s is None:
                return self._launch(waiting.message)
            left = waiting.expires_s - now_s
            if left > 0:
                return self._launch(expiring(waiting.message, left))
        return None

    def _launch(self, message: Publish) -> Publish:
        number = self._last_id
        while True:
            number = number % 0xFFFF + 1
            if number not in self._inflight:
                break
        self._last_id = number
        launched = replace(message, packet_id=number, duplicate=False)
        self._inflight[number] = launched
        return launched


def expiring(message: Publish, left_s: float) -> Publish:
    """The message with this much left of its time."""
    return replace(message, properties={**message.properties, "message_expiry": max(1, round(left_s))})


def _packed(message: Publish) -> list[Any]:
    properties = {
        name: base64.b64encode(value).decode() if isinstance(value, bytes) else value for name, value in message.properties.items()
    }
    return [message.topic, base64.b64encode(message.payload).decode(), message.qos, message.packet_id, properties]


def _unpacked(packed: list[Any]) -> Publish:
    topic, payload, qos, packet_id = packed[:4]
    properties: dict[str, Any] = dict(packed[4]) if len(packed) > 4 else {}
    if "correlation" in properties:
        properties["correlation"] = base64.b64decode(properties["correlation"])
    if "user" in properties:
        properties["user"] = tuple((name, value) for name, value in properties["user"])
    if "subscription_id" in properties:
        properties["subscription_id"] = tuple(properties["subscription_id"])
    return Publish(topic, base64.b64decode(payload), qos, packet_id=packet_id, properties=properties)
