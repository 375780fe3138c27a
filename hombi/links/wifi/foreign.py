"""Nodes that do not know Hombi, over MQTT: what is picked out of their messages, at the
hub's own door or at the house's broker, and what is published so that they take a
value."""

from __future__ import annotations

import asyncio
import secrets
import time
from collections.abc import Callable
from functools import partial

from msgspec.structs import replace

from hombi.core.outcome import Acknowledge, Outcome, after
from hombi.links.base import Clock, Heard, LinkError, OwnReports, Unreachable, Wired
from hombi.links.pace import Pace, cost_of
from hombi.links.thing_description import part_of
from hombi.links.wifi.broker import Broker
from hombi.links.wifi.forms import MqttForm, Reach
from hombi.links.wifi.mqtt.decoding import MAX_PACKET
from hombi.links.wifi.mqtt.door import Door
from hombi.links.wifi.mqtt.packets import Publish
from hombi.links.wifi.picks import Picks, Sent
from hombi.links.wifi.settings import BrokerSettings
from hombi.links.work import Work

CLIENT_KEY = "broker client"
FLOODS_EVERY_S = 1.0


class Foreign:
    """What foreign nodes say and are told. `ports` are those of the hub's own door;
    `client_id` is what the hub called itself at the broker, "" for nothing yet."""

    def __init__(
        self,
        link: str,
        reports: OwnReports,
        clock: Clock,
        work: Work,
        door: Door,
        ports: Callable[[], tuple[int, int]],
        client_id: str,
    ) -> None:
        self._link, self._reports, self._clock, self._work = link, reports, clock, work
        self._door, self._ports, self._client_id = door, ports, client_id
        self.picks = Picks()
        self.broker: Broker | None = None
        self._paces: dict[str, Pace] = {}

    def came(
        self,
        via: str,
        sender: str,
        topic: str,
        payload: bytes,
        qos: int,
        retained: bool,
        acknowledge: Acknowledge,
    ) -> None:
        """A message came in that is none of Hombi's own."""
        whose = self.picks.whose(via, topic)
        self._reports.heard(
            Heard(via, topic, payload, sender, whose[0] if whose else "", qos, retained)
        )
        if retained or not whose:
            # What a broker kept is of no known time: it is shown, and taken for no
            # reading.
            acknowledge(Outcome.SAFE)
            return
        if len(payload) > MAX_PACKET:  # a broker carries larger ones than the hub's own door
            what = f"a message under {topic[:60]} has {len(payload) // 1024} kB"
            limit = f"the hub reads messages of up to {MAX_PACKET // 1024} kB"
            self._reports.refused(whose[0], f"{what}; {limit}")
            acknowledge(Outcome.REFUSED)
            return
        pace = self._paces.setdefault(whose[0], Pace())
        pace.fill(time.monotonic())
        if not pace.take(cost_of(len(payload))) and qos == 0:
            pace.dropped += 1
            return
        late = via == "broker" and self.broker is not None and self.broker.catches_up
        now, refused = self._clock.now_ms(), self._reports.refused
        values = self.picks.pick(via, topic, payload, now, refused, late=late)
        if late and not values:
            acknowledge(Outcome.SAFE)
            return
        if not values:
            acknowledge(Outcome.REFUSED)
        safe = after(len(values), acknowledge)
        for node, resolved in values.items():
            self._reports.presence(node, here=True)
            self._reports.observed(node, resolved, safe)

    async def report_floods(self) -> None:
        """Say which nodes send more than is taken, for ever."""
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

    async def connect(self, settings: BrokerSettings | None) -> None:
        """Connect to the house's broker, in place of the one before; None for none."""
        await self.disconnect()
        if settings is None:
            return
        if not self._client_id:
            self._client_id = f"hombi-{secrets.token_hex(6)}"
            self._reports.keep(CLIENT_KEY, {"id": self._client_id})
        self.broker = Broker(
            settings,
            self._client_id,
            partial(self.came, "broker", ""),
            self._broker_changed,
            self._work,
        )
        self.listen()
        await self.broker.start()

    async def disconnect(self) -> None:
        """Let go of the broker."""
        if self.broker is not None:
            await self.broker.stop()
            self.broker = None

    def _broker_changed(self, connected: bool, why: str) -> None:
        assert self.broker is not None
        if not connected:
            self._reports.trouble(
                self._link, f"the broker at {self.broker.address} is away: {why}; it is tried again"
            )
        else:
            self._reports.trouble(self._link, "")

    def listen(self) -> None:
        """Have the broker send what is picked from."""
        if self.broker is not None:
            for topic in self.picks.topics("broker"):
                self.broker.listen(topic)

    def over_mqtt(self, wired: Wired, reach: Reach) -> Wired:
        """The entity with what the forms over MQTT of its description come to."""
        whole, pointer = part_of(wired.name)
        ways, source, sink = reach.properties.get(whole), wired.source, wired.sink
        event = reach.events.get(wired.name) if wired.kind.moment else None
        if isinstance(event, MqttForm) and (via := self.via(event)):
            source = {"via": via, "topic": event.topic}
        if (
            ways is not None
            and isinstance(ways.observe, MqttForm)
            and (via := self.via(ways.observe))
        ):
            source = {"via": via, "topic": ways.observe.topic, "pointer": pointer}
        if ways is not None and isinstance(ways.write, MqttForm) and (via := self.via(ways.write)):
            template = "{true|false}" if wired.kind.two_states else "{value}"
            sink = {
                "via": via,
                "topic": ways.write.topic,
                "payload": template,
                "qos": ways.write.qos,
                "retain": ways.write.retain,
            }
        return replace(wired, source=source, sink=sink)

    def via(self, form: MqttForm) -> str:
        """Where a form's broker is reached: "door", "broker", or "" when it is none of
        ours."""
        if self.broker is not None and self.broker.is_at(form.host, form.port):
            return "broker"
        return "door" if form.port in self._ports() else ""

    def publish(self, sent: Sent, *, once: bool = True) -> None:
        """Publish where it is heard; with `once` the same waits once for who sleeps.
        Raises LinkError."""
        if sent.via == "broker":
            if self.broker is None:
                raise LinkError(
                    "no broker is set in hombi.toml any more; this entity is written over one"
                )
            self.broker.publish(sent.topic, sent.payload, sent.qos, sent.retain)
            return
        message = Publish(sent.topic, sent.payload, min(sent.qos, 1), sent.retain)
        if sent.retain:
            self._door.route(message)
        elif not self._door.command(message, once=once):
            raise Unreachable(f"nobody listens to {sent.topic} at the hub's MQTT listener")
