"""A door without sockets, and clients at it: bytes in, bytes out, the time as an
argument."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from hombi.links.pace import cost_of
from hombi.links.wifi.mqtt import connection as c
from hombi.links.wifi.mqtt import contract as d
from hombi.links.wifi.mqtt import door
from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.decoding import Reader
from hombi.links.wifi.mqtt.encoding import encode


class Wire:
    """The far end: what it was sent, read as a client would."""

    def __init__(self) -> None:
        self.sent: list[p.Packet] = []
        self.closed = False
        # How much of it was not left until the end of the turn.
        self.at_once = 0
        self.reader = Reader()

    def write(self, data: bytes) -> None:
        self.sent += self.reader.feed(data)

    def flush(self) -> None:
        self.at_once = len(self.sent)

    def close(self) -> None:
        self.closed = True

    def take(self) -> list[p.Packet]:
        taken, self.sent = self.sent, []
        return taken


@dataclass
class Rights:
    account: str

    def may_publish(self, topic: str) -> bool:
        return topic.startswith(f"{self.account}/")

    def may_subscribe(self, name_filter: str) -> bool:
        return name_filter.startswith(f"{self.account}/") or self.account == "watcher"

    def cost(self, length: int) -> float:
        return cost_of(length) if self.account == "rack" else 1.0


@dataclass
class Host:
    """Takes all passwords that are "right", and acknowledges when the test says so."""

    heard: list[tuple[str, p.Publish]] = field(default_factory=list)
    waiting: list[d.Acknowledge] = field(default_factory=list)
    came: list[str] = field(default_factory=list)
    subscriptions: list[tuple[str, str]] = field(default_factory=list)
    problems: list[str] = field(default_factory=list)
    kept: dict[str, dict[str, Any]] = field(default_factory=dict)
    # How many bytes the disk was given.
    stored: int = 0
    at_once: bool = False
    disk_is_slow: bool = False
    unkept: list[Callable[[], None]] = field(default_factory=list)

    def sign_in(self, username: str | None, password: bytes | None) -> Rights | None:
        return Rights(username) if username and password == b"right" else None

    def published(self, rights: d.Rights, message: p.Publish, acknowledge: d.Acknowledge) -> None:
        self.heard.append((rights.account, message))
        if self.at_once:
            acknowledge()
        else:
            self.waiting.append(acknowledge)

    def connected(self, rights: d.Rights) -> None:
        self.came.append(f"+{rights.account}")

    def disconnected(self, rights: d.Rights) -> None:
        self.came.append(f"-{rights.account}")

    def subscribed(self, rights: d.Rights, name_filter: str) -> None:
        self.subscriptions.append((rights.account, name_filter))

    def turned_away(self, account: str, why: str) -> None:
        self.problems.append(why)

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        if state is None:
            self.kept.pop(key, None)
        else:
            said = json.dumps(state)
            self.stored += len(said)
            self.kept[key] = json.loads(said)

    def when_kept(self, call: Callable[[], None]) -> None:
        if self.disk_is_slow:
            self.unkept.append(call)
        else:
            call()


class House:
    """A door with clients at it."""

    def __init__(self) -> None:
        self.host = Host()
        self.door = door.Door(self.host)

    def restarted(self) -> House:
        """The same hub, started again."""
        again = House()
        again.host.kept = dict(self.host.kept)
        again.door.restore(self.host.kept)
        return again

    def knock(
        self, *packets: p.Packet | bytes, now: float = 0, level: int = 4
    ) -> tuple[c.Connection, Wire]:
        wire = Wire()
        wire.reader.level = level
        connection = self.door.accept(wire, now)
        self.say(connection, *packets, now=now)
        return connection, wire

    def say(self, connection: c.Connection, *packets: p.Packet | bytes, now: float = 0) -> None:
        for packet in packets:
            connection.receive(
                packet if isinstance(packet, bytes) else encode(packet, connection.level), now
            )

    def safe(self) -> None:
        """All that came in is on disk."""
        waiting, self.host.waiting = self.host.waiting, []
        for acknowledge in waiting:
            acknowledge()

    def enter5(
        self,
        account: str,
        *,
        clean: bool = True,
        client: str = "c",
        will: p.Publish | None = None,
        now: float = 0,
        **said: Any,
    ) -> tuple[c.Connection, Wire]:
        """As `enter`, with MQTT 5; `said` are the properties of the connect packet."""
        hello = p.Connect(client, 5, clean, 10, account, b"right", will, said)
        connection, wire = self.knock(hello, now=now, level=5)
        assert isinstance(wire.sent[0], p.Connack)
        assert wire.sent[0].code == 0, wire.sent
        return connection, wire

    def enter(
        self, account: str, *, clean: bool = True, client: str = "c", will: p.Publish | None = None
    ) -> tuple[c.Connection, Wire]:
        connection, wire = self.knock(
            p.Connect(
                client, clean=clean, keep_alive=10, username=account, password=b"right", will=will
            )
        )
        assert isinstance(wire.sent[0], p.Connack)
        assert wire.sent[0].code == p.ACCEPTED
        return connection, wire


def messages(wire: Wire) -> list[p.Publish]:
    """The messages among what was sent."""
    return [m for m in wire.take() if isinstance(m, p.Publish)]
