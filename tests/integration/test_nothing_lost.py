"""What was acknowledged survives `kill -9`, several times under load; and what was begun goes on after it."""

from __future__ import annotations

import json
import threading
import time
from typing import Any

from tests.house import CLIMATE, PLUG, Service, description, let_in, until


class Sender(threading.Thread):
    """Publishes numbered readings as fast as it can until its connection drops; knows which were acknowledged."""

    def __init__(self, node: Any, start_s: float, first: int) -> None:
        super().__init__(daemon=True)
        self.node, self.start_s, self.next = node, start_s, first
        self.numbers: dict[int, int] = {}
        self._mids: set[int] = set()
        self.client = node.mqtt("sender")
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
            payload = json.dumps([{"n": "count", "t": round(self.start_s + self.next / 100, 2), "v": self.next}])
            info = self.client.publish(self.node.topics["readings"], payload, qos=1)
            if info.rc == 0:
                self.numbers[info.mid] = self.next
                self.next += 1
            else:
                time.sleep(0.002)
        self.client.loop_stop()


def test_kill_9_under_load_loses_no_acknowledged_reading(own_service: Service) -> None:
    own_service.start()
    own_service.claim()
    node = let_in(own_service, description("Counter", count={"type": "number", "readOnly": True}))
    start_s, acknowledged, first = round(time.time()) - 20_000, set[int](), 0
    for _ in range(5):
        sender = Sender(node, start_s, first)
        sender.start()
        until(lambda sender=sender: len(sender.acknowledged) > 600, 20)
        own_service.kill()
        sender.join(10)
        acknowledged |= sender.acknowledged
        first = sender.next
        own_service.start()
    with own_service.hub() as hub:
        stored = {round(r.value) for r in hub.readings("counter/count", round(start_s * 1000))}
    assert len(acknowledged) > 3000
    assert acknowledged <= stored, f"lost: {sorted(acknowledged - stored)[:10]}"


def test_kill_9_loses_no_reading_that_was_answered_over_http(own_service: Service) -> None:
    own_service.start()
    own_service.claim()
    node = let_in(own_service, description("Counter", count={"type": "number", "readOnly": True}))
    start = round(time.time()) - 5000
    for number in range(3):
        assert node.post([{"n": "count", "t": start + number, "v": number}]).json()["stored"] == 1
        own_service.kill()
        own_service.start()
    with own_service.hub() as hub:
        assert [r.value for r in hub.readings("counter/count", start * 1000)] == [0, 1, 2]


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
        until(lambda: hub.automation("dry").phase == "on", 10)
        assert 5.5 < time.time() - began < 9, "on time, not a hold later"
        until(lambda: hub.entity("cellar-mister/switch").value == 1.0)
        (start,) = hub.journal(event="AutomationStarted")
        assert start.text == "Dry started: 70.0 % under 82 %, held for 6 s"
