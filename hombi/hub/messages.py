"""What arrives, as it came: the latest messages and the last one of each topic, bounded, for who wants to see what is said."""

from __future__ import annotations

from collections import OrderedDict, deque
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import count

import msgspec

from hombi.hub.clock import Clock
from hombi.links.base import Heard
from hombi.links.wifi.mqtt.topics import matches

KEPT = 2_000
TOPICS = 2_000
# What of a payload is kept; `size` tells when there was more.
PAYLOAD = 4_096


class Message(msgspec.Struct, frozen=True):
    """One message. `number` counts from 1 since the hub started; `payload` is cut at `PAYLOAD`, `size` is what it had."""

    number: int
    at_ms: int
    heard: Heard
    payload: bytes
    size: int


@dataclass(frozen=True, slots=True)
class Filter:
    """Which messages are wanted: by a topic filter as in MQTT, by node or sender, by a text in topic or payload; "" for any."""

    topic: str = ""
    node: str = ""
    text: str = ""

    def fits(self, message: Message) -> bool:
        """Whether this is one of them."""
        heard = message.heard
        if self.topic and not matches(self.topic, heard.topic):
            return False
        if self.node and self.node not in (heard.node, heard.sender):
            return False
        text = self.text.lower()
        return not text or text in heard.topic.lower() or text.encode() in message.payload.lower()


class Messages:
    """The latest messages over all links."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._numbers = count(1)
        self._latest: deque[Message] = deque(maxlen=KEPT)
        self._by_topic: OrderedDict[tuple[str, str], Message] = OrderedDict()
        self.seen = 0

    def note(self, heard: Heard) -> None:
        """One more came in."""
        message = Message(next(self._numbers), self._clock.now_ms(), heard, heard.payload[:PAYLOAD], len(heard.payload))
        self.seen = message.number
        self._latest.append(message)
        key = heard.via, heard.topic
        self._by_topic[key] = message
        self._by_topic.move_to_end(key)
        if len(self._by_topic) > TOPICS:
            self._by_topic.popitem(last=False)

    def find(self, wanted: Filter, limit: int, *, each_topic: bool = False, after: int = 0) -> list[Message]:
        """The latest that are wanted, newest first; `each_topic` gives the last one of each topic."""
        found = []
        for message in reversed(list(self._by_topic.values())) if each_topic else self._newest_first():
            if message.number <= after:
                break
            if wanted.fits(message):
                found.append(message)
                if len(found) == limit:
                    break
        return found

    def get(self, number: int) -> Message | None:
        """The message of this number, while it is kept."""
        return next((m for m in [*self._newest_first(), *self._by_topic.values()] if m.number == number), None)

    def _newest_first(self) -> Iterator[Message]:
        yield from reversed(list(self._latest))
