"""The Wi-Fi link: nodes that speak SenML over the hub's MQTT door.

Each node has three topics of its own and no others:
    hombi/<node>/readings   from the node: SenML packs, QoS 1
    hombi/<node>/wanted     to the node: SenML packs of the values it is to take, QoS 1
    hombi/<node>/presence   from the node, retained: "here", and "gone" as its last will
A node confirms what it was asked by sending the new value as a reading.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from hombi.core.errors import SenmlError
from hombi.core.senml import Record, decode, encode, resolve
from hombi.links.base import LinkError, Reports, Unreachable, Wanted
from hombi.links.wifi.mqtt.contract import Acknowledge
from hombi.links.wifi.mqtt.contract import Rights as DoorRights
from hombi.links.wifi.mqtt.door import Door
from hombi.links.wifi.mqtt.listener import Listener
from hombi.links.wifi.mqtt.packets import BAD_PAYLOAD, Publish
from hombi.links.wifi.mqtt.session import Session

PREFIX = "hombi"


class Keys(Protocol):
    """Who knows the nodes' keys."""

    def fits(self, node: str, secret: str) -> bool:
        """Whether this is the node's key."""


def readings_topic(node: str) -> str:
    """Where a node publishes its readings."""
    return f"{PREFIX}/{node}/readings"


def wanted_topic(node: str) -> str:
    """Where a node hears what it is to do."""
    return f"{PREFIX}/{node}/wanted"


def presence_topic(node: str) -> str:
    """Where a node says that it is here, and its last will that it is gone."""
    return f"{PREFIX}/{node}/presence"


@dataclass(frozen=True, slots=True)
class NodeRights:
    """A node may do what it likes under its own topics, and nothing elsewhere."""

    account: str

    def may_publish(self, topic: str) -> bool:
        return topic in (readings_topic(self.account), presence_topic(self.account))

    def may_subscribe(self, name_filter: str) -> bool:
        return name_filter.startswith(f"{PREFIX}/{self.account}/")


class WifiDriver:
    """The driver of the link `wifi`; it hosts the MQTT door."""

    link = "wifi"

    def __init__(
        self,
        reports: Reports,
        keys: Keys,
        host: str,
        port: int,
        kept: Mapping[str, dict[str, Any]],
        now_ms: Callable[[], int] | None = None,
    ) -> None:
        self._reports, self._keys = reports, keys
        self._now_ms = now_ms or (lambda: time.time_ns() // 1_000_000)
        self.door = Door(self)
        self.door.restore(kept)
        self._listener = Listener(self.door, host, port)

    @property
    def port(self) -> int:
        """The port nodes connect to."""
        return self._listener.port

    async def start(self) -> None:
        """Open the door. Raises LinkError when the port cannot be had."""
        try:
            await self._listener.open()
        except OSError as error:
            raise LinkError(
                f"MQTT port {self._listener.port} cannot be opened ({error.strerror or error}); "
                "stop what uses it, or set mqtt.port in hombi.toml (HOMBI_MQTT_PORT)"
            ) from error

    async def stop(self) -> None:
        """Close the door and every connection."""
        await self._listener.close()

    async def send(self, node: str, wanted: Sequence[Wanted]) -> None:
        """Publish wanted values to a node; a sleeping one gets them when it wakes. Raises Unreachable."""
        topic = wanted_topic(node)
        if not self.door.reaches(topic):
            raise Unreachable(f"{node} is not connected, and keeps no session that could hold a command for it")
        records = [Record(n=w.name, vb=w.value >= 0.5) if w.binary else Record(n=w.name, v=w.value, u=w.unit) for w in wanted]
        self.door.route(Publish(topic, encode(records), qos=1))

    async def remove(self, node: str) -> None:
        """Cut a node off; its key no longer opens the door."""
        self.door.expel(node)
        self.door.route(Publish(presence_topic(node), b"", retain=True))

    def listening(self) -> str:
        """Where nodes connect."""
        return f"MQTT on port {self.port}, HTTP at /api/intake"

    # The door's host

    def sign_in(self, username: str | None, password: bytes | None) -> DoorRights | None:
        if username is None or password is None or not self._keys.fits(username, password.decode(errors="replace")):
            return None
        return NodeRights(username)

    def published(self, rights: DoorRights, message: Publish, acknowledge: Acknowledge) -> None:
        if message.topic.endswith("/readings"):
            try:
                values = resolve(decode(message.payload), self._now_ms())
            except SenmlError as error:
                # 3.1.1 has no way to tell the sender; without an acknowledgement it would send the same for ever.
                self._reports.refused(rights.account, str(error))
                acknowledge(BAD_PAYLOAD)
                return
            self._reports.observed(rights.account, values, acknowledge)
            return
        if message.payload == b"gone":
            self._reports.presence(rights.account, here=False)
        acknowledge()

    def connected(self, rights: DoorRights) -> None:
        self._reports.presence(rights.account, here=True)

    def disconnected(self, rights: DoorRights) -> None:
        self._reports.presence(rights.account, here=False)

    def session_changed(self, key: str, session: Session) -> None:
        self._reports.keep(key, session.snapshot(self.door.now_s))

    def session_forgotten(self, key: str) -> None:
        self._reports.keep(key, None)

    def turned_away(self, account: str, why: str) -> None:
        self._reports.refused(account, f"MQTT: {why}")
