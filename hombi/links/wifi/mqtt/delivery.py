"""What happens to a message on its way: the copy for each subscriber, and who is told
when it is safe."""

from __future__ import annotations

from collections.abc import Callable

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.contract import Acknowledge, Host, Sessions
from hombi.links.wifi.mqtt.properties import Properties
from hombi.links.wifi.mqtt.session import Session, Subscription


def outgoing(message: p.Publish, subscriptions: list[Subscription], *, retain: bool) -> p.Publish:
    """The copy of a message that goes to one subscriber: the lower QoS, and the numbers
    it gave its subscriptions."""
    qos = min(message.qos, max([s.qos for s in subscriptions]))
    numbers = [s.identifier for s in subscriptions if s.identifier]
    properties: Properties = (
        {**message.properties, "subscription_id": tuple(numbers)} if numbers else message.properties
    )
    return p.Publish(message.topic, message.payload, qos, retain, properties=properties)


def when_both(acknowledge: Acknowledge, host: Host) -> Acknowledge:
    """An acknowledgement that waits for what its message left in sessions too: both
    must be on disk."""
    worst, left = 0, 2

    def one_more(reason: int = 0) -> None:
        nonlocal worst, left
        worst, left = max(worst, reason), left - 1
        if not left:
            acknowledge(worst)

    host.when_kept(one_more)
    return one_more


def received(door: Sessions, session: Session, packet_id: int, reason: int = 0) -> None:
    """A QoS 2 message is safe (or refused): whoever sent it, perhaps over two
    connections, is told."""
    waiting: list[Callable[[int], None]] = session.receiving.pop(packet_id, [])

    def answer() -> None:
        for one in waiting:
            one(reason)

    if reason < 0x80:
        session.received.add(packet_id)
        door.numbers_changed(session)
        door.host.when_kept(answer)
    else:
        answer()


def nobody(reason: int = 0) -> None:
    """QoS 0 and last wills have nobody to tell."""
