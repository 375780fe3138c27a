"""What the door keeps for one client: its subscriptions, and the messages on their way
to it.

Each message is kept by itself, under a number, so that one more message costs one row
on the disk whatever waits before it. `Keeping` is who stores them; `Ledger` counts the
bytes that all sessions together may fill.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

import msgspec
from msgspec.structs import replace

from hombi.links.wifi.mqtt.bodies import unpacked
from hombi.links.wifi.mqtt.packets import Publish

MAX_INFLIGHT = 32
MAX_QUEUED = 256
MAX_QUEUED_BYTES = 1 << 20
# What is sent before the client acknowledged something of it: one that does not read
# costs no more than this.
MAX_INFLIGHT_BYTES = 1 << 19
# What a message takes beside its topic and its payload.
OVERHEAD_BYTES = 200
NEVER_S = 0xFFFFFFFF  # a session expiry that means "keep it" (MQTT 5, 3.1.2.11.2)


class Subscription(msgspec.Struct, frozen=True):
    """One filter's options (MQTT 5, 3.8.3.1); of 3.1.1 only the QoS."""

    qos: int
    no_local: bool = False
    retain_as_published: bool = False
    identifier: int = 0


class Queued(msgspec.Struct, frozen=True):
    """One message for a client. It has a packet identifier once it was sent. Times are
    seconds of the door's clock."""

    number: int
    message: Publish
    expires_s: float | None = None

    @property
    def size(self) -> int:
        """How many bytes it is counted as."""
        return size_of(self.message)

    def left(self, now_s: float) -> float | None:
        """What is left of its time in seconds; None for no end."""
        return None if self.expires_s is None else max(0.0, self.expires_s - now_s)


def size_of(message: Publish) -> int:
    """How many bytes a message is counted as."""
    return len(message.topic) + len(message.payload) + OVERHEAD_BYTES


class Keeping(Protocol):
    """Who keeps the messages of sessions over a restart."""

    def may_wait(self, session: Session) -> bool:
        """Whether one more message may be kept for a client that does not take it
        now."""

    def message_kept(self, session: Session, queued: Queued) -> None:
        """Keep this message, or that it has a packet identifier now."""

    def message_done(self, session: Session, number: int) -> None:
        """This message need not be kept any longer."""


@dataclass
class Ledger:
    """How many bytes of messages are kept: for each account, and in all."""

    each: int = 4 << 20
    all: int = 64 << 20
    total: int = 0
    number: int = 0
    _of: dict[str, int] = field(default_factory=dict)

    def start_after(self, number: int) -> None:
        """Messages are numbered on from here."""
        self.number = number

    def next_number(self) -> int:
        """The number of one more message; they rise, so that they give the order."""
        self.number += 1
        return self.number

    def has_room(self, account: str, size: int) -> bool:
        """Whether this account may have this much more kept."""
        return self._of.get(account, 0) + size <= self.each and self.total + size <= self.all

    def book(self, account: str, size: int) -> None:
        """This much more is kept (or less, when negative)."""
        self.total += size
        left = self._of.get(account, 0) + size
        if left:
            self._of[account] = left
        else:
            self._of.pop(account, None)


@dataclass
class Session:
    """The session state of 3.1.1, section 4.1, bounded: at a bound the oldest waiting
    message is dropped and counted.

    `expiry_s` is how long it is kept after its connection ended: 0 for one that ends
    with it, `NEVER_S` for no end. Times are seconds of the door's clock.
    """

    key: str
    expiry_s: int
    ledger: Ledger = field(default_factory=Ledger)
    keeping: Keeping | None = None
    subscriptions: dict[str, Subscription] = field(default_factory=dict)
    dropped: int = 0
    window: int = MAX_INFLIGHT
    ends_s: float | None = None
    # QoS 2 messages that came in and were not released yet: the same identifier again
    # is the same message (4.3.3).
    received: set[int] = field(default_factory=set)
    # Those on their way to the disk, with who is to be answered.
    receiving: dict[int, list[Callable[[int], None]]] = field(default_factory=dict)
    _inflight: dict[int, Queued] = field(default_factory=dict)
    _waiting: deque[Queued] = field(default_factory=deque)
    # The identifiers of those that were sent since the client last published: it can
    # have answered all others.
    _unanswered: set[int] = field(default_factory=set)
    _bytes: int = 0
    _inflight_bytes: int = 0
    _last_id: int = 0

    def __post_init__(self) -> None:
        # Whose session it is.
        self.account = self.key.partition("\0")[0]

    @property
    def persistent(self) -> bool:
        """Whether it outlives its connection."""
        return self.expiry_s > 0

    @property
    def queued(self) -> list[Queued]:
        """All messages that the client has not acknowledged, in their order."""
        return [*self._inflight.values(), *self._waiting]

    def offer(self, message: Publish, connected: bool, now_s: float) -> Publish | None:
        """Take a message for the client; what comes back is to be sent now.

        QoS 0 goes out at once or, to a client that is away, not at all. QoS 1 stays
        until it is acknowledged.
        """
        if message.qos == 0:
            return message if connected else None
        size = size_of(message)
        while self._waiting and not self._has_room(size):
            self._drop(self._waiting.popleft())
        if not self._has_room(size):
            self.dropped += 1
            return None
        expiry = message.properties.get("message_expiry")
        expires_s = None if expiry is None else now_s + expiry
        number = self.ledger.next_number()
        if connected and not self._waiting and self._may_launch(size):
            self._book(size)
            return self._launch(number, message, expires_s, size)
        if self.persistent and self.keeping is not None and not self.keeping.may_wait(self):
            self.dropped += 1
            return None
        self._book(size)
        queued = Queued(number, message, expires_s)
        self._waiting.append(queued)
        self._keep(queued)
        return None

    def asked_already(self, message: Publish) -> bool:
        """Whether this same command is still to be sent, or was sent and cannot have
        been answered yet, and the client was asked nothing else since. One that waits
        behind others goes to the end."""
        last = None
        for queued in self.queued:
            if queued.message.topic == message.topic:
                last = queued
        if last is not None and last.message.payload == message.payload:
            packet_id = last.message.packet_id
            return not packet_id or packet_id in self._unanswered
        for queued in list(self._waiting):
            other = queued.message
            if (other.topic, other.payload) == (message.topic, message.payload):
                self._waiting.remove(queued)
                self._forget(queued)
        return False

    def published(self) -> None:
        """The client has published something. It may be the answer to any command that
        it has not acknowledged yet: paho acknowledges a message only after its
        `on_message` has returned."""
        self._unanswered.clear()

    def acknowledged(self, packet_id: int, now_s: float) -> Iterator[Publish]:
        """The client has a message; what comes back is to be sent next."""
        done = self._inflight.pop(packet_id, None)
        self._unanswered.discard(packet_id)
        if done is not None:
            self._inflight_bytes -= done.size
            self._forget(done)
            yield from self._ready(now_s)

    def resume(self, now_s: float) -> Iterator[Publish]:
        """What to send when the client is back: first what it never acknowledged, in
        order [MQTT-4.4.0-1, 4.6.0-1]."""
        for packet_id, queued in list(self._inflight.items()):
            self._unanswered.add(packet_id)
            yield replace(queued.message, duplicate=True)
        yield from self._ready(now_s)

    def snapshot(self) -> dict[str, Any]:
        """What must outlive the hub beside the messages, as plain data."""
        return {
            "expiry": self.expiry_s,
            "subscriptions": {
                name: [s.qos, s.no_local, s.retain_as_published, s.identifier]
                for name, s in self.subscriptions.items()
            },
        }

    def restore(self, kept: Mapping[str, Any], messages: list[Queued], now_s: float) -> None:
        """Take up what a snapshot says, and these messages; the time until the
        session's end begins again."""
        self.expiry_s = kept.get("expiry", NEVER_S)
        self.received = set(kept.get("received", ()))
        for name, options in kept["subscriptions"].items():
            self.subscriptions[name] = (
                Subscription(*options) if isinstance(options, list) else Subscription(options)
            )
        for queued in messages or self._older(kept, now_s):
            self._book(queued.size)
            if queued.message.packet_id:
                self._inflight[queued.message.packet_id] = queued
                # It is sent again when the client is back, and can be answered then.
                self._unanswered.add(queued.message.packet_id)
                self._inflight_bytes += queued.size
            else:
                self._waiting.append(queued)
        self._last_id = max(self._inflight, default=0)
        if self.expiry_s != NEVER_S:
            self.ends_s = now_s + self.expiry_s

    def _older(self, kept: Mapping[str, Any], now_s: float) -> Iterator[Queued]:
        """The messages that versions up to 0.3 kept within the snapshot."""
        for topic, payload, qos, packet_id, *more in (
            *kept.get("inflight", ()),
            *kept.get("waiting", ()),
        ):
            properties, left = (*more, None, None)[:2]
            message = unpacked([topic, payload, qos, packet_id, properties or {}, False])
            yield Queued(self.ledger.next_number(), message, None if left is None else now_s + left)

    def keep_all(self) -> None:
        """It is to outlive its connection from now on: what waits is kept too."""
        for queued in self.queued:
            self._keep(queued)

    def end(self) -> None:
        """Let go of every message."""
        for queued in self.queued:
            self._forget(queued)
        self._inflight.clear()
        self._unanswered.clear()
        self._waiting.clear()
        self._inflight_bytes = 0

    def _has_room(self, size: int) -> bool:
        return (
            len(self._waiting) < MAX_QUEUED
            and self._bytes + size <= MAX_QUEUED_BYTES
            and self.ledger.has_room(self.account, size)
        )

    def _may_launch(self, size: int) -> bool:
        fits = not self._inflight or self._inflight_bytes + size <= MAX_INFLIGHT_BYTES
        return fits and len(self._inflight) < self.window

    def _ready(self, now_s: float) -> Iterator[Publish]:
        """Waiting messages that may go now and have not expired, with what is left of
        their time [MQTT-3.3.2-5, 3.3.2-6]."""
        while self._waiting and self._may_launch(self._waiting[0].size):
            queued = self._waiting.popleft()
            number, message, expires_s = queued.number, queued.message, queued.expires_s
            if expires_s is None:
                yield self._launch(number, message, None, queued.size)
            elif (left := expires_s - now_s) > 0:
                yield self._launch(number, expiring(message, left), expires_s, queued.size)
            else:
                self._forget(queued)

    def _launch(self, number: int, message: Publish, expires_s: float | None, size: int) -> Publish:
        packet_id = self._last_id % 0xFFFF + 1
        while packet_id in self._inflight:
            packet_id = packet_id % 0xFFFF + 1
        self._last_id = packet_id
        message = replace(message, packet_id=packet_id, duplicate=False)
        launched = self._inflight[packet_id] = Queued(number, message, expires_s)
        self._unanswered.add(packet_id)
        self._inflight_bytes += size
        self._keep(launched)
        return message

    def _drop(self, queued: Queued) -> None:
        self.dropped += 1
        self._forget(queued)

    def _forget(self, queued: Queued) -> None:
        self._book(-queued.size)
        if self.keeping is not None and self.persistent:
            self.keeping.message_done(self, queued.number)

    def _keep(self, queued: Queued) -> None:
        if self.keeping is not None and self.persistent:
            self.keeping.message_kept(self, queued)

    def _book(self, size: int) -> None:
        self._bytes += size
        self.ledger.book(self.account, size)


def expiring(message: Publish, left_s: float) -> Publish:
    """The message with this much left of its time."""
    return replace(
        message, properties={**message.properties, "message_expiry": max(1, round(left_s))}
    )
