"""One client at the door: what it sends, in its order and at a bounded rate, and what
it is answered."""

from __future__ import annotations

import math
import secrets
from collections import deque
from dataclasses import dataclass
from functools import partial

from msgspec.structs import replace

from hombi.core.topics import valid_filter, valid_name
from hombi.links.pace import BYTES_KEPT_OF_ONE, Pace
from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.contract import Acknowledge, Rights, Sessions, Wire
from hombi.links.wifi.mqtt.decoding import MAX_PACKET, Reader
from hombi.links.wifi.mqtt.delivery import nobody, outgoing, received, when_both
from hombi.links.wifi.mqtt.encoding import encode
from hombi.links.wifi.mqtt.greeting import code_of_5, why_not
from hombi.links.wifi.mqtt.properties import Properties
from hombi.links.wifi.mqtt.session import MAX_INFLIGHT, NEVER_S, Session, Subscription
from hombi.links.wifi.mqtt.wire import MalformedPacket

# What a filter to subscribe to costs of an account's pace: it is looked up in all that
# is retained.
FILTER_COST = 5.0
# How many packets of one client are handled before it is the others' turn.
SLICE = 100
RECEIVE_MAXIMUM = 2_048
# A client connects anew at once when its connection is closed: with this pause it does
# not spend a full disk's time on connecting.
AGAIN_AFTER_S = 3.0
ALIASES = 32


@dataclass(slots=True)
class _Pending:
    answer: type[p.Puback | p.Pubrec]
    packet_id: int
    done: bool = False
    reason: int = 0


class Connection:
    """One client at the door, from its first byte to its last."""

    def __init__(self, door: Sessions, wire: Wire, now_s: float) -> None:
        self.door, self.wire = door, wire
        self.rights: Rights | None = None
        self.session: Session | None = None
        self.open = True
        self.replaced = False
        self.last_heard_s = self._began_s = now_s
        self.keep_alive_s = door.connect_within_s
        self.level = 4
        self.held_back = False
        # When the hub ends the connection, because it could not take all that came.
        self.ends_s = math.inf
        self.will: p.Publish | None = None
        self._reader = Reader()
        self._arrived: deque[p.Packet] = deque()
        self._pending: deque[_Pending] = deque()
        self._aliases: dict[int, str] = {}
        self._explains = True
        self._largest = 0
        self._pace = Pace()
        self._pace.fill(now_s)

    def flooded(self) -> str:
        """What was held against its pace since this was last asked, in words."""
        sentence = ""
        if self._pace.dropped or self.held_back:
            kept = self._pace.rate * BYTES_KEPT_OF_ONE / 1000
            sentence = f"it sends more than {self._pace.rate:.0f} messages a second"
            sentence += f", or more than {kept:.0f} kB a second to be kept"
            sentence += (
                f"; {self._pace.dropped} of QoS 0 were dropped" if self._pace.dropped else ""
            )
            sentence += "; it is read more slowly" if self.held_back else ""
        self._pace.dropped, self.held_back = 0, False
        return sentence

    @property
    def unacknowledged(self) -> int:
        """How many messages of this client are not safe yet."""
        return len(self._pending)

    def receive(self, data: bytes, now_s: float) -> float | None:
        """Bytes from the client; what comes back is as from `go_on`. What breaks the
        standard closes [MQTT-4.8.0-1]."""
        self.last_heard_s = self.door.now_s = now_s
        began = self._reader.waiting or self._arrived
        if self.session is None and not began and data[0] != p.CONNECT << 4:
            # What is not MQTT (a browser, a scanner) need not be waited for.
            self.close("the first packet is not a connect [MQTT-3.1.0-1]")
            return None
        try:
            self._arrived += self._reader.feed(data)
            return self.go_on(now_s)
        except MalformedPacket as error:
            self.close(str(error), error.reason)
            return None

    def go_on(self, now_s: float) -> float | None:
        """Handle what has arrived, one slice of it; how many seconds to wait before the
        rest, None when nothing is left."""
        self.door.now_s = now_s
        self._pace.fill(now_s)
        try:
            for _ in range(SLICE):
                if not self._arrived or not self.open:
                    return None
                packet = self._arrived[0]
                if not self._pace.take(self._cost(packet)):
                    # Beyond its pace it is read more slowly; what it sends without a
                    # promise (QoS 0) is dropped.
                    if not isinstance(packet, p.Publish) or packet.qos:
                        self.held_back = True
                        return self._pace.wait_s(SLICE)
                    self._pace.dropped += 1
                    self._arrived.popleft()
                    continue
                self._arrived.popleft()
                self._handle(packet)
        except MalformedPacket as error:
            self.close(str(error), error.reason)
        return 0.0 if self._arrived and self.open else None

    def overdue(self, now_s: float) -> bool:
        """Whether it was silent for one and a half times its keep-alive
        [MQTT-3.1.2-24]; while it is held back it is not."""
        if self.session is None and now_s - self._began_s > self.door.connect_within_s:
            return True  # however many bytes of its first packet came
        return (
            self.keep_alive_s > 0
            and not self._arrived
            and now_s - self.last_heard_s > self.keep_alive_s * 1.5
        )

    def send(self, packet: p.Packet) -> None:
        """Send one packet. A message that is larger than the client takes is not sent
        [MQTT 5, MQTT-3.1.2-24]."""
        if not self.open:
            return
        data = encode(packet, self.level)
        if self._largest and len(data) > self._largest:
            if isinstance(packet, p.Publish) and packet.qos and self.session is not None:
                self._sent_on(packet.packet_id)  # as if it had been delivered [MQTT-3.1.2-25]
            return
        self.wire.write(data)

    def close(self, why: str = "", reason: int = 0) -> None:
        """End the connection; the last will goes out unless the client took its leave
        [MQTT-3.1.2-8]."""
        if not self.open:
            return
        if why:
            self.door.host.turned_away(self.rights.account if self.rights else "", why)
        if self.level >= 5 and reason and self.session is not None:
            self.send(p.Disconnect(reason, self._because(why)))
        self.open = False
        self.wire.close()
        self.door.gone(self, self.will)

    def _because(self, why: str) -> Properties:
        return {"reason": why[:200]} if why and self._explains else {}

    def _handle(self, packet: p.Packet) -> None:
        session = self.session
        if session is None:
            if not isinstance(packet, p.Connect):
                raise MalformedPacket("the first packet is not a connect [MQTT-3.1.0-1]")
            self._connect(packet)
            return
        match packet:
            case p.Publish():
                self._publish(packet, session)
            case p.Puback():
                self._sent_on(packet.packet_id)
            case p.Pubrel():
                self._released(packet, session)
            case p.Pingreq():
                self.send(p.Pingresp())
            case p.Subscribe():
                self._subscribe(packet, session)
            case p.Unsubscribe():
                held = [self.door.unsubscribe(session, one) for one in packet.filters]
                codes = tuple(0 if one else p.NO_SUBSCRIPTION_EXISTED for one in held)
                self.send(p.Unsuback(packet.packet_id, codes))
            case p.Disconnect():
                self._leave(packet, session)
            case _:
                raise MalformedPacket(
                    "a client does not send this packet, or not twice [MQTT-3.1.0-2]",
                    p.PROTOCOL_ERROR,
                )

    def _connect(self, packet: p.Connect) -> None:
        properties = packet.properties
        self.level = 5 if packet.level >= 5 else 4
        self._explains = bool(properties.get("request_problem", 1))
        if (refusal := why_not(packet)) is not None:
            self._refuse(*refusal)
            return
        rights = self.door.host.sign_in(packet.username, packet.password)
        if rights is None:
            self._refuse(
                p.BAD_CREDENTIALS,
                f"a wrong user name or password ({packet.username or 'no user name'})",
            )
            return
        will = packet.will
        if will is not None and not (valid_name(will.topic) and rights.may_publish(will.topic)):
            self._refuse(
                p.NOT_AUTHORISED,
                f"{rights.account} has a last will on {will.topic!r}, which is not its own",
            )
            return
        self._largest = properties.get("maximum_packet_size", 0)
        assigned = "" if packet.client_id else secrets.token_hex(8)
        # An identifier counts within its account only: nobody takes over another's
        # session by naming it.
        key = f"{rights.account}\0{packet.client_id or assigned}"
        expiry_s = (
            properties.get("session_expiry", 0)
            if self.level == 5
            else (0 if packet.clean else NEVER_S)
        )
        entered = self.door.enter(self, key, clean=packet.clean, expiry_s=expiry_s)
        if entered is None:
            self._refuse(p.UNAVAILABLE, f"{rights.account} has as many connections as it may")
            return
        self.session, present = entered
        self.session.window = min(MAX_INFLIGHT, properties.get("receive_maximum", MAX_INFLIGHT))
        self.rights, self.will, self.keep_alive_s = rights, will, float(packet.keep_alive)
        self._pace = self.door.pace_of(rights.account)
        self._pace.fill(self.door.now_s)
        offers: dict[str, object] = {
            "receive_maximum": RECEIVE_MAXIMUM,
            "topic_alias_maximum": ALIASES,
            "maximum_packet_size": MAX_PACKET,
            "shared_available": 0,
        }
        if assigned:
            offers["assigned_client_id"] = assigned
        self.send(p.Connack(p.ACCEPTED, present, offers))
        self.door.host.connected(rights)
        for message in self.session.resume(self.door.now_s):
            self.send(message)

    def _refuse(self, code: int, why: str) -> None:
        self.send(
            p.Connack(
                code_of_5(code) if self.level == 5 else code,
                properties=self._because(why),
            )
        )
        self.close(why)

    def _leave(self, packet: p.Disconnect, session: Session) -> None:
        if (expiry_s := packet.properties.get("session_expiry")) is not None:
            if session.expiry_s == 0 and expiry_s:
                raise MalformedPacket(
                    "a session that was to end cannot be kept when leaving (3.14.2.2.2)",
                    p.PROTOCOL_ERROR,
                )
            self.door.leave(session, expiry_s)
        if packet.reason != p.WITH_WILL:
            self.will = None  # [MQTT-3.14.4-3]
        self.close()

    def _publish(self, message: p.Publish, session: Session) -> None:
        assert self.rights is not None
        if message.properties:
            message = self._plain(message)
        if not valid_name(message.topic):
            raise MalformedPacket(
                f"{message.topic!r} is not a topic to publish under [MQTT-3.3.2-2]", p.BAD_NAME
            )
        allowed = self.rights.may_publish(message.topic)
        if not allowed and (self.level == 4 or not message.qos):
            # 3.3.5: without the right to publish, the choice is to acknowledge and
            # drop, or to close. Closing is seen.
            self.close(
                f"{self.rights.account} published under {message.topic!r}, which is not its own",
                p.NOT_AUTHORIZED,
            )
            return
        session.published()
        acknowledge: Acknowledge = nobody
        if message.qos == 1:
            acknowledge = partial(self._safe, self._await(p.Puback, message.packet_id))
        elif message.qos == 2:
            if message.packet_id in session.received:  # sent again: it is here already
                self.send(p.Pubrec(message.packet_id))
                return
            waiting = session.receiving.setdefault(message.packet_id, [])
            waiting.append(partial(self._safe, self._await(p.Pubrec, message.packet_id)))
            if len(waiting) > 1:  # sent again while it is on its way to the disk
                return
            acknowledge = partial(received, self.door, session, message.packet_id)
        if self.level >= 5 and len(self._pending) + len(session.received) > RECEIVE_MAXIMUM:
            self.close(
                f"more than {RECEIVE_MAXIMUM} messages at once [MQTT-3.3.4-7]",
                p.RECEIVE_MAXIMUM_EXCEEDED,
            )
            return
        if not allowed:
            self.door.host.turned_away(
                self.rights.account, f"it published under {message.topic!r}, which is not its own"
            )
            acknowledge(p.NOT_AUTHORIZED)
            return
        if self.door.route(message, session) and message.qos:
            acknowledge = when_both(acknowledge, self.door.host)
        self.door.host.published(self.rights, message, acknowledge)

    def _plain(self, message: p.Publish) -> p.Publish:
        """The message with its alias made a topic, and without the properties that are
        the sender's own affair."""
        properties = dict(message.properties)
        if "subscription_id" in properties:
            raise MalformedPacket(
                "a client publishes no subscription identifier [MQTT-3.3.4-6]", p.PROTOCOL_ERROR
            )
        topic, alias = message.topic, properties.pop("topic_alias", 0)
        if alias > ALIASES:
            raise MalformedPacket(
                f"topic alias {alias}, but up to {ALIASES} are taken [MQTT-3.3.2-9]", p.BAD_ALIAS
            )
        if alias and topic:
            self._aliases[alias] = topic
        elif alias:
            if alias not in self._aliases:
                raise MalformedPacket(f"topic alias {alias} was never set", p.PROTOCOL_ERROR)
            topic = self._aliases[alias]
        if any(sign in properties.get("response_topic", "") for sign in "+#"):
            raise MalformedPacket(
                "a response topic has wildcards [MQTT-3.3.2-14]", p.PROTOCOL_ERROR
            )
        return replace(message, topic=topic, properties=properties)

    def _await(self, answer: type[p.Puback | p.Pubrec], packet_id: int) -> _Pending:
        pending = _Pending(answer, packet_id)
        self._pending.append(pending)
        return pending

    def _safe(self, pending: _Pending, reason: int = 0) -> None:
        """Answer in the order in which the messages came [MQTT-4.6.0-2, 4.6.0-3]. A
        message that is to come again later is answered in MQTT 5; 3.1.1 has no word for
        it, and its client sends again what is not acknowledged when it connects anew
        [MQTT-4.4.0-1]: its connection is closed."""
        if reason == p.QUOTA and self.level < 5:
            self.ends_s = min(self.ends_s, self.door.now_s + AGAIN_AFTER_S)
            return
        pending.done, pending.reason = True, reason
        ready = bytearray()
        while self._pending and self._pending[0].done:
            first = self._pending.popleft()
            ready += encode(first.answer(first.packet_id, first.reason), self.level)
        if ready and self.open:
            self.wire.write(bytes(ready))

    def _released(self, packet: p.Pubrel, session: Session) -> None:
        known = packet.packet_id in session.received
        if known:
            session.received.discard(packet.packet_id)
            self.door.numbers_changed(session)
        self.send(p.Pubcomp(packet.packet_id, 0 if known else p.NO_SUCH_PACKET_ID))

    def _sent_on(self, packet_id: int) -> None:
        assert self.session is not None
        for following in self.session.acknowledged(packet_id, self.door.now_s):
            self.send(following)

    def _subscribe(self, packet: p.Subscribe, session: Session) -> None:
        codes: list[int] = []
        send_retained: list[tuple[str, Subscription]] = []
        for name_filter, options in packet.filters:
            refusal = self._refusal(name_filter, session)
            if refusal:
                codes.append(refusal if self.level >= 5 else p.SUBSCRIBE_REFUSED)
                continue
            subscription = Subscription(
                min(options & 3, 1),
                bool(options & 4),
                bool(options & 8),
                packet.properties.get("subscription_id", 0),
            )
            handling, known = options >> 4 & 3, name_filter in session.subscriptions
            self.door.subscribe(session, name_filter, subscription)
            codes.append(subscription.qos)
            if handling == 0 or (handling == 1 and not known):
                send_retained.append((name_filter, subscription))
        self.send(p.Suback(packet.packet_id, tuple(codes)))
        for name_filter, subscription in send_retained:
            for message in self.door.retained_under(name_filter):
                copy = outgoing(message, [subscription], retain=True)
                launched = session.offer(copy, connected=True, now_s=self.door.now_s)
                if launched is not None:
                    self.send(launched)
        for name_filter, _ in packet.filters:
            if self.rights is not None and name_filter in session.subscriptions:
                self.door.host.subscribed(self.rights, name_filter)

    def _refusal(self, name_filter: str, session: Session) -> int:
        assert self.rights is not None
        if self.level >= 5 and name_filter.startswith("$share/"):
            return p.NO_SHARED
        if not valid_filter(name_filter):
            return p.BAD_FILTER
        if not self.rights.may_subscribe(name_filter):
            return p.NOT_AUTHORIZED
        if name_filter not in session.subscriptions and not self.door.may_subscribe_more(session):
            return p.QUOTA
        return 0

    def _cost(self, packet: p.Packet) -> float:
        """What a packet takes of its account's pace. The answers to what the hub sends
        are free."""
        if isinstance(packet, p.Publish) and self.rights is not None:
            return self.rights.cost(len(packet.payload))
        if isinstance(packet, (p.Subscribe, p.Unsubscribe)):
            return 1.0 + FILTER_COST * len(packet.filters)
        return 0.0 if isinstance(packet, (p.Puback, p.Disconnect, p.Connect)) else 1.0
