"""A disk that is full until the hub can hold no more: what it refuses then comes
through by itself once there is room, over each way in."""

from __future__ import annotations

import contextlib
import json
import resource
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import paho.mqtt.client as paho
import pytest
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties

from tests.broker import Broker
from tests.conftest import make_service
from tests.house import Joined, Service, description, let_in, started_after, until

COUNT = {"count": {"type": "number", "readOnly": True}}
# How many readings the hub of the test holds; 200,000 are sent in half a minute.
HELD, A_PACK = 3_000, 1_000
# "Quota exceeded". paho releases a message of QoS 2 all the same (PUBREL), and is told
# that there is none of that number.
REFUSED = {1: {0x97}, 2: {0x92}}


class Board:
    """A node that publishes numbers and sends again what is not acknowledged: over
    3.1.1 that is the protocol's own work; in MQTT 5 it is its program's, once it was
    told that the hub could not take a message."""

    def __init__(self, node: Joined, version: int, qos: int) -> None:
        self.node, self.qos, self.reasons = node, qos, list[int]()
        self._sent: dict[int, str] = {}
        self.left: set[str] = set()
        five = version == 5
        self.client = paho.Client(
            paho.CallbackAPIVersion.VERSION2,
            node.node,
            protocol=paho.MQTTv5 if five else paho.MQTTv311,
            **({} if five else {"clean_session": False}),
        )
        self.client.username_pw_set(node.node, node.key)
        self.client.reconnect_delay_set(1, 1)
        self.client.on_publish = self._answered
        ready = threading.Event()
        self.client.on_connect = lambda *_: ready.set()
        more: dict[str, Any] = {}
        if five:
            kept = Properties(PacketTypes.CONNECT)
            kept.SessionExpiryInterval = 3600
            more = {"clean_start": False, "properties": kept}
        self.client.connect("127.0.0.1", node.service.mqtt_port, **more)
        self.client.loop_start()
        assert ready.wait(30)

    def send(self, values: list[int]) -> None:
        for value in values:
            payload = json.dumps([{"n": "count", "t": 1_780_000_000 + value, "v": value}])
            self.left.add(payload)
            self._publish(payload)

    def _publish(self, payload: str) -> None:
        info = self.client.publish(self.node.topics["readings"], payload, qos=self.qos)
        self._sent[info.mid] = payload

    def _answered(self, _: Any, __: Any, mid: int, reason: Any, ___: Any) -> None:
        payload = self._sent.pop(mid, None)
        if reason is not None and reason.value >= 0x80:
            self.reasons.append(reason.value)
            if payload is not None:
                threading.Timer(1.0, self._publish, (payload,)).start()
        elif payload is not None:
            self.left.discard(payload)

    def stop(self) -> None:
        self.client.disconnect()
        self.client.loop_stop()


@contextlib.contextmanager
def full_disk(pid: int) -> Iterator[Callable[[], None]]:
    """No file of the hub's may grow any more, until what is yielded is called."""
    unlimited = resource.prlimit(pid, resource.RLIMIT_FSIZE)
    resource.prlimit(pid, resource.RLIMIT_FSIZE, (4096, unlimited[1]))
    try:
        yield lambda: resource.prlimit(pid, resource.RLIMIT_FSIZE, unlimited)
    finally:
        resource.prlimit(pid, resource.RLIMIT_FSIZE, unlimited)


def fill(filler: Joined) -> paho.Client:
    """Send until the hub holds as much as it can."""
    client = filler.mqtt()
    client.connect("127.0.0.1", filler.service.mqtt_port)
    client.loop_start()
    for pack in range(HELD // A_PACK + 1):
        records = [{"n": "count", "v": n} for n in range(pack * A_PACK, (pack + 1) * A_PACK)]
        records = [{"bt": 1_780_000_000 + pack * A_PACK, **records[0]}, *records[1:]]
        for n, record in enumerate(records):
            record["t"] = n
        client.publish(filler.topics["readings"], json.dumps(records, separators=(",", ":")), qos=1)
    with filler.service.hub() as hub:
        until(lambda: hub.house().readings_held >= HELD)
    return client


def test_what_a_full_disk_refused_comes_through_by_itself(tmp_path: Path) -> None:
    broker = Broker(tmp_path / "broker").start()
    service = make_service(tmp_path / "hub")
    broker.name_to(service, "5")
    boards: dict[tuple[int, int], Board] = {}
    filling: paho.Client | None = None
    few = f"import hombi.hub.readings.writer as writer\nwriter.MAX_HELD = {HELD}"
    with contextlib.ExitStack() as stack:
        stack.callback(broker.stop)
        hub_process = stack.enter_context(started_after(service, few))
        service.sign_in_first()
        for version in (4, 5):
            for qos in (1, 2):
                joined = let_in(service, description(f"Board {version}{qos}", **COUNT))
                boards[version, qos] = Board(joined, version, qos)
        posting = let_in(service, description("Board post", **COUNT))
        filler = let_in(service, description("Filler", **COUNT))
        foreign = broker.client("herb-bed")
        foreign.publish("mill/herb-bed/state", '{"n": 0}', qos=1).wait_for_publish(30)
        with service.hub() as hub:
            until(lambda: hub.messages.list(topic="mill/herb-bed/state"))
            hub.messages.pick(
                via="broker", topic="mill/{node}/state", pointer="/n", kind="count",
                title="Count", nodes=["herb-bed"],
            )  # fmt: skip
        with full_disk(hub_process.pid) as free:
            filling = fill(filler)
            for board in boards.values():
                board.send(list(range(10)))
            for value in range(1, 11):
                foreign.publish("mill/herb-bed/state", json.dumps({"n": value}), qos=1)
            refused = posting.post([{"n": "count", "t": 1_780_000_000, "v": 7}])
            assert refused.status_code == 503
            time.sleep(5)  # through some refusals, and some connections made anew
            for (version, qos), board in boards.items():
                assert len(board.left) == 10, (version, qos, "nothing is acknowledged")
                assert set(board.reasons) == (REFUSED[qos] if version == 5 else set())
            free()
            for key, board in boards.items():
                until(lambda board=board: not board.left, 60)
                assert values(service, board.node.node) >= set(range(10)), key
        assert posting.post([{"n": "count", "t": 1_780_000_000, "v": 7}]).status_code == 200
        with service.hub() as hub:
            until(lambda: hub.entities.get("herb-bed/count").value == 10, 30)
            taken = {r.value for r in hub.entities.readings("herb-bed/count", 0)}
        assert taken >= set(range(1, 11))
        # All is well again: what comes now is acknowledged at once.
        for board in boards.values():
            board.send([77])
            until(lambda board=board: not board.left, 10)
        for board in boards.values():
            board.stop()
        if filling is not None:
            filling.loop_stop()


def values(service: Service, node: str) -> set[float]:
    with service.hub() as hub:
        return {r.value for r in hub.entities.readings(f"{node}/count", 1_780_000_000_000)}


@pytest.mark.parametrize("count", [3])
def test_a_pack_of_which_nothing_can_be_taken_is_refused_for_good(
    service: Service, rack: Joined, count: int
) -> None:
    board = Board(Joined(service, rack.node, rack.key, rack.topics), 5, 1)
    try:
        for _ in range(count):
            board.client.publish(rack.topics["readings"], '[{"n":"nothing","v":1}]', qos=1)
        until(lambda: len(board.reasons) == count)
        assert set(board.reasons) == {0x83}
    finally:
        board.stop()
