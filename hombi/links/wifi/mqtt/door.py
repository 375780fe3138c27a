"""The door's rules: who may come in, where a message goes, what is kept for whom, and last wills.

Everything that happens comes in as a call, with the time as an argument where it matters; everything that goes out goes
through the `Wire` of a connection. So the whole door runs in a test without a socket.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.connection import Connection, outgoing
from hombi.links.wifi.mqtt.contract import Host, Rights, Wire
from hombi.links.wifi.mqtt.session import MAX_QUEUED, NEVER_S, Session, Subscription, expiring
from hombi.links.wifi.mqtt.topics import Subscriptions, matches

MAX_RETAINED = 10_000
MAX_SESSIONS = 2_000


@dataclass(frozen=True, slots=True)
class _Retained:
    message: p.Publish
    expires_s: float | None


@dataclass(frozen=True, slots=True)
class _LateWill:
    due_s: float
    rights: Rights
    will: p.Publish


class Door:
    """All sessions, connections, subscriptions and retained messages."""

    def __init__(self, host: Host, connect_within_s: float = 10.0) -> None:
        self.host = host
        self.connect_within_s = connect_within_s
        self.now_s = 0.0
        self.connections: dict[str, Connection] = {}
        self._strangers: set[Connection] = set()
        self._sessions: dict[str, Session] = {}
        self._subscriptions: Subscriptions[Subscription] = Subscriptions()
        self._retained: dict[str, _Retained] = {}
        self._late_wills: dict[str, _LateWill] = {}
        self._closing = False

    def restore(self, sessions: Mapping[str, dict[str, Any]], now_s: float = 0.0) -> None:
        """Take up the sessions of before a restart (their snapshots by key)."""
        self.now_s = now_s
        for key, kept in sessions.items():
            session = self._sessions[key] = Session.restored(key, kept, now_s)
            for name_filter, subscription in session.subscriptions.items():
                self._subscriptions.add(name_filter, key, subscription)

    def changed(self, session: Session) -> None:
        """Tell the host, if the session is one to keep."""
        if session.persistent:
            self.host.session_changed(session.key, session)

    def accept(self, wire: Wire, now_s: float) -> Connection:
        """A new connection, nobody yet."""
        self.now_s = now_s
        connection = Connection(self, wire, now_s)
        self._strangers.add(connection)
        return connection

    def enter(self, connection: Connection, key: str, *, clean: bool, expiry_s: int) -> tuple[Session, bool]:
        """Give a signed-in connection its session: (session, whether it was there before)."""
        self._strangers.discard(connection)
        earlier = self.connections.pop(key, None)
        if earlier is not None:
            earlier.replaced = True
            earlier.close("the same client connected again [MQTT-3.1.4-2]", p.TAKEN_OVER)
        session = self._sessions.get(key)
        if session is not None and (clean or not session.persistent):
            self._forget(session)
            session = None
        self._late_wills.pop(key, None)  # it is back in time [MQTT-3.1.3-9]
        present = session is not None
        if session is None:
            session = self._sessions[key] = Session(key, expiry_s)
            self._bound_sessions()
        session.expiry_s, session.ends_s = expiry_s, None
        self.connections[key] = connection
        return session, present

    def gone(self, connection: Connection, will: p.Publish | None) -> None:
        """A connection has ended."""
        self._strangers.discard(connection)
        session, rights = connection.session, connection.rights
        if session is None or rights is None or self._closing:
            return
        delay_s = float(will.properties.get("will_delay", 0)) if will is not None else 0.0
        if will is not None and delay_s and session.expiry_s:
            self._late_wills[session.key] = _LateWill(self.now_s + min(delay_s, session.expiry_s), rights, will)
            will = None
        if self.connections.get(session.key) is connection:
            del self.connections[session.key]
            if not session.persistent:
                self._forget(session)
            elif session.expiry_s != NEVER_S:
                session.ends_s = self.now_s + session.expiry_s
        if will is not None:
            self._publish_will(rights, will)
        if not connection.replaced and not self._online(rights.account):
            self.host.disconnected(rights)

    def sweep(self, now_s: float) -> None:
        """Close what has been silent for too long, or never said who it is; end what has come to its end."""
        self.now_s = now_s
        for connection in [*self._strangers, *self.connections.values()]:
            if connection.overdue(now_s):
                why = "its keep-alive ran out" if connection.session else "it never said who it is"
                connection.close(why, p.KEEP_ALIVE_TIMEOUT)
            if connection.rights is not None and (said := connection.flooded()):
                self.host.turned_away(connection.rights.account, said)
        for key, late in list(self._late_wills.items()):
            if now_s >= late.due_s:
                del self._late_wills[key]
                self._publish_will(late.rights, late.will)
        for session in [s for s in self._sessions.values() if s.ends_s is not None and now_s >= s.ends_s]:
            self._forget(session)

    def _publish_will(self, rights: Rights, will: p.Publish) -> None:
        properties = {name: value for name, value in will.properties.items() if name != "will_delay"}
        message = p.Publish(will.topic, will.payload, will.qos, will.retain, properties=properties)
        self.host.published(rights, message, _nothing)
        self.route(message)

    def route(self, message: p.Publish, origin: Session | None = None) -> None:
        """Send a message to all who subscribed, and keep it when it is to be retained."""
        if message.retain:
            if not message.payload:
                self._retained.pop(message.topic, None)  # [MQTT-3.3.1-10]
            elif message.topic in self._retained or len(self._retained) < MAX_RETAINED:
                expiry = message.properties.get("message_expiry")
                self._retained[message.topic] = _Retained(message, None if expiry is None else self.now_s + expiry)
        for key, subscriptions in self._subscriptions.find(message.topic).items():
            if origin is not None and origin.key == key:
                subscriptions = [s for s in subscriptions if not s.no_local]  # noqa: PLW2901 [MQTT-3.8.3-3]
                if not subscriptions:
                    continue
            # 3.1.1 unsets retain [MQTT-3.3.1-9]; in MQTT 5 the subscription may ask to see it (3.8.3.1).
            retain = message.retain and any(s.retain_as_published for s in subscriptions)
            self._deliver(key, outgoing(message, subscriptions, retain=retain))

    def _deliver(self, key: str, copy: p.Publish) -> None:
        connection, session = self.connections.get(key), self._sessions[key]
        dropped = session.dropped
        launched = session.offer(copy, connected=connection is not None, now_s=self.now_s)
        if session.dropped > dropped:
            account = key.split("\0", maxsplit=1)[0]
            self.host.turned_away(account, f"more than {MAX_QUEUED} messages wait for it; the oldest was dropped")
        if launched is not None and connection is not None:
            connection.send(launched)
        if copy.qos:
            self.changed(session)

    def reaches(self, topic: str) -> bool:
        """Whether somebody subscribed to this topic, connected or asleep with a session that is kept."""
        return bool(self._subscriptions.find(topic))

    def subscribe(self, session: Session, name_filter: str, subscription: Subscription) -> None:
        """Add or replace a subscription."""
        session.subscriptions[name_filter] = subscription
        self._subscriptions.add(name_filter, session.key, subscription)
        self.changed(session)

    def unsubscribe(self, session: Session, name_filter: str) -> bool:
        """Take a subscription away; whether there was one."""
        if session.subscriptions.pop(name_filter, None) is None:
            return False
        self._subscriptions.remove(name_filter, session.key)
        self.changed(session)
        return True

    def retained_under(self, name_filter: str) -> list[p.Publish]:
        """The retained messages that fall under a filter, with what is left of their time."""
        found = []
        for topic, kept in list(self._retained.items()):
            if not matches(name_filter, topic):
                continue
            if kept.expires_s is None:
                found.append(kept.message)
            elif kept.expires_s > self.now_s:
                found.append(expiring(kept.message, kept.expires_s - self.now_s))
            else:
                del self._retained[topic]
        return found

    def expel(self, account: str) -> None:
        """Cut an account off: its connections, sessions, and what it left behind under topics of its own."""
        for connection in list(self.connections.values()):
            if connection.rights is not None and connection.rights.account == account:
                connection.will = None
                connection.close("its rights were taken back", p.ADMINISTRATIVE)
        for key, session in list(self._sessions.items()):
            if key.split("\0")[0] == account:
                self._late_wills.pop(key, None)
                self._forget(session)

    def close(self) -> None:
        """End all connections; that they end says nothing about the clients."""
        self._closing = True
        for connection in [*self._strangers, *self.connections.values()]:
            if connection.level >= 5 and connection.session is not None:
                connection.send(p.Disconnect(p.SHUTTING_DOWN))
            connection.close()

    def _online(self, account: str) -> bool:
        return any(c.rights is not None and c.rights.account == account for c in self.connections.values())

    def _forget(self, session: Session) -> None:
        for name_filter in list(session.subscriptions):
            self.unsubscribe(session, name_filter)
        self._sessions.pop(session.key, None)
        if (late := self._late_wills.pop(session.key, None)) is not None:
            self._publish_will(late.rights, late.will)  # the session's end is the will's time at the latest (3.1.3.2.2)
        if session.persistent:
            self.host.session_forgotten(session.key)

    def _bound_sessions(self) -> None:
        if len(self._sessions) > MAX_SESSIONS:
            asleep = next((s for key, s in self._sessions.items() if key not in self.connections), None)
            if asleep is not None:
                self._forget(asleep)


def _nothing(reason: int = 0) -> None:
    """A last will has nobody to tell."""
