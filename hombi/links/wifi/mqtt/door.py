"""The door's rules: who may come in, where a message goes, what is kept for whom, and
last wills.

Everything that happens comes in as a call, with the time as an argument where it
matters; everything that goes out goes through the `Wire` of a connection. So the whole
door runs in a test without a socket.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from hombi.links.pace import Pace, cost_of_keeping
from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.bodies import BEGINNING as PAYLOADS
from hombi.links.wifi.mqtt.bodies import Bodies
from hombi.links.wifi.mqtt.connection import Connection
from hombi.links.wifi.mqtt.contract import Host, Rights, Wire
from hombi.links.wifi.mqtt.delivery import nobody, outgoing
from hombi.links.wifi.mqtt.retained import BEGINNING, RetainedMessages
from hombi.links.wifi.mqtt.session import (
    MAX_QUEUED,
    MAX_QUEUED_BYTES,
    NEVER_S,
    Ledger,
    Queued,
    Session,
    Subscription,
)
from hombi.links.wifi.mqtt.topics import Subscriptions

MAX_SESSIONS = 2_000
# What one account may have: one node takes nothing from the others.
MAX_ACCOUNT_SESSIONS = 16
MAX_ACCOUNT_SUBSCRIPTIONS = 200
MAX_SUBSCRIPTIONS = 100
# About what a row takes on the disk beside what is in it, and one number in a list.
ROW_BYTES, NUMBER_BYTES = 64, 6
# A whole queue may be written at once.
WAITING_BURST = cost_of_keeping(MAX_QUEUED_BYTES)
# What the keys of things that are kept begin with; a session's is its own key, which
# has no such beginning.
_MESSAGE = "message/"
_RECEIVED = "received/"


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
        self.ledger = Ledger()
        self._strangers: set[Connection] = set()
        self._sessions: dict[str, Session] = {}
        self._by_account: dict[str, dict[str, Session]] = {}
        self._paces: dict[str, Pace] = {}
        # What may be written for clients that take nothing: nobody who sends something
        # is listened to more slowly because of them.
        self._waiting: dict[str, Pace] = {}
        self._subscriptions: Subscriptions[Subscription] = Subscriptions()
        self._bodies = Bodies(host.keep)
        self._retained = RetainedMessages(host, self.ledger, self._bodies)
        self._written = 0
        self._late_wills: dict[str, _LateWill] = {}
        self._closing = False

    # What outlives the hub

    def restore(self, kept: Mapping[str, dict[str, Any]], now_s: float = 0.0) -> None:
        """Take up what was kept before a restart: sessions, the messages in them, and
        retained messages."""
        self.now_s = now_s
        waiting: dict[str, list[Queued]] = {}
        self._bodies.restore(kept)
        for key in sorted(key for key in kept if key.startswith(_MESSAGE)):
            _, number, owner = key.split("/", 2)
            left, message = kept[key]["left"], self._bodies.message(key, kept[key])
            if message is None:
                self._bodies.drop(key)
                continue
            ends_s = None if left is None else now_s + left
            waiting.setdefault(owner, []).append(Queued(int(number), message, ends_s))
        last = max((queued.number for found in waiting.values() for queued in found), default=0)
        self.ledger.start_after(last)
        for key, state in kept.items():
            if key.startswith(BEGINNING):
                left, message = state["left"], self._bodies.message(key, state)
                if message is None:
                    self._bodies.drop(key)
                    continue
                expires_s = None if left is None else now_s + left
                self._retained.put(state["account"], message, expires_s)
            elif not key.startswith((_MESSAGE, _RECEIVED, PAYLOADS)):
                session = self._add(key, NEVER_S)
                session.restore(state, waiting.pop(key, []), now_s)
                earlier = bool(session.received)  # as versions up to 0.3 kept them
                session.received |= set(kept.get(_RECEIVED + key, {}).get("numbers", ()))
                if earlier:
                    self.numbers_changed(session)
                if (
                    "waiting" in state
                ):  # as versions up to 0.3 kept it: from now on each message by itself
                    session.keep_all()
                    self.changed(session)
                for name_filter, subscription in session.subscriptions.items():
                    self._subscriptions.add(name_filter, key, subscription)
        for owner, orphans in waiting.items():
            for queued in orphans:
                self._bodies.drop(_message_key(owner, queued.number))
        for key in kept:
            if key.startswith(_RECEIVED) and key.removeprefix(_RECEIVED) not in self._sessions:
                self.host.keep(key, None)
        self._bodies.restored()

    def changed(self, session: Session) -> None:
        """Keep a session as it is now, if it is one to keep."""
        if session.persistent:
            self.host.keep(session.key, session.snapshot())
            self._charge(session.account, sum(map(len, session.subscriptions)))

    def numbers_changed(self, session: Session) -> None:
        """Keep which QoS 2 messages a session has received, if it is one to keep."""
        if session.persistent:
            numbers = sorted(session.received)
            self.host.keep(_RECEIVED + session.key, {"numbers": numbers} if numbers else None)
            self._charge(session.account, NUMBER_BYTES * len(session.received))

    def may_wait(self, session: Session) -> bool:
        # What is written of it is known when it is kept.
        return self._waiting_for(session.account).take()

    def message_kept(self, session: Session, queued: Queued) -> None:
        key = _message_key(session.key, queued.number)
        more = {"left": queued.left(self.now_s)}
        written = ROW_BYTES + self._bodies.keep(key, queued.message, more)
        # It is charged to whom it is for; beyond that, to whoever sends more than is
        # read by a client that does read.
        pace, cost = self._waiting_for(session.account), cost_of_keeping(written)
        if not queued.message.packet_id:
            pace.charge(cost)
        elif not pace.take(cost):
            self._written += written

    def _waiting_for(self, account: str) -> Pace:
        pace = self._waiting.get(account)
        if pace is None:
            pace = self._waiting[account] = Pace(burst=WAITING_BURST)
        pace.fill(self.now_s)
        return pace

    def message_done(self, session: Session, number: int) -> None:
        self._bodies.drop(_message_key(session.key, number))

    def _charge(self, account: str, written: int) -> None:
        """So many bytes are written to the disk for an account: it is listened to the
        more slowly."""
        if account:
            self.pace_of(account).charge(cost_of_keeping(ROW_BYTES + written))

    # Connections

    def accept(self, wire: Wire, now_s: float) -> Connection:
        """A new connection, nobody yet."""
        self.now_s = now_s
        connection = Connection(self, wire, now_s)
        self._strangers.add(connection)
        return connection

    def pace_of(self, account: str) -> Pace:
        """How fast an account is listened to, over all its connections."""
        pace = self._paces.get(account)
        if pace is None:
            pace = self._paces[account] = Pace()
            pace.fill(self.now_s)
        return pace

    def enter(
        self, connection: Connection, key: str, *, clean: bool, expiry_s: int
    ) -> tuple[Session, bool] | None:
        """Give a signed-in connection its session: (session, whether it was there
        before).

        None when its account has as many connections as it may, or the door as many
        sessions.
        """
        if key not in self._sessions and not self._make_room(key.partition("\0")[0]):
            return None
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
            session = self._add(key, expiry_s)
            self.changed(session)
        else:
            self._lasts(session, expiry_s)
        session.ends_s = None
        self.connections[key] = connection
        return session, present

    def _lasts(self, session: Session, expiry_s: int) -> None:
        """A session is to be kept for this long now; perhaps it was not to be kept at
        all, or is not any more."""
        kept_before = session.persistent
        if kept_before and not expiry_s:
            for queued in session.queued:
                self.message_done(session, queued.number)
            self._not_kept(session)
        session.expiry_s = expiry_s
        if expiry_s and not kept_before:
            session.keep_all()
            self.numbers_changed(session)
        if expiry_s:
            self.changed(session)

    def leave(self, session: Session, expiry_s: int) -> None:
        """A client takes its leave and says how long its session is to be kept
        (3.14.2.2.2)."""
        self._lasts(session, expiry_s)

    def gone(self, connection: Connection, will: p.Publish | None) -> None:
        """A connection has ended."""
        self._strangers.discard(connection)
        session, rights = connection.session, connection.rights
        if session is None or rights is None or self._closing:
            return
        delay_s = float(will.properties.get("will_delay", 0)) if will is not None else 0.0
        if will is not None and delay_s and session.expiry_s:
            due_s = self.now_s + min(delay_s, session.expiry_s)
            self._late_wills[session.key] = _LateWill(due_s, rights, will)
            will = None
        if self.connections.get(session.key) is connection:
            del self.connections[session.key]
            if not session.persistent:
                self._forget(session)
            elif session.expiry_s != NEVER_S:
                session.ends_s = self.now_s + session.expiry_s
        if will is not None:
            self._publish_will(rights, will)
        if not connection.replaced and not self.online(rights.account):
            self.host.disconnected(rights)

    def sweep(self, now_s: float) -> None:
        """Close what has been silent for too long, or never said who it is; end what
        has come to its end."""
        self.now_s = now_s
        for connection in [*self._strangers, *self.connections.values()]:
            if connection.overdue(now_s):
                why = "its keep-alive ran out" if connection.session else "it never said who it is"
                connection.close(why, p.KEEP_ALIVE_TIMEOUT)
            elif now_s >= connection.ends_s:
                connection.close("the hub could not take all; it is to send the rest again")
            if connection.rights is not None and (sentence := connection.flooded()):
                self.host.turned_away(connection.rights.account, sentence)
        for key, late in list(self._late_wills.items()):
            if now_s >= late.due_s:
                del self._late_wills[key]
                self._publish_will(late.rights, late.will)
        ended = [s for s in self._sessions.values() if s.ends_s is not None and now_s >= s.ends_s]
        for session in ended:
            self._forget(session)

    def _publish_will(self, rights: Rights, will: p.Publish) -> None:
        properties = {
            name: value for name, value in will.properties.items() if name != "will_delay"
        }
        message = p.Publish(will.topic, will.payload, will.qos, will.retain, properties=properties)
        self.host.published(rights, message, nobody)
        self.route(message, account=rights.account)

    # Messages

    def route(
        self,
        message: p.Publish,
        origin: Session | None = None,
        *,
        account: str = "",
    ) -> bool:
        """Send a message to all who subscribed, and keep it when it is to be retained.

        `account` is whose it is when it comes from no session. Whether something of it
        must be kept before it is safe.
        """
        kept, self._written, self._retained.written = False, 0, 0
        whose = origin.account if origin is not None else account
        if message.retain:
            kept = self._retained.take(whose, message, self.now_s)
        kept = self._spread(message, self._subscriptions.find(message.topic), origin) or kept
        if written := self._written + self._retained.written:
            self._charge(whose, written)
        return kept

    def command(self, message: p.Publish, *, once: bool) -> bool:
        """Send what the hub asks of a node, without waiting for what else is written in
        this turn of the loop. With `once` the same waits once for each who sleeps: a
        value that it is to take, not what it is to do. Whether somebody subscribed to
        it, connected or asleep with a session that is kept."""
        result = self._subscriptions.find(message.topic)
        asked_anew = {
            key: subscriptions
            for key, subscriptions in result.items()
            if not (once and self._sessions[key].asked_already(message))
        }
        self._spread(message, asked_anew)
        for key in result:
            if (connection := self.connections.get(key)) is not None:
                connection.wire.flush()
        return bool(result)

    def _spread(
        self,
        message: p.Publish,
        found: Mapping[str, list[Subscription]],
        origin: Session | None = None,
    ) -> bool:
        kept = False
        for key, subscriptions in found.items():
            if origin is not None and origin.key == key:
                subscriptions = [s for s in subscriptions if not s.no_local]  # noqa: PLW2901 [MQTT-3.8.3-3]
                if not subscriptions:
                    continue
            # 3.1.1 unsets retain [MQTT-3.3.1-9]; in MQTT 5 the subscription may ask to
            # see it (3.8.3.1).
            retain = message.retain and any(s.retain_as_published for s in subscriptions)
            kept |= self._deliver(key, outgoing(message, subscriptions, retain=retain))
        return kept

    def _deliver(self, key: str, copy: p.Publish) -> bool:
        connection, session = self.connections.get(key), self._sessions[key]
        dropped = session.dropped
        launched = session.offer(copy, connected=connection is not None, now_s=self.now_s)
        if session.dropped > dropped:
            self.host.turned_away(
                session.account,
                f"more than {MAX_QUEUED} messages, or more bytes than may be kept, wait "
                f"for it; the oldest was dropped",
            )
        if launched is not None and connection is not None:
            connection.send(launched)
        return bool(copy.qos) and session.persistent

    def reaches(self, topic: str) -> bool:
        """Whether somebody subscribed to this topic, connected or asleep with a session
        that is kept."""
        return bool(self._subscriptions.find(topic))

    def may_subscribe_more(self, session: Session) -> bool:
        """Whether the session and its account may have one more subscription."""
        of_account = sum(len(s.subscriptions) for s in self._by_account[session.account].values())
        return (
            len(session.subscriptions) < MAX_SUBSCRIPTIONS
            and of_account < MAX_ACCOUNT_SUBSCRIPTIONS
        )

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
        """The retained messages that fall under a filter, with what is left of their
        time."""
        return self._retained.under(name_filter, self.now_s)

    def expel(self, account: str) -> None:
        """Cut an account off: its connections, sessions, and what it left behind under
        topics of its own."""
        for connection in list(self.connections.values()):
            if connection.rights is not None and connection.rights.account == account:
                connection.will = None
                connection.close("its rights were taken back", p.ADMINISTRATIVE)
        for session in list(self._by_account.get(account, {}).values()):
            self._late_wills.pop(session.key, None)
            self._forget(session)
        self._paces.pop(account, None)
        self._waiting.pop(account, None)

    def close(self) -> None:
        """End all connections; that they end says nothing about the clients."""
        self._closing = True
        for connection in [*self._strangers, *self.connections.values()]:
            if connection.level >= 5 and connection.session is not None:
                connection.send(p.Disconnect(p.SHUTTING_DOWN))
            connection.close()

    def online(self, account: str) -> bool:
        """Whether an account has a connection."""
        return any(key in self.connections for key in self._by_account.get(account, ()))

    def _add(self, key: str, expiry_s: int) -> Session:
        session = self._sessions[key] = Session(key, expiry_s, self.ledger, self)
        self._by_account.setdefault(session.account, {})[key] = session
        return session

    def _forget(self, session: Session) -> None:
        for name_filter in list(session.subscriptions):
            del session.subscriptions[name_filter]
            self._subscriptions.remove(name_filter, session.key)
        session.end()
        self._sessions.pop(session.key, None)
        beside = self._by_account.get(session.account, {})
        beside.pop(session.key, None)
        if not beside:
            self._by_account.pop(session.account, None)
        if (late := self._late_wills.pop(session.key, None)) is not None:
            self._publish_will(
                late.rights, late.will
            )  # the session's end is the will's time at the latest (3.1.3.2.2)
        if session.persistent:
            self._not_kept(session)

    def _not_kept(self, session: Session) -> None:
        self.host.keep(session.key, None)
        self.host.keep(_RECEIVED + session.key, None)

    def _make_room(self, account: str) -> bool:
        """Room for one more session of an account: at its bound its own oldest sleeping
        one goes, nobody else's."""
        of_account = self._by_account.get(account, {})
        if len(of_account) < MAX_ACCOUNT_SESSIONS and len(self._sessions) < MAX_SESSIONS:
            return True
        asleep = next((s for key, s in of_account.items() if key not in self.connections), None)
        if asleep is None:
            return False
        self.host.turned_away(
            account, f"it has {len(of_account)} sessions; the oldest that sleeps was ended"
        )
        self._forget(asleep)
        return True


def _message_key(session_key: str, number: int) -> str:
    return f"{_MESSAGE}{number:012d}/{session_key}"
