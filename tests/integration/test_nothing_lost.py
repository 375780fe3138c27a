"""What was acknowledged survives `kill -9`, several times under load; and what was begun goes on after it."""

from __future__ import annotations

import contextlib
import json
import os
import random
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import httpx

from tests.broker import Broker
from tests.conftest import make_service
from tests.house import CLIMATE, PLUG, Joined, Service, description, let_in, until

KILLS = int(os.environ.get("KILLS", "12"))  # `make soak` has 50


class DoorSender(threading.Thread):
    """Publishes numbered readings as fast as it can until its connection drops; knows which were acknowledged."""

    def __init__(self, node: Joined, start_s: float, first: int) -> None:
        super().__init__(daemon=True)
        self.node, self.start_s, self.next = node, start_s, first
        self.numbers: dict[int, int] = {}
        self._mids: set[int] = set()
        self.client = node.mqtt("sender", again=False)
        self.client.max_queued_messages_set(400)
        self.client.on_publish = lambda c, u, mid, *_: self._mids.add(mid)
        self.dropped = threading.Event()
        self.client.on_disconnect = lambda *_: self.dropped.set()
        self.client.connect("127.0.0.1", node.service.mqtt_port)
        self.client.loop_start()

    @property
    def acknowledged(self) -> set[int]:
        """The numbers whose PUBACK came; one that comes before its identifier is noted counts a moment later."""
        return {self.numbers[mid] for mid in list(self._mids) if mid in self.numbers}

    def run(self) -> None:
        while not self.dropped.is_set():
            info = self.client.publish(self.node.topics["readings"], json.dumps(numbered(self.start_s, self.next)), qos=1)
            if info.rc == 0:
                self.numbers[info.mid] = self.next
                self.next += 1
            else:
                time.sleep(0.002)
        self.client.loop_stop()


class PostSender(threading.Thread):
    """Posts numbered readings one by one until the hub does not answer."""

    def __init__(self, node: Joined, start_s: float, first: int) -> None:
        super().__init__(daemon=True)
        self.node, self.start_s, self.next, self.acknowledged = node, start_s, first, set[int]()

    def run(self) -> None:
        with httpx.Client(auth=(self.node.node, self.node.key)) as http, contextlib.suppress(httpx.TransportError):
            while True:
                pack = json.dumps(numbered(self.start_s, self.next))
                if http.post(f"{self.node.service.url}/api/intake", content=pack).json()["stored"] == 1:
                    self.acknowledged.add(self.next)
                self.next += 1


class BrokerSender(threading.Thread):
    """Publishes at the house's broker all the while, also while the hub is gone; knows what the broker has taken."""

    def __init__(self, broker: Broker, wheel: str, start_s: float) -> None:
        super().__init__(daemon=True)
        self.client, self.start_s, self.stop = broker.client(wheel), start_s, threading.Event()
        self.topic = f"mill/{wheel}/turns"
        self.taken: list[int] = []

    def run(self) -> None:
        number = 0
        while not self.stop.is_set():
            payload = json.dumps({"v": number, "t": self.start_s + number})
            self.client.publish(self.topic, payload, qos=1).wait_for_publish(30)
            self.taken.append(number)
            number += 1
            time.sleep(0.005)
        self.client.disconnect()
        self.client.loop_stop()


def numbered(start_s: float, number: int) -> list[dict[str, Any]]:
    return [{"n": "count", "t": round(start_s + number / 100, 2), "v": number}]


def stored(service: Service, entity: str, start_s: float) -> set[int]:
    with service.hub() as hub:
        return {round(r.value) for r in hub.readings(entity, round(start_s * 1000))}


def kill_again_and_again(service: Service, broker: Broker, kills: int, wheel: str) -> None:
    """A hub is killed while readings come over the door, by HTTP and by the house's broker at once; then all is counted."""
    broker.name_to(service)
    service.start()
    service.claim()
    count = {"count": {"type": "number", "readOnly": True}}
    nodes = [let_in(service, description(name, **count)) for name in ("Knocker", "Poster")]
    with service.hub() as hub:
        hub.pick(via="broker", topic="mill/{node}/turns", pointer="/v", at="/t", kind="number", title="Turns", nodes=[wheel])
    start_s = round(time.time()) - 200_000
    at_broker = BrokerSender(broker, wheel, start_s)
    at_broker.start()
    acknowledged, first, seed = (set[int](), set[int]()), [0, 0], random.Random(wheel)
    for _ in range(kills):
        senders = [DoorSender(nodes[0], start_s, first[0]), PostSender(nodes[1], start_s, first[1])]
        for sender in senders:
            sender.start()
        until(lambda senders=senders: len(senders[0].acknowledged) > 50 and len(senders[1].acknowledged) > 3, 30)
        time.sleep(seed.random() / 5)
        service.kill()
        for place, sender in enumerate(senders):
            sender.join(30)
            acknowledged[place].update(sender.acknowledged)
            first[place] = sender.next + 1
        service.start()
    at_broker.stop.set()
    at_broker.join(30)
    until(lambda: max(at_broker.taken) in stored(service, f"{wheel}/turns", start_s), 30)
    found = [stored(service, entity, start_s) for entity in ("knocker/count", "poster/count", f"{wheel}/turns")]
    assert len(acknowledged[0]) > 50 * kills
    assert len(acknowledged[1]) > 3 * kills
    assert len(at_broker.taken) > 10 * kills
    for kept, promised in zip(found, (*acknowledged, set(at_broker.taken)), strict=True):
        assert promised <= kept, f"lost: {sorted(promised - kept)[:10]}"


def test_kills_under_load_lose_no_acknowledged_reading(tmp_path: Path) -> None:
    """Two hubs take turns, since a hub that starts leaves a processor half idle."""
    broker = Broker(tmp_path / "broker").start()
    services = [make_service(tmp_path / name) for name in ("upper", "lower")]
    try:
        with ThreadPoolExecutor() as both:
            ways = zip(services, ("upper-wheel", "lower-wheel"), strict=True)
            for done in [both.submit(kill_again_and_again, service, broker, KILLS // 2, wheel) for service, wheel in ways]:
                done.result()
    finally:
        for service in services:
            service.kill()
        broker.stop()


def test_a_sleeping_nodes_command_outlives_a_killed_hub(own_service: Service) -> None:
    own_service.start()
    own_service.claim()
    hatch = let_in(own_service, description("Sleepy hatch", **PLUG))
    with hatch.connected(clean=False):
        pass
    with own_service.hub() as hub:
        assert hub.command("sleepy-hatch/switch", "on").state == "unanswered"
    own_service.kill()
    own_service.start()
    with hatch.connected(clean=False), own_service.hub() as hub:
        until(lambda: hub.entity("sleepy-hatch/switch").value == 1.0)


def test_a_killed_hub_comes_back_with_its_house_holds_and_latest_readings(own_service: Service) -> None:
    own_service.start()
    own_service.claim()
    rack = let_in(own_service, description("Cellar rack", **CLIMATE))
    mister = let_in(own_service, description("Cellar mister", **PLUG))
    text = (
        'name = "Dry"\n[watch]\nentity = "cellar-rack/humidity"\nunder = "82 %"\nheld = "6 s"\n'
        '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
    )
    with own_service.hub() as hub:
        hub.add_automation(text)
    rack.post([{"n": "humidity", "v": 70}])
    began = time.time()
    with own_service.hub() as hub:
        until(lambda: hub.automation("dry").phase == "holding")
    own_service.kill()
    own_service.start()
    with mister.connected(), own_service.hub() as hub:
        assert hub.entity("cellar-rack/humidity").value == 70
        assert hub.automation("dry").text == text
        until(lambda: hub.automation("dry").phase == "on")
        assert time.time() - began > 5.5, "not before its hold"
        until(lambda: hub.entity("cellar-mister/switch").value == 1.0)
        (start,) = until(lambda: list(hub.journal(event="AutomationStarted")))
        assert start.text == "Dry started: 70.0 % under 82 %, held for 6 s"
