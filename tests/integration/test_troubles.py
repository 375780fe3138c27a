"""Trouble in the house: a node that floods, a full disk, a database that somebody else
holds."""

from __future__ import annotations

import json
import resource
import sqlite3
import threading
import time
from pathlib import Path
from typing import Any

import httpx

from hombi.links import pace
from tests.conftest import make_service
from tests.house import CLIMATE, Joined, Service, description, let_in, until

COUNT = {"count": {"type": "number", "readOnly": True}}


class Flood:
    """One node that publishes 10,000 messages a second, or as many as it is let."""

    def __init__(self, node: Joined) -> None:
        self.node, self.sent = node, 0
        self.client = node.mqtt("flood")
        self.client.max_inflight_messages_set(0)
        self.client.connect("127.0.0.1", node.service.mqtt_port)
        self.client.loop_start()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def _run(self) -> None:
        began = time.monotonic()
        while not self._stop.is_set():
            if self.sent < (time.monotonic() - began) * 10_000:
                for _ in range(100):
                    self.client.publish(
                        self.node.topics["readings"], b'[{"n":"count","v":1}]', qos=0
                    )
                self.sent += 100
            else:
                time.sleep(0.001)

    @property
    def running(self) -> bool:
        return self._thread.is_alive() and self.client.is_connected()

    def __enter__(self) -> Flood:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        self._thread.join()
        self.client.disconnect()
        self.client.loop_stop()


def test_a_node_that_floods_delays_nobody_and_is_named(service: Service, rack: Joined) -> None:
    flooding = let_in(service, description("Mad counter", **COUNT))
    began = time.monotonic()
    with service.hub() as hub:
        before = hub.house().readings_committed
    with Flood(flooding) as flood, service.hub() as hub, rack.connected() as client:
        until(lambda: flood.sent > 8_000, 30)
        for n in range(50):
            rack.publish(client, [{"n": "humidity", "v": 40 + n % 20}])
        assert flood.running, "all were acknowledged while the other was flooding"
        (entry,) = until(
            lambda: list(hub.journal(event="MessageRefused", node="mad-counter"))[:1], 30
        )
        taken = hub.house().readings_committed - before
        spent_s = time.monotonic() - began
    assert "messages a second" in entry.text
    flooded = taken - 50
    assert 1_000 < flooded <= pace.BURST + pace.RATE_PER_S * spent_s, (
        "of the flood only its share is taken"
    )
    with service.hub() as hub:
        assert next(n.refused for n in hub.nodes.list() if n.node == "mad-counter") > 0


def test_a_full_disk_holds_readings_says_so_and_writes_them_when_there_is_room(
    tmp_path: Path,
) -> None:
    service = make_service(tmp_path).start()
    service.sign_in_first()
    node = let_in(service, description("Counter", **COUNT))
    pid = service.process.pid if service.process else 0
    unlimited = resource.prlimit(pid, resource.RLIMIT_FSIZE)
    begin = round(time.time()) - 10_000
    try:
        # No file of the hub's may grow any more: to the database, that is a full disk.
        resource.prlimit(pid, resource.RLIMIT_FSIZE, (4096, unlimited[1]))
        answered: list[httpx.Response] = []
        packs = [
            [{"n": "count", "t": begin + 100 * p + n, "v": 100 * p + n} for n in range(100)]
            for p in range(30)
        ]
        senders = [
            threading.Thread(target=lambda pack=pack: answered.append(node.post(pack)))
            for pack in packs
        ]
        for sender in senders:
            sender.start()
        with service.hub() as hub:
            held = until(lambda: hub.house().readings_held == 3000)
            assert held
            (need,) = [need for need in hub.house().needs if "cannot be written" in need.text]
            assert "held in memory" in need.text
            assert not answered, "nothing is acknowledged that is not safe"
            (check,) = [c for c in hub.doctor() if c.part == "database"]
            assert check.state == "fault"
            assert hub.entities.get("counter/count").value == 2999, "it is seen all the same"
            assert service.hombi("status").stdout.count("cannot be written") == 1
            refused = service.hombi("node", "move", "counter", "Loft")
            assert "the database cannot be written now" in refused.stderr.replace("\n", " "), (
                refused.stderr
            )
            resource.prlimit(pid, resource.RLIMIT_FSIZE, unlimited)
            for sender in senders:
                sender.join(30)
            assert [a.json()["stored"] for a in answered] == [100] * 30
            assert [r.value for r in hub.entities.readings("counter/count", begin * 1000)] == list(
                range(3000)
            )
            assert not [need for need in hub.house().needs if "cannot be written" in need.text]
            # The journal is written a moment after the readings.
            until(lambda: any(e.event == "WritingResumed" for e in hub.journal()))
            resumed, *failed = [e for e in hub.journal() if e.event.startswith("Writing")][:5]
            assert resumed.text == "readings are saved again; 3000 were held in memory"
            assert {e.event for e in failed} == {"WritingFailed"}, (
                "what the full disk kept out of the journal came in after it"
            )
    finally:
        resource.prlimit(pid, resource.RLIMIT_FSIZE, unlimited)
        service.stop()


def test_a_locked_database_is_waited_for(service: Service) -> None:
    node = let_in(service, description("Patient", **COUNT))
    start = round(time.time()) - 5000
    other = sqlite3.connect(service.data / "hub.sqlite3", timeout=5, isolation_level=None)
    answered: list[Any] = []

    def send() -> None:
        with node.connected() as client:
            for n in range(20):
                client.publish(
                    node.topics["readings"],
                    json.dumps([{"n": "count", "t": start + n, "v": n}]),
                    qos=1,
                ).wait_for_publish(30)
                answered.append(n)

    other.execute("BEGIN EXCLUSIVE")
    sending = threading.Thread(target=send)
    sending.start()
    time.sleep(1.5)
    assert answered == []
    with service.hub() as hub:
        assert hub.house().readings_held == 1, "it is answered meanwhile, and says what it holds"
    other.execute("ROLLBACK")
    other.close()
    sending.join(30)
    assert answered == list(range(20))
    with service.hub() as hub:
        assert [r.value for r in hub.entities.readings("patient/count", start * 1000)] == list(
            range(20)
        )


def test_readings_kept_by_a_sender_come_in_with_their_own_times_in_any_order(
    service: Service,
) -> None:
    node = let_in(service, description("Keeper", **CLIMATE))
    start = round(time.time()) - 4 * 3600
    numbers = [7, 3, 9, 0, 1, 8, 2, 6, 5, 4]
    node.post([{"n": "humidity", "v": 50}])
    with node.connected() as client:
        for n in numbers:
            node.publish(client, [{"n": "humidity", "t": start + n * 60, "v": 60 + n}])
    again = [{"n": "humidity", "t": start + n * 60, "v": 60 + n} for n in numbers]
    assert node.post(again).json()["stored"] == 10, "sent again, it changes nothing"
    with service.hub() as hub:
        result = [
            (r.at // 1000 - start, r.value)
            for r in hub.entities.readings("keeper/humidity", start * 1000)
        ]
        assert result[:10] == [(n * 60, 60 + n) for n in range(10)]
        assert hub.entities.get("keeper/humidity").value == 50, "the latest is still the latest"
