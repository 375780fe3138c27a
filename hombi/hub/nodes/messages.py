"""What arrives, as it came: the latest messages and the last one of each topic,
bounded, for who wants to see what is said."""

from __future__ import annotations

import heapq
from collections import OrderedDict
from collections.abc import Hashable, Iterator
from dataclasses import dataclass, field
from itertools import chain, count

import msgspec

from hombi.core.topics import matches
from hombi.hub.kernel import Clock
from hombi.links.base import Heard

# Of each way in: a radio that is full of strangers' voices does not push out what a
# broker said.
KEPT = 1_000
TOPICS = 1_000
# And no more than this, in bytes, of each way in and twice: the latest, and the last
# one of each topic.
BYTES = 1 << 19
# What a message takes beside its topic and payload.
FRAME = 400
# What of a payload is kept; `size` tells when there was more.
PAYLOAD = 4_096


class Message(msgspec.Struct, frozen=True):
    """One message. `number` counts from 1 since the hub started; `payload` is cut at
    `PAYLOAD`, `size` is what it had."""

    number: int
    at_ms: int
    heard: Heard
    size: int

    @property
    def payload(self) -> bytes:
        """What is kept of what it said."""
        return self.heard.payload

    @property
    def weight(self) -> int:
        """About what it takes in memory, in bytes."""
        return FRAME + len(self.heard.topic) + len(self.heard.payload)


@dataclass(frozen=True, slots=True)
class Filter:
    """Which messages are wanted: by the way they came in, a topic filter as in MQTT,
    node or sender, a text in topic or payload; "" for any."""

    via: str = ""
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


class _Shelf:
    """Messages by a key, the latest last, bounded in number and in bytes: the oldest
    make room."""

    def __init__(self, most: int) -> None:
        self._most, self._bytes = most, 0
        self._all: OrderedDict[Hashable, Message] = OrderedDict()

    def put(self, key: Hashable, message: Message) -> None:
        """Keep it, in the place of the one with the same key."""
        if (before := self._all.pop(key, None)) is not None:
            self._bytes -= before.weight
        self._all[key] = message
        self._bytes += message.weight
        while len(self._all) > self._most or self._bytes > BYTES:
            self._bytes -= self._all.popitem(last=False)[1].weight

    def all(self) -> list[Message]:
        """All of them, the latest last."""
        return list(self._all.values())


@dataclass(frozen=True, slots=True)
class _Kept:
    """What is kept of one way in."""

    latest: _Shelf = field(default_factory=lambda: _Shelf(KEPT))
    by_topic: _Shelf = field(default_factory=lambda: _Shelf(TOPICS))


class Messages:
    """The latest messages over all links."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._numbers = count(1)
        self._kept: dict[str, _Kept] = {}
        self.seen = 0

    def note(self, heard: Heard) -> None:
        """One more came in."""
        size = len(heard.payload)
        if size > PAYLOAD:
            heard = msgspec.structs.replace(heard, payload=heard.payload[:PAYLOAD])
        message = Message(next(self._numbers), self._clock.now_ms(), heard, size)
        self.seen = message.number
        kept = self._kept.get(heard.via)
        if kept is None:
            kept = self._kept[heard.via] = _Kept()
        kept.latest.put(message.number, message)
        kept.by_topic.put(heard.topic, message)

    def find(
        self, wanted: Filter, limit: int, *, each_topic: bool = False, after: int = 0
    ) -> list[Message]:
        """The latest that are wanted, newest first; `each_topic` gives the last one of
        each topic."""
        messages = []
        for message in self._newest_first(wanted.via, each_topic=each_topic):
            if message.number <= after:
                break
            if wanted.fits(message):
                messages.append(message)
                if len(messages) == limit:
                    break
        return messages

    def get(self, number: int) -> Message | None:
        """The message of this number, while it is kept."""
        both = chain(self._newest_first(), self._newest_first(each_topic=True))
        return next((message for message in both if message.number == number), None)

    def _newest_first(self, via: str = "", *, each_topic: bool = False) -> Iterator[Message]:
        ways = [kept for name, kept in self._kept.items() if via in ("", name)]
        lists = [(kept.by_topic if each_topic else kept.latest).all() for kept in ways]
        return heapq.merge(
            *(reversed(messages) for messages in lists), key=lambda message: -message.number
        )
