"""The door's rules: who may come in, what they may publish and hear, where a message goes, and last wills.

Everything that happens comes in as a call, with the time as an argument where it matters; everything that goes out goes
through the `Wire` of a connection. So the whole door runs in a test without a socket.
"""

from __future__ import annotations

import secrets
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, Protocol

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.session import MAX_QUEUED, Session
from hombi.links.wifi.mqtt.topics import Subscriptions, matches, valid_filter, valid_name

MAX_RETAINED = 10_000
MAX_SUBSCRIPTIONS = 100
MAX_SESSIONS = 2_000


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


class Host(Protocol):
    """Who owns the door."""

    def sign_in(self, username: str | None, password: bytes | None) -> Rights | None:
        """The rights that go with these credentials, or None."""

    def published(self, rights: Rights, message: p.Publish, acknowledge: Callable[[], None]) -> None:
        """A message came in. `acknowledge` must be called once it is safe."""

    def connected(self, rights: Rights) -> None:
        """An account has connected."""

    def disconnected(self, rights: Rights) -> None:
        """An account's last connection is gone."""

    def turned_away(self, account: str, why: str) -> None:
        """Something was refused, closed or dropped."""

    def session_changed(self, session: Session) -> None:
        """A session that is to be kept has changed."""

    def session_forgotten(self, key: str) -> None:
        """A session that was kept is not any more."""


@dataclass(slots=True)
class _Pending:
    packet_id: int
    done: bool = False


class Connection:
    """One client at the door, from its first byte to its last."""

    def __init__(self, door: Door, wire: Wire, now_s: float) -> None:
        self.door = door
        self.wire = wire
        self.rights: Rights | None = None
        self.session: Session | None = None
        self.open = True
        self.replaced = False
        self.last_heard_s = now_s
        self.keep_alive_s = door.connect_within_s
        self._reader = p.Reader()
        self._will: p.Publish | None = None
        self._pending: deque[_Pending] = deque()

    @property
    def unacknowledged(self) -> int:
        """How many messages of this client are not safe yet."""
        return len(self._pending)

    def receive(self, data: bytes, now_s: float) -> None:
        """Bytes from the client. What breaks the standard closes the connection [MQTT-4.8.0-1]."""
        self.last_heard_s = now_s
        if self.session is None and data[0] != p.CONNECT << 4:
            # What is no MQTT (a browser, a scanner) need not be waited for.
            self.close("the first packet is no connect [MQTT-3.1.0-1]")
            return
        try:
            for packet in self._reader.feed(data):
                if not self.open:
                    return
                self._handle(packet)
        except p.MalformedPacket as error:
            self.close(str(error))

    def overdue(self, now_s: float) -> bool:
        """Whether it was silent for one and a half times its keep-alive [MQTT-3.1.2-24]."""
        return self.keep_alive_s > 0 and now_s - self.last_heard_s > self.keep_alive_s * 1.5

    def send(self, packet: p.Packet) -> None:
        """Send one packet."""
        if self.open:
            self.wire.write(p.encode(packet))

    def close(self, why: str = "") -> None:
        """End the connection; the last will goes out unless the client took its leave [MQTT-3.1.2-8]."""
        if not self.open:
            return
        self.open = False
        if why:
            self.door.host.turned_away(self.rights.account if self.rights else "", why)
        self.wire.close()
        self.door.gone(self, self._will)

    def _handle(self, packet: p.Packet) -> None:
        if self.session is None:
            if not isinstance(packet, p.Connect):
                raise p.MalformedPacket("the first packet is no connect [MQTT-3.1.0-1]")
            self._connect(packet)
            return
        match packet:
            case p.Publish():
                self._publish(packet)
            case p.Puback():
                if (following := self.session.acknowledged(packet.packet_id)) is not None:
                    self.send(following)
                self.door.changed(self.session)
            case p.Pingreq():
                self.send(p.Pingresp())
            case p.Subscribe():
                self._subscribe(packet)
            case p.Unsubscribe():
                for name_filter in packet.filters:
                    self.door.unsubscribe(self.session, name_filter)
                self.send(p.Unsuback(packet.packet_id))
            case p.Disconnect():
                self._will = None  # [MQTT-3.14.4-3]
                self.close()
            case _:
                raise p.MalformedPacket("a client does not send this packet, or not twice [MQTT-3.1.0-2]")

    def _connect(self, packet: p.Connect) -> None:
        if packet.level != 4:
            self._refuse(p.BAD_PROTOCOL, f"protocol level {packet.level}; this door speaks MQTT 3.1.1")
            return
        if not packet.client_id and not packet.clean:
            self._refuse(p.BAD_CLIENT_ID, "no client identifier, but a session to keep [MQTT-3.1.3-8]")
            return
        rights = self.door.host.sign_in(packet.username, packet.password)
        if rights is None:
            self._refuse(p.BAD_CREDENTIALS, f"a wrong user name or password ({packet.username or 'no user name'})")
            return
        will = packet.will
        if will is not None and not (valid_name(will.topic) and rights.may_publish(will.topic)):
            self._refuse(p.NOT_AUTHORISED, f"{rights.account} has a last will on {will.topic!r}, which is not its own")
            return
        self.rights = rights
        self.keep_alive_s = float(packet.keep_alive)
        self._will = will
        # An identifier counts within its account only: nobody takes over another's session by naming it.
        key = f"{rights.account}\0{packet.client_id or secrets.token_hex(8)}"
        self.session, present = self.door.enter(self, key, persistent=not packet.clean)
        self.send(p.Connack(p.ACCEPTED, present))
        self.door.host.connected(rights)
        for message in self.session.resume():
            self.send(message)

    def _refuse(self, code: int, why: str) -> None:
        self.send(p.Connack(code))
        self.close(why)

    def _publish(self, message: p.Publish) -> None:
        assert self.rights is not None
        if message.qos == 2:
            raise p.MalformedPacket("QoS 2 is not taken here; publish with QoS 1")
        if not valid_name(message.topic):
            raise p.MalformedPacket(f"{message.topic!r} is no topic to publish under [MQTT-3.3.2-2]")
        if not self.rights.may_publish(message.topic):
            # 3.3.5: without the right to publish, the choice is to acknowledge and drop, or to close. Closing is seen.
            self.close(f"{self.rights.account} published under {message.topic!r}, which is not its own")
            return
        if message.qos:
            pending = _Pending(message.packet_id)
            self._pending.append(pending)
            acknowledge: Callable[[], None] = partial(self._safe, pending)
        else:
            acknowledge = _nothing
        self.door.host.published(self.rights, message, acknowledge)
        self.door.route(message)

    def _safe(self, pending: _Pending) -> None:
        """Acknowledge in the order in which the messages came [MQTT-4.6.0-2]."""
        pending.done = True
        ready = bytearray()
        while self._pending and self._pending[0].done:
            ready += p.encode(p.Puback(self._pending.popleft().packet_id))
        if ready and self.open:
            self.wire.write(bytes(ready))

    def _subscribe(self, packet: p.Subscribe) -> None:
        assert self.rights is not None
        assert self.session is not None
        codes: list[int] = []
        granted: list[tuple[str, int]] = []
        for name_filter, asked in packet.filters:
            allowed = valid_filter(name_filter) and self.rights.may_subscribe(name_filter)
            if not allowed or len(self.session.subscriptions) >= MAX_SUBSCRIPTIONS:
                codes.append(p.SUBSCRIBE_REFUSED)
                continue
            qos = min(asked, 1)
            self.door.subscribe(self.session, name_filter, qos)
            codes.append(qos)
            granted.append((name_filter, qos))
        self.send(p.Suback(packet.packet_id, tuple(codes)))
        for name_filter, qos in granted:
            for message in self.door.retained_under(name_filter):
                launched = self.session.offer(replace(message, qos=min(qos, message.qos), retain=True), connected=True)
                if launched is not None:
                    self.send(launched)


class Door:
    """All sessions, connections, subscriptions and retained messages."""

    def __init__(self, host: Host, connect_within_s: float = 10.0) -> None:
        self.host = host
        self.connect_within_s = connect_within_s
        self.connections: dict[str, Connection] = {}
        self._strangers: set[Connection] = set()
        self._sessions: dict[str, Session] = {}
        self._subscriptions = Subscriptions()
        self._retained: dict[str, p.Publish] = {}
        self._closing = False

    def restore(self, sessions: Mapping[str, dict[str, Any]]) -> None:
        """Take up the sessions of before a restart (their snapshots by key)."""
        for key, kept in sessions.items():
            session = self._sessions[key] = Session.restored(key, kept)
            for name_filter, qos in session.subscriptions.items():
                self._subscriptions.add(name_filter, key, qos)

    def changed(self, session: Session) -> None:
        """Tell the host, if the session is one to keep."""
        if session.persistent:
            self.host.session_changed(session)

    def accept(self, wire: Wire, now_s: float) -> Connection:
        """A new connection, nobody yet."""
        connection = Connection(self, wire, now_s)
        self._strangers.add(connection)
        return connection

    def enter(self, connection: Connection, key: str, *, persistent: bool) -> tuple[Session, bool]:
        """Give a signed-in connection its session: (session, whether it was there before)."""
        self._strangers.discard(connection)
        earlier = self.connections.pop(key, None)
        if earlier is not None:
            earlier.replaced = True
            earlier.close("the same client connected again [MQTT-3.1.4-2]")
        session = self._sessions.get(key)
        if session is not None and not (persistent and session.persistent):
            self._forget(session)
            session = None
        present = session is not None
        if session is None:
            session = self._sessions[key] = Session(key, persistent)
            self._bound_sessions()
        self.connections[key] = connection
        return session, present

    def gone(self, connection: Connection, will: p.Publish | None) -> None:
        """A connection has ended."""
        self._strangers.discard(connection)
        session = connection.session
        if session is None or connection.rights is None or self._closing:
            return
        if self.connections.get(session.key) is connection:
            del self.connections[session.key]
            if not session.persistent:
                self._forget(session)
        if will is not None:
            self.host.published(connection.rights, will, _nothing)
            self.route(will)
        if not connection.replaced and not self._online(connection.rights.account):
            self.host.disconnected(connection.rights)

    def sweep(self, now_s: float) -> None:
        """Close what has been silent for too long, or never said who it is."""
        for connection in [*self._strangers, *self.connections.values()]:
            if connection.overdue(now_s):
                connection.close("its keep-alive ran out" if connection.session else "it never said who it is")

    def route(self, message: p.Publish) -> None:
        """Send a message to all who subscribed, and keep it when it is to be retained."""
        if message.retain:
            if not message.payload:
                self._retained.pop(message.topic, None)  # [MQTT-3.3.1-10]
            elif message.topic in self._retained or len(self._retained) < MAX_RETAINED:
                self._retained[message.topic] = message
        for key, qos in self._subscriptions.find(message.topic).items():
            copy = p.Publish(message.topic, message.payload, min(qos, message.qos))  # retain unset [MQTT-3.3.1-9]
            connection = self.connections.get(key)
            session = self._sessions[key]
            dropped = session.dropped
            launched = session.offer(copy, connected=connection is not None)
            if session.dropped > dropped:
                self.host.turned_away(key.split("\0")[0], f"more than {MAX_QUEUED} messages wait for it; the oldest was dropped")
            if launched is not None and connection is not None:
                connection.send(launched)
            if copy.qos:
                self.changed(session)

    def reaches(self, topic: str) -> bool:
        """Whether somebody subscribed to this topic, connected or asleep with a session that is kept."""
        return bool(self._subscriptions.find(topic))

    def subscribe(self, session: Session, name_filter: str, qos: int) -> None:
        """Add or replace a subscription."""
        session.subscriptions[name_filter] = qos
        self._subscriptions.add(name_filter, session.key, qos)
        self.changed(session)

    def unsubscribe(self, session: Session, name_filter: str) -> None:
        """Take a subscription away."""
        if session.subscriptions.pop(name_filter, None) is not None:
            self._subscriptions.remove(name_filter, session.key)
            self.changed(session)

    def retained_under(self, name_filter: str) -> list[p.Publish]:
        """The retained messages that fall under a filter."""
        return [message for topic, message in self._retained.items() if matches(name_filter, topic)]

    def expel(self, account: str) -> None:
        """Cut an account off: its connections, sessions, and what it left behind under topics of its own."""
        for connection in list(self.connections.values()):
            if connection.rights is not None and connection.rights.account == account:
                connection._will = None
                connection.close("its rights were taken back")
        for key, session in list(self._sessions.items()):
            if key.split("\0")[0] == account:
                self._forget(session)

    def close(self) -> None:
        """End all connections; that they end says nothing about the clients."""
        self._closing = True
        for connection in [*self._strangers, *self.connections.values()]:
            connection.close()

    def _online(self, account: str) -> bool:
        return any(c.rights is not None and c.rights.account == account for c in self.connections.values())

    def _forget(self, session: Session) -> None:
        for name_filter in list(session.subscriptions):
            self.unsubscribe(session, name_filter)
        self._sessions.pop(session.key, None)
        if session.persistent:
            self.host.session_forgotten(session.key)

    def _bound_sessions(self) -> None:
        if len(self._sessions) > MAX_SESSIONS:
            asleep = next((s for key, s in self._sessions.items() if key not in self.connections), None)
            if asleep is not None:
                self._forget(asleep)


def _nothing() -> None:
    """QoS 0 has nobody to tell."""
