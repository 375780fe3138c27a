"""A simulated node: asks to join, keeps its key, reports, and does what it is asked."""

from __future__ import annotations

import asyncio
import hashlib
import hmac
import json
import random
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx

from hombi.core.senml import Record, decode, encode
from hombi.lab.heron_mill import NodePlan
from hombi.lab.mqtt_client import MqttClient, Refused
from hombi.lab.physics import Mill
from hombi.lab.property import Property
from hombi.links.wifi.mqtt import packets as p

ASK_EVERY_S = 0.4
KNOCK_EVERY_S = 3.0
AGAIN_AFTER_S = 1.0
KEEP_ALIVE_S = 30
PACK = 500


@dataclass
class Letter:
    """What a node keeps of its joining: its address, key and topics."""

    node: str
    key: str
    port: int
    readings: str
    wanted: str
    presence: str


def record(prop: Property, mill: Mill, at_s: float | None = None) -> Record:
    """One SenML record of a property as it is now; without a time it means now."""
    value = prop.sense(mill)
    time = 0.0 if at_s is None else round(at_s, 3)
    if prop.type == "boolean":
        return Record(n=prop.name, vb=bool(value), t=time)
    return Record(n=prop.name, u=prop.unit, v=round(float(value), 3), t=time)


class LabNode:
    """One node of the mill. Its key is kept in a file, as a board keeps it in its
    flash."""

    def __init__(self, plan: NodePlan, mill: Mill, hub_url: str, flash: Path, speed: float) -> None:
        self.plan, self._mill, self._hub_url, self._flash, self._speed = (
            plan,
            mill,
            hub_url,
            flash,
            speed,
        )
        self._changed = asyncio.Event()
        self._sent: dict[str, float | bool] = {}
        self.settings: dict[str, Any] = {
            name: one["default"] for name, one in plan.settings.items()
        }
        self.letter: Letter | None = None
        if flash.exists():
            self.letter = Letter(**json.loads(flash.read_text()))

    async def join(self, http: httpx.AsyncClient) -> None:
        """Ask to join until somebody lets it in."""
        plan = self.plan
        code = plan.setup_code.replace("-", "").encode()
        proof = hmac.new(code, plan.thing_id.encode(), hashlib.sha256).hexdigest()
        while self.letter is None:
            try:
                asked = await http.post(
                    "/api/arrivals", json={"description": plan.description(), "proof": proof}
                )
                if asked.status_code == 202:
                    await self._wait(http, asked.json())
                    continue
            except httpx.HTTPError:
                pass  # a busy hub, or none: knocking again is all a node can do
            await asyncio.sleep(KNOCK_EVERY_S)

    async def _wait(self, http: httpx.AsyncClient, ticket: dict[str, Any]) -> None:
        while True:
            outcome = await http.get(
                ticket["outcome"], headers={"Authorization": f"Bearer {ticket['ticket']}"}
            )
            answer = outcome.json()
            if outcome.status_code != 200 or answer["state"] in ("turned-away", "locked"):
                return
            if answer["state"] == "admitted":
                mqtt = answer["mqtt"]
                self.letter = Letter(
                    answer["node"],
                    answer["key"],
                    mqtt["port"],
                    mqtt["readings"],
                    mqtt["wanted"],
                    mqtt["presence"],
                )
                self._flash.write_text(json.dumps(self.letter.__dict__))
                self._flash.chmod(0o600)
                return
            await asyncio.sleep(ASK_EVERY_S)

    async def upload(self, http: httpx.AsyncClient, records: Sequence[Record]) -> None:
        """Send what it kept in memory, by HTTP, in packs that a board has room for."""
        assert self.letter is not None
        for begin in range(0, len(records), PACK):
            answer = await http.post(
                "/api/intake",
                content=encode(list(records[begin : begin + PACK])),
                auth=(self.letter.node, self.letter.key),
                timeout=60,
            )
            answer.raise_for_status()

    async def run(self, http: httpx.AsyncClient) -> None:
        """Join, then report for ever; a connection that drops is made again."""
        while True:
            try:
                await self.join(http)
                await (self._over_mqtt() if self.plan.talks == "mqtt" else self._over_http(http))
            except (OSError, Refused, httpx.HTTPError):
                await asyncio.sleep(AGAIN_AFTER_S)

    async def _over_http(self, http: httpx.AsyncClient) -> None:
        while True:
            await self.upload(http, self._report(everything=True))
            await asyncio.sleep(self.plan.every_s / self._speed)

    async def _over_mqtt(self) -> None:
        assert self.letter is not None
        letter = self.letter
        hello = p.Connect(
            letter.node,
            clean=False,
            keep_alive=KEEP_ALIVE_S,
            username=letter.node,
            password=letter.key.encode(),
            will=p.Publish(letter.presence, b"gone", 1, retain=True),
        )
        host = httpx.URL(self._hub_url).host
        async with MqttClient.connect(host, letter.port, hello, self._asked) as (client, ended):
            client.subscribe(letter.wanted)
            await client.publish(letter.presence, b"here", retain=True)
            self._next_full = 0.0
            loop = asyncio.get_running_loop()
            while not ended.done():
                self._changed.clear()
                full = loop.time() >= self._next_full
                if full:
                    self._next_full = (
                        loop.time() + self.settings.get("interval", self.plan.every_s) / self._speed
                    )
                records = self._report(everything=full)
                if records:
                    await client.publish(letter.readings, encode(records))
                try:
                    async with asyncio.timeout(max(0.02, min(1.0, self._next_full - loop.time()))):
                        await self._changed.wait()
                except TimeoutError:
                    pass
            ended.result()

    def _report(self, *, everything: bool) -> list[Record]:
        """All values when it is time, else only the states that changed: a door does
        not wait for its turn."""
        records = []
        for prop in self.plan.properties:
            value = prop.sense(self._mill)
            if everything or (prop.type == "boolean" and value != self._sent.get(prop.name)):
                records.append(record(prop, self._mill))
                self._sent[prop.name] = value
        if everything:
            for name, value in self.settings.items():
                records.append(
                    Record(n=name, vs=value) if isinstance(value, str) else Record(n=name, v=value)
                )
        return records

    def _asked(self, message: p.Publish) -> None:
        """A command: done after the moment that a relay takes, and confirmed by the
        next report."""
        if message.topic.endswith("/actions"):
            return
        for wanted in decode(message.payload):
            if isinstance(wanted, str):
                continue
            if wanted.n in self.settings:
                self.settings[wanted.n] = wanted.vs if isinstance(wanted.vs, str) else wanted.v
                self._next_full = 0.0
                self._changed.set()
            for prop in self.plan.properties:
                if prop.name == wanted.n and prop.switches:
                    asyncio.get_running_loop().call_later(
                        random.uniform(0.02, 0.08), self._set, prop, wanted.vb is True
                    )

    def _set(self, prop: Property, value: bool) -> None:
        setattr(self._mill.devices, prop.switches, value)
        self._sent.pop(prop.name, None)
        self._changed.set()
