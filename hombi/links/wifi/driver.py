"""The Wi-Fi link, and the three ways in which its nodes speak:

senml      over the hub's own MQTT door, each node with topics of its own and no others:
               hombi/<node>/readings   from the node: SenML packs, QoS 1
               hombi/<node>/wanted     to the node: SenML packs, what it is to take
               hombi/<node>/actions    to the node: {"action": name, "input": ...}
               hombi/<node>/presence   from the node, retained: "here"; last will "gone"
           A node confirms what it was asked by sending the new value as a reading.
described  as its Thing Description says: over HTTP (`web.py`), or over MQTT
foreign    as it likes: values are picked out of its messages (`picks.py`)
"""

from __future__ import annotations

import asyncio
import json
import secrets
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

import msgspec

from hombi.core.errors import SenmlError
from hombi.core.senml import Record, decode, encode, resolve
from hombi.links.base import (
    Check,
    Found,
    Heard,
    LinkContext,
    LinkError,
    OnLink,
    Unreachable,
    Wanted,
    Wired,
)
from hombi.links.pace import Pace
from hombi.links.wifi.broker import Broker
from hombi.links.wifi.certificate import certificate_check, server_tls
from hombi.links.wifi.discovery import Discovery
from hombi.links.wifi.forms import HttpForm, MqttForm, Reach, read_forms
from hombi.links.wifi.mqtt.contract import Acknowledge
from hombi.links.wifi.mqtt.contract import Rights as DoorRights
from hombi.links.wifi.mqtt.door import Door
from hombi.links.wifi.mqtt.listener import Listener
from hombi.links.wifi.mqtt.packets import BAD_PAYLOAD, Publish
from hombi.links.wifi.origins import Guard
from hombi.links.wifi.picks import Picks, Sent
from hombi.links.wifi.rights import (
    NodeRights,
    ToolRights,
    actions_topic,
    presence_topic,
    readings_topic,
    wanted_topic,
)
from hombi.links.wifi.settings import BrokerSettings, WifiSettings
from hombi.links.wifi.web import Web
from hombi.links.work import Work

CLIENT_KEY = "broker client"
FLOODS_EVERY_S = 1.0
REFUSALS_TOLD = 5


class WifiDriver:
    """The driver of the link `wifi`; it hosts the MQTT door."""

    link = "wifi"
    connects = True

    def __init__(self, context: LinkContext, settings: WifiSettings) -> None:
        self._reports, self._keys, self._settings = context.reports, context.keys, settings
        self._clock, self._work = context.clock, Work(context.tasks)
        kept = context.kept
        self._client_id = kept.get(CLIENT_KEY, {}).get("id", "")
        self.door = Door(self)
        self.door.restore(_with_what_is_left(kept), time.monotonic())
        self._listener = Listener(
            self.door,
            self._work,
            settings.host,
            settings.port,
            settings.tls_port,
            server_tls(settings.tls),
        )
        self._picks = Picks()
        self._paces: dict[str, Pace] = {}
        guard = Guard((settings.http_port, settings.port, settings.tls_port))
        self._web = Web(self._reports, self._clock, self._work, settings.read_every_s, guard)
        self._reaches: dict[str, Reach] = {}
        self._known: dict[str, OnLink] = {}
        self._discovery = Discovery(settings.discovery, self._announced, self._work)
        self._broker: Broker | None = None
        self._pairing = False

    @property
    def port(self) -> int:
        """The port nodes connect to."""
        return self._listener.port

    async def start(self) -> None:
        """Open the door and look for nodes. Raises LinkError when the port cannot be
        had."""
        try:
            await self._listener.open()
        except OSError as error:
            raise LinkError(
                f"MQTT port {self._listener.port} cannot be opened ({error.strerror or error}); "
                "stop what uses it, or set mqtt.port in hombi.toml (HOMBI_MQTT_PORT)"
            ) from error
        await self._web.start()
        await self._connect_broker(self._settings.broker)
        await self._discovery.start(
            self._settings.name, self._settings.http_port, {"mqtt": str(self.port)}
        )
        self._work.watch("floods of messages", self._report_floods)

    async def stop(self) -> None:
        """Close the door and every connection."""
        await self._work.end()
        await self._discovery.stop()
        if self._broker is not None:
            await self._broker.stop()
        await self._web.stop()
        await self._listener.close()

    async def change(self, settings: WifiSettings) -> None:
        """Take up settings that need no restart: the broker. Raises LinkError."""
        if settings.broker != self._settings.broker:
            if self._broker is not None:
                await self._broker.stop()
                self._broker = None
            await self._connect_broker(settings.broker)
        self._settings = replace(self._settings, broker=settings.broker)

    def follow(self, known: OnLink) -> None:
        """Take up an admitted node."""
        self._known[known.node] = known
        entities, url = list(known.entities), known.reach.get("url", "")
        self._web.forget(known.node)
        if url:
            reach = self._reaches[known.node] = read_forms(
                known.reach["description"], url, known.reach.get("origins", ())
            )
            entities = [self._over_mqtt(one, reach) for one in entities]
            if any(
                isinstance(way, HttpForm)
                for ways in reach.properties.values()
                for way in (ways.read, ways.observe)
            ):
                self._web.follow(known, reach)
        self._picks.follow(known.node, entities)
        self._listen()

    async def send(self, node: str, wanted: Sequence[Wanted]) -> None:
        """Have a node take values; a sleeping one gets them when it wakes. Raises
        LinkError."""
        by_senml = []
        for one in wanted:
            if (sent := self._picks.to_send(node, one.name, one.value)) is not None:
                self._publish(sent)
            elif node not in self._web:
                by_senml.append(one)
            elif not await self._web.send(node, one):
                raise LinkError(f"{node} has no way to have its {one.name} written")
        if by_senml:
            records = [
                Record(n=w.name, vb=w.value >= 0.5)
                if w.binary
                else Record(n=w.name, v=w.value, u=w.unit)
                for w in by_senml
            ]
            self._to_node(node, wanted_topic(node), encode(records))

    async def settings(self, node: str) -> dict[str, Any]:
        """The settings that a node tells when it is asked; one that speaks SenML tells
        them by itself."""
        if node not in self._web:
            return {}
        entities = {one.name for one in self._known[node].entities}
        return await self._web.settings(
            node, [name for name in self._reaches[node].properties if name not in entities]
        )

    async def set_setting(self, node: str, name: str, value: Any) -> None:
        """Change one of the node's own settings. Raises LinkError."""
        if node in self._web:
            await self._web.set_setting(node, name, value)
            return
        record = Record(n=name, vb=value) if isinstance(value, bool) else Record(n=name, vs=value)
        if isinstance(value, int | float) and not isinstance(value, bool):
            record = Record(n=name, v=float(value))
        self._to_node(node, wanted_topic(node), encode([record]))

    async def act(self, node: str, action: str, given: Any) -> Any:
        """Have the node do something. Raises LinkError."""
        form = self._reaches[node].actions.get(action) if node in self._reaches else None
        if isinstance(form, MqttForm):
            self._publish(
                Sent(self._via(form), form.topic, json.dumps(given).encode(), form.qos, form.retain)
            )
            return None
        if node in self._web:
            return await self._web.act(node, action, given)
        self._to_node(
            node, actions_topic(node), json.dumps({"action": action, "input": given}).encode()
        )
        return None

    async def look(self, address: str) -> Found:
        """The node whose description is at an address. Raises LinkError."""
        found = await self._web.look(address)
        cannot = self._unsupported(found.reach["description"], found.reach["url"])
        left_out = (*found.offer.left_out, *cannot)
        return replace(found, offer=msgspec.structs.replace(found.offer, left_out=left_out))

    async def remove(self, node: str) -> None:
        """Cut a node off; its key no longer opens the door."""
        self._known.pop(node, None)
        self._reaches.pop(node, None)
        self._picks.forget(node)
        self._web.forget(node)
        self.door.expel(node)
        self.door.route(Publish(presence_topic(node), b"", retain=True))

    async def dismiss(self, thing_id: str) -> None:
        """A node that was turned away has no key: there is nothing to undo."""

    def way(self, known: OnLink) -> str:
        """How a node speaks."""
        if known.reach.get("url"):
            return "described"
        return "foreign" if known.foreign else "senml"

    def welcome(self, node: str) -> dict[str, Any]:
        """What a node must know to use the door."""
        return {
            "port": self.port,
            "readings": readings_topic(node),
            "wanted": wanted_topic(node),
            "presence": presence_topic(node),
        }

    def cut_off(self, account: str) -> None:
        """End the connections and sessions of an account whose key is not what it
        was."""
        self.door.expel(account)

    def pairing(self, is_open: bool) -> None:
        """While the window is open, nodes that announce themselves are arrivals."""
        self._pairing = is_open
        if is_open:
            for url in self._discovery.known().values():
                self._announced(url)

    def _unsupported(self, description: dict[str, Any], url: str) -> tuple[str, ...]:
        """What a description asks for that this link cannot do, one sentence each."""
        reach = read_forms(description, url)
        elsewhere = [
            f"property {name}: its broker {ways.observe.host}:{ways.observe.port} is "
            f"not the one that the hub is connected to"
            for name, ways in reach.properties.items()
            if isinstance(ways.observe, MqttForm) and not self._via(ways.observe)
        ]
        return (*reach.left_out, *elsewhere)

    def listening(self) -> str:
        """Where nodes connect."""
        parts = [f"MQTT on port {self.port}"]
        if self._settings.tls is not None:
            parts.append(f"over TLS on {self._listener.tls_port}")
        parts.append("HTTP at /api/intake")
        if not self._discovery.problem:
            parts.append("nodes that announce themselves")
        if self._broker is not None:
            parts.append(
                f"the broker at {self._broker.address}"
                + ("" if self._broker.connected else " (not connected)")
            )
        return ", ".join(parts)

    def checks(self) -> list[Check]:
        """How the door, the broker, the certificate and the looking for nodes are."""
        here = len(
            {c.rights.account for c in self.door.connections.values() if c.rights is not None}
        )
        found = [Check("MQTT door", "ok", f"open on port {self.port}; connected: {here}")]
        if self._settings.tls is not None:
            found.append(certificate_check(self._settings.tls))
        if self._broker is not None:
            found.append(self._broker.check())
        if self._discovery.problem:
            advice = "nodes are then added by their address"
            state = "ok" if self._settings.discovery == "off" else "warning"
            found.append(Check("finding nodes", state, self._discovery.problem, advice))
        else:
            found.append(
                Check(
                    "finding nodes",
                    "ok",
                    f"nodes that announce themselves now: {len(self._discovery.known())}",
                )
            )
        return found

    # Messages of nodes that do not know Hombi

    def _foreign(
        self,
        via: str,
        sender: str,
        topic: str,
        payload: bytes,
        qos: int,
        retained: bool,
        acknowledge: Callable[[], None],
    ) -> None:
        whose = self._picks.whose(via, topic)
        self._reports.heard(
            Heard(via, topic, payload, sender, whose[0] if whose else "", qos, retained)
        )
        if retained or not whose:
            # What a broker kept is of no known time: it is shown, and taken for no
            # reading.
            acknowledge()
            return
        pace = self._paces.setdefault(whose[0], Pace())
        if not pace.allows(time.monotonic()) and qos == 0:
            pace.dropped += 1
            return
        values = self._picks.pick(via, topic, payload, self._clock.now_ms(), self._reports.refused)
        waiting = len(values)
        if not waiting:
            acknowledge()

        def safe() -> None:
            nonlocal waiting
            waiting -= 1
            if not waiting:
                acknowledge()

        for node, resolved in values.items():
            self._reports.presence(node, here=True)
            self._reports.observed(node, resolved, safe)

    async def _report_floods(self) -> None:
        while True:
            await asyncio.sleep(FLOODS_EVERY_S)
            for node, pace in self._paces.items():
                if pace.dropped:
                    self._reports.refused(
                        node,
                        f"it sends more than {pace.rate:.0f} messages a second; "
                        f"{pace.dropped} were dropped",
                    )
                    pace.dropped = 0

    async def _connect_broker(self, settings: BrokerSettings | None) -> None:
        if settings is None:
            return
        if not self._client_id:
            self._client_id = f"hombi-{secrets.token_hex(6)}"
            self._reports.keep(CLIENT_KEY, {"id": self._client_id})
        self._broker = Broker(
            settings,
            self._client_id,
            partial(self._foreign, "broker", ""),
            self._broker_changed,
            self._work,
        )
        self._listen()
        await self._broker.start()

    def _broker_changed(self, connected: bool, why: str) -> None:
        assert self._broker is not None
        if not connected:
            self._reports.trouble(
                self.link, f"the broker at {self._broker.address} is away: {why}; it is tried again"
            )
        else:
            self._reports.trouble(self.link, "")

    def _listen(self) -> None:
        if self._broker is not None:
            for topic in self._picks.topics("broker"):
                self._broker.listen(topic)

    def _over_mqtt(self, one: Wired, reach: Reach) -> Wired:
        """The entity with what the forms over MQTT of its description come to."""
        ways, source, sink = reach.properties.get(one.name), one.source, one.sink
        if (
            ways is not None
            and isinstance(ways.observe, MqttForm)
            and (via := self._via(ways.observe))
        ):
            source = {"via": via, "topic": ways.observe.topic, "pointer": ""}
        if ways is not None and isinstance(ways.write, MqttForm) and (via := self._via(ways.write)):
            template = "{true|false}" if one.kind.words is not None else "{value}"
            sink = {
                "via": via,
                "topic": ways.write.topic,
                "payload": template,
                "qos": ways.write.qos,
                "retain": ways.write.retain,
            }
        return replace(one, source=source, sink=sink)

    def _via(self, form: MqttForm) -> str:
        """Where a form's broker is reached: "door", "broker", or "" when it is none of
        ours."""
        broker = self._settings.broker
        if broker is not None and (form.host, form.port) == (broker.host, broker.port):
            return "broker"
        return "door" if form.port in (self.port, self._listener.tls_port) else ""

    def _publish(self, sent: Sent) -> None:
        if sent.via == "broker":
            if self._broker is None:
                raise LinkError(
                    "no broker is set in hombi.toml any more; this entity is written over one"
                )
            self._broker.publish(sent.topic, sent.payload, sent.qos, sent.retain)
            return
        if not self.door.reaches(sent.topic) and not sent.retain:
            raise Unreachable(f"nobody listens to {sent.topic} at the hub's MQTT door")
        self.door.route(Publish(sent.topic, sent.payload, min(sent.qos, 1), sent.retain))

    def _to_node(self, node: str, topic: str, payload: bytes) -> None:
        if not self.door.reaches(topic):
            raise Unreachable(
                f"{node} is not connected, and keeps no session that could hold a command for it"
            )
        self.door.route(Publish(topic, payload, qos=1))

    # Nodes that announce themselves

    def _announced(self, url: str) -> None:
        known = any(one.reach.get("url") for one in self._known.values())
        if self._pairing or known:
            self._work.start(self._fetch(url), name=f"fetching {url}")

    async def _fetch(self, url: str) -> None:
        try:
            found = await self.look(url)
        except LinkError as error:
            if self._pairing:
                self._reports.refused("", f"a node that announces itself cannot be used: {error}")
            return
        self._reports.found(found)

    # The door's host

    def sign_in(self, username: str | None, password: bytes | None) -> DoorRights | None:
        if username is None or password is None:
            return None
        secret = password.decode(errors="replace")
        if self._keys.fits(username, secret):
            return NodeRights(username)
        filters = self._keys.tool(username, secret)
        return (
            ToolRights(username, tuple(filters[0]), tuple(filters[1]))
            if filters is not None
            else None
        )

    def published(self, rights: DoorRights, message: Publish, acknowledge: Acknowledge) -> None:
        if not isinstance(rights, NodeRights):
            self._foreign(
                "door",
                rights.account,
                message.topic,
                message.payload,
                message.qos,
                False,
                acknowledge,
            )
            return
        node = rights.account
        self._reports.heard(Heard("door", message.topic, message.payload, node, node, message.qos))
        if message.topic.endswith("/readings"):
            try:
                values, refused = resolve(decode(message.payload), self._clock.now_ms())
            except SenmlError as error:
                values, refused = [], [str(error)]
            for what in refused[:REFUSALS_TOLD]:
                self._reports.refused(node, what)
            if not values:
                # 3.1.1 has no way to tell the sender; without an acknowledgement it
                # would send the same for ever.
                acknowledge(BAD_PAYLOAD if refused else 0)
                return
            self._reports.observed(node, values, acknowledge)
            return
        if message.payload == b"gone":
            self._reports.presence(node, here=False)
        acknowledge()

    def connected(self, rights: DoorRights) -> None:
        if isinstance(rights, NodeRights):
            self._reports.presence(rights.account, here=True)

    def disconnected(self, rights: DoorRights) -> None:
        if isinstance(rights, NodeRights):
            self._reports.presence(rights.account, here=False)

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        self._reports.keep(
            key, state if state is None else {**state, "kept_at": round(time.time())}
        )

    def when_kept(self, call: Callable[[], None]) -> None:
        self._reports.when_kept(call)

    def turned_away(self, account: str, why: str) -> None:
        self._reports.refused(account, f"MQTT: {why}")


def _with_what_is_left(kept: Mapping[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
    """What the door had kept; a message that expires has less time left by how long ago
    that was."""
    now, found = time.time(), {}
    for key, state in kept.items():
        if key == CLIENT_KEY:
            continue
        left = state.get("left")
        gone = max(0.0, now - state.get("kept_at", now))
        found[key] = state if left is None else {**state, "left": max(0.0, left - gone)}
    return found
