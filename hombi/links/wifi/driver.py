"""The Wi-Fi link, and the three ways in which its nodes speak:

senml      over the hub's own MQTT listener, each node with topics of its own and no
others:                hombi/<node>/readings   from the node: SenML packs, QoS 1
               hombi/<node>/wanted     to the node: SenML packs, what it is to take
               hombi/<node>/actions    to the node: {"action": name, "input": ...}
               hombi/<node>/presence   from the node, retained: "here"; last will "gone"
           A node confirms what it was asked by sending the new value as a reading.
described  as its Thing Description says: over HTTP (`web.py`), or over MQTT
foreign    as it likes: values are picked out of its messages (`picks.py`)
"""

from __future__ import annotations

import json
import time
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

import msgspec

from hombi.core.senml import Record, encode
from hombi.links.base import Check, Found, LinkContext, LinkError, OnLink, Unreachable, Wanted
from hombi.links.capabilities import Acted
from hombi.links.offer import Offer
from hombi.links.thing_description import part_of
from hombi.links.wifi.certificate import certificate_check, server_tls
from hombi.links.wifi.discovery import Discovery
from hombi.links.wifi.foreign import CLIENT_KEY, Foreign
from hombi.links.wifi.forms import HttpForm, MqttForm, Reach, read_forms
from hombi.links.wifi.host import DoorHost, with_what_is_left
from hombi.links.wifi.mqtt.contract import Acknowledge, with_reason
from hombi.links.wifi.mqtt.door import Door
from hombi.links.wifi.mqtt.listener import Listener
from hombi.links.wifi.mqtt.packets import Publish
from hombi.links.wifi.origins import Guard
from hombi.links.wifi.picks import Sent
from hombi.links.wifi.rights import (
    actions_topic,
    presence_topic,
    readings_topic,
    wanted_topic,
)
from hombi.links.wifi.settings import WifiSettings
from hombi.links.wifi.web import Web
from hombi.links.work import Work


class WifiDriver:
    """The driver of the link `wifi`; it hosts the MQTT listener."""

    link = "wifi"
    connects = True

    def __init__(self, context: LinkContext, settings: WifiSettings) -> None:
        self._reports, self._settings = context.reports, settings
        self._clock, self._work = context.clock, Work(context.tasks)
        kept = context.kept
        host = DoorHost(
            self._reports,
            context.keys,
            self._clock,
            self._published,
            lambda name_filter: self._foreign.picks.written_under("door", name_filter),
            self._work,
        )
        self.door = Door(host)
        sessions = {key: state for key, state in kept.items() if key != CLIENT_KEY}
        self.door.restore(with_what_is_left(sessions), time.monotonic())
        self._listener = Listener(
            self.door,
            self._work,
            settings.host,
            settings.port,
            settings.tls_port,
            server_tls(settings.tls) or (context.tls if settings.https_port else None),
            must_secure=settings.tls is not None,
        )
        self._foreign = Foreign(
            self.link,
            self._reports,
            self._clock,
            self._work,
            self.door,
            lambda: (self.port, self._listener.tls_port),
            kept.get(CLIENT_KEY, {}).get("id", ""),
        )
        # 0 where the hub does not listen.
        tls_port = settings.tls_port if settings.tls or settings.https_port else 0
        guard = Guard((settings.http_port, settings.https_port, settings.port, tls_port))
        self._web = Web(self._reports, self._clock, self._work, settings.read_every_s, guard)
        self._reaches: dict[str, Reach] = {}
        self._known: dict[str, OnLink] = {}
        self._discovery = Discovery(settings.discovery, self._announced, self._work)
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
        await self._foreign.connect(self._settings.broker)
        await self._discovery.start(
            self._settings.name, self._settings.http_port, {"mqtt": str(self.port)}
        )
        self._work.watch("floods of messages", self._foreign.report_floods)

    async def stop(self) -> None:
        """Close the door and every connection."""
        await self._work.end()
        await self._discovery.stop()
        await self._foreign.disconnect()
        await self._web.stop()
        await self._listener.close()

    async def change(self, settings: WifiSettings) -> None:
        """Take up settings that need no restart: the broker. Raises LinkError."""
        if settings.broker != self._settings.broker:
            await self._foreign.connect(settings.broker)
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
            entities = [self._foreign.over_mqtt(entity, reach) for entity in entities]
            if any(
                isinstance(way, HttpForm)
                for ways in reach.properties.values()
                for way in (ways.read, ways.observe)
            ):
                self._web.follow(known, reach)
        self._foreign.picks.follow(known.node, entities)
        self._foreign.listen()

    async def send(self, node: str, wanted: Sequence[Wanted]) -> None:
        """Have a node take values; a sleeping one gets them when it wakes. Raises
        LinkError."""
        if self.send_now(node, wanted):
            return
        for one in wanted:
            if (sent := self._foreign.picks.to_send(node, one.name, one.value)) is not None:
                self._foreign.publish(sent)
            elif not await self._web.send(node, one):
                raise LinkError(f"{node} has no way to have its {one.name} written")

    def send_now(self, node: str, wanted: Sequence[Wanted]) -> bool:
        """The same at once; False where a node must be asked over HTTP. Raises
        LinkError."""
        picked: list[Sent] = []
        records: list[Record] = []
        for one in wanted:
            sent = self._foreign.picks.to_send(node, one.name, one.value)
            if sent is not None:
                picked.append(sent)
            elif one.binary:
                records.append(Record(n=one.name, vb=one.value >= 0.5))
            elif one.word:
                records.append(Record(n=one.name, vs=one.word))
            else:
                records.append(Record(n=one.name, v=one.value, u=one.unit))
        if records and node in self._web:
            return False
        for sent in picked:
            self._foreign.publish(sent)
        if records:
            self._to_node(node, wanted_topic(node), encode(records))
        return True

    async def settings(self, node: str) -> dict[str, Any]:
        """The settings that a node tells when it is asked; one that speaks SenML tells
        them by itself."""
        if node not in self._web:
            return {}
        entities = {entity.name for entity in self._known[node].entities}
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

    async def act(self, node: str, action: str, given: Any) -> Acted:
        """Have the node do something. Raises LinkError."""
        form = self._reaches[node].actions.get(action) if node in self._reaches else None
        if isinstance(form, MqttForm):
            via, payload = self._foreign.via(form), json.dumps(given).encode()
            sent = Sent(via, form.topic, payload, form.qos, form.retain)
            self._foreign.publish(sent, once=False)
            return Acted(done=False)
        if node in self._web:
            return await self._web.act(node, action, given)
        self._to_node(
            node, actions_topic(node), json.dumps({"action": action, "input": given}).encode()
        )
        return Acted(done=False)

    async def look(self, address: str) -> Found:
        """The node whose description is at an address. Raises LinkError."""
        result = await self._web.look(address)
        description, url = result.reach["description"], result.reach["url"]
        # What leads elsewhere is there too: a person may tick it.
        reach = read_forms(description, url, result.reach.get("elsewhere", ()))
        return msgspec.structs.replace(
            result, offer=self._reached(result.offer, reach, description, url)
        )

    async def try_secret(self, reach: Mapping[str, Any], secret: str) -> None:
        """Ask a described node something with a secret. Raises LinkError."""
        if url := reach.get("url"):
            forms = read_forms(reach["description"], url, reach.get("origins", ()))
            await self._web.try_secret(forms, url, secret)

    async def remove(self, node: str) -> None:
        """Cut a node off; its key no longer opens the door."""
        self._known.pop(node, None)
        self._reaches.pop(node, None)
        self._foreign.picks.forget(node)
        self._web.forget(node)
        self.door.expel(node)
        self.door.route(Publish(presence_topic(node), b"", retain=True))

    async def dismiss(self, thing_id: str) -> None:
        """A node that was turned away has no key: there is nothing to undo."""

    def connected(self, node: str) -> bool:
        """Whether the node has a connection at the door."""
        return self.door.online(node)

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
            "actions": actions_topic(node),
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

    def _reached(self, offer: Offer, reach: Reach, description: dict[str, Any], url: str) -> Offer:
        """What of an offer the forms of its description lead to; the rest is left out,
        and said once."""
        if not reach.described:
            return offer
        here = {
            name
            for name, ways in reach.properties.items()
            if not isinstance(ways.observe, MqttForm) or self._foreign.via(ways.observe)
        }
        events = {
            name
            for name, form in reach.events.items()
            if not isinstance(form, MqttForm) or self._foreign.via(form)
        }
        followed = {f"property {name}": ways.observe for name, ways in reach.properties.items()}
        followed |= {f"event {name}": form for name, form in reach.events.items()}
        brokers = [
            f"{what}: its broker {form.host}:{form.port} is not the one that the hub is "
            f"connected to"
            for what, form in followed.items()
            if isinstance(form, MqttForm) and not self._foreign.via(form)
        ]
        unreached = [
            f"property {name}: no form of its description leads to it"
            for name in (
                *(v.wire_name for v in offer.values if not v.kind.moment),
                *(s.wire_name for s in offer.settings),
            )
            if part_of(name)[0] not in reach.properties
        ]
        fields: dict[str, str] = {}
        strict = read_forms(description, url).left_out
        for text in (*offer.left_out, *strict, *brokers, *unreached):
            fields.setdefault(text.partition(":")[0], text)
        return msgspec.structs.replace(
            offer,
            values=tuple(
                v
                for v in offer.values
                if (v.wire_name in events if v.kind.moment else part_of(v.wire_name)[0] in here)
            ),
            settings=tuple(s for s in offer.settings if s.wire_name in here),
            actions=tuple(a for a in offer.actions if a.wire_name in reach.actions),
            left_out=tuple(fields.values()),
        )

    def announced(self) -> Sequence[str]:
        """The name by which the hub is found."""
        return [self._discovery.host] if self._discovery.host else []

    def listening(self) -> str:
        """Where nodes connect."""
        parts = [f"MQTT on port {self.port}"]
        if self._listener.secured:
            parts.append(f"over TLS on {self._listener.tls_port}")
        parts.append("HTTP at /api/intake")
        if not self._discovery.problem:
            parts.append("nodes that announce themselves")
        if (broker := self._foreign.broker) is not None:
            away = "" if broker.connected else " (not connected)"
            parts.append(f"the broker at {broker.address}{away}")
        return ", ".join(parts)

    def checks(self) -> list[Check]:
        """How the door, the broker, the certificate and the looking for nodes are."""
        here = len(
            {c.rights.account for c in self.door.connections.values() if c.rights is not None}
        )
        result = [Check("MQTT listener", "ok", f"open on port {self.port}; connected: {here}")]
        if self._settings.tls is not None:
            result.append(certificate_check(self._settings.tls))
        elif self._listener.problem:
            advice = "set mqtt.tls_port in hombi.toml"
            result.append(Check("MQTT over TLS", "fault", self._listener.problem, advice))
        elif self._listener.secured:
            text = f"on port {self._listener.tls_port}, with the certificate of HTTPS"
            result.append(Check("MQTT over TLS", "ok", text))
        if self._foreign.broker is not None:
            result.append(self._foreign.broker.check())
        if self._discovery.problem:
            advice = "nodes are then added by their address"
            state = "ok" if self._settings.discovery == "off" else "warning"
            result.append(Check("finding nodes", state, self._discovery.problem, advice))
        else:
            result.append(
                Check(
                    "finding nodes",
                    "ok",
                    f"nodes that announce themselves now: {len(self._discovery.known())}",
                )
            )
        return result

    def _to_node(self, node: str, topic: str, payload: bytes) -> None:
        once = topic == wanted_topic(node)  # an action is another one each time
        if not self.door.command(Publish(topic, payload, qos=1), once=once):
            raise Unreachable(
                f"{node} is not connected, and keeps no session that could hold a command for it"
            )

    def _published(self, account: str, message: Publish, acknowledge: Acknowledge) -> None:
        self._foreign.came(
            "door",
            account,
            message.topic,
            message.payload,
            message.qos,
            False,
            partial(with_reason, acknowledge),
        )

    # Nodes that announce themselves

    def _announced(self, url: str) -> None:
        known = any(link.reach.get("url") for link in self._known.values())
        if self._pairing or known:
            self._work.start(self._fetch(url), name=f"fetching {url}")

    async def _fetch(self, url: str) -> None:
        try:
            result = await self.look(url)
        except LinkError as error:
            if self._pairing:
                self._reports.refused("", f"a node that announces itself cannot be used: {error}")
            return
        self._reports.found(result)
