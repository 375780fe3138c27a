"""What the door keeps for one client: its subscriptions, and the messages on their way to it."""

from __future__ import annotations

import base64
from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any

from hombi.links.wifi.mqtt.packets import Publish

MAX_INFLIGHT = 32
MAX_QUEUED = 256


@dataclass
class Session:
    """The session state of MQTT 3.1.1, section 4.1, bounded: at the bound the oldest waiting message is dropped and counted."""

    key: str
    persistent: bool
    subscriptions: dict[str, int] = field(default_factory=dict)
    dropped: int = 0
    _inflight: dict[int, Publish] = field(default_factory=dict)
    _waiting: deque[Publish] = field(default_factory=deque)
    _last_id: int = 0

    def offer(self, message: Publish, connected: bool) -> Publish | None:
        """Take a message for the client; what comes back is to be sent now.

        QoS 0 goes out at once or, to a client that is away, not at all. QoS 1 stays until it is acknowledged.
        """
        if message.qos == 0:
            return message if connected else None
        if connected and len(self._inflight) < MAX_INFLIGHT:
            return self._launch(message)
        if len(self._waiting) >= MAX_QUEUED:
            self._waiting.popleft()
            self.dropped += 1
        self._waiting.append(message)
        return None

    def acknowledged(self, packet_id: int) -> Publish | None:
        """The client has a message; what comes back is the next one to send."""
        if self._inflight.pop(packet_id, None) is None or not self._waiting:
            return None
        return self._launch(self._waiting.popleft())

    def resume(self) -> Iterator[Publish]:
        """What to send when the client is back: first what it never acknowledged, in order [MQTT-4.4.0-1, 4.6.0-1]."""
        for packet_id, message in list(self._inflight.items()):
            self._inflight[packet_id] = again = replace(message, duplicate=True)
            yield again
        while self._waiting and len(self._inflight) < MAX_INFLIGHT:
            yield self._launch(self._waiting.popleft())

    def snapshot(self) -> dict[str, Any]:
        """What must outlive the hub, as plain data."""
        return {
            "subscriptions": dict(self.subscriptions),
            "inflight": [_packed(message) for message in self._inflight.values()],
            "waiting": [_packed(message) for message in self._waiting],
            "last_id": self._last_id,
        }

    @classmethod
    def restored(cls, key: str, kept: dict[str, Any]) -> Session:
        """The session that a snapshot was taken of."""
        session = cls(key, persistent=True, subscriptions=dict(kept["subscriptions"]), _last_id=kept["last_id"])
        session._inflight = {message.packet_id: message for message in map(_unpacked, kept["inflight"])}
        session._waiting.extend(map(_unpacked, kept["waiting"]))
        return session

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


def _packed(message: Publish) -> list[Any]:
    return [message.topic, base64.b64encode(message.payload).decode(), message.qos, message.packet_id]


def _unpacked(packed: list[Any]) -> Publish:
    topic, payload, qos, packet_id = packed
    return Publish(topic, base64.b64decode(payload), qos, packet_id=packet_id)
