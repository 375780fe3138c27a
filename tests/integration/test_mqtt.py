"""The door with MQTT clients that are not ours: paho, and Debian's mosquitto_pub and
mosquitto_sub."""

from __future__ import annotations

import json
import shutil
import socket
import subprocess
import threading
import time
from typing import Any

import paho.mqtt.client as paho
import pytest

from tests.house import CLIMATE, PLUG, Joined, Service, description, let_in, until


def mosquitto(
    tool: str, node: Joined, *words: str, timeout: float = 10
) -> subprocess.CompletedProcess[str]:
    program = shutil.which(f"mosquitto_{tool}")
    assert program, "mosquitto-clients is missing; `make tools` installs it"
    door = [
        "-h",
        "127.0.0.1",
        "-p",
        str(node.service.mqtt_port),
        "-u",
        node.node,
        "-P",
        node.key,
        "-V",
        "mqttv311",
    ]
    return subprocess.run(
        [program, *door, *words], capture_output=True, text=True, timeout=timeout, check=False
    )


def value(service: Service, entity: str) -> float | None:
    with service.hub() as hub:
        return hub.entities.get(entity).value


def test_mosquitto_pub_brings_a_reading_in(service: Service, rack: Joined) -> None:
    done = mosquitto(
        "pub",
        rack,
        "-q",
        "1",
        "-t",
        rack.topics["readings"],
        "-m",
        '[{"n":"humidity","u":"%RH","v":71.25}]',
    )
    assert done.returncode == 0, done.stderr
    assert value(service, "cellar-rack/humidity") == 71.25


def test_mosquitto_sub_hears_what_the_node_is_to_do(service: Service, mister: Joined) -> None:
    heard: list[subprocess.CompletedProcess[str]] = []
    listening = threading.Thread(
        target=lambda: heard.append(
            mosquitto(
                "sub", mister, "-q", "1", "-t", "hombi/cellar-mister/#", "-C", "1", "-W", "30"
            )
        )
    )
    listening.start()
    time.sleep(1.5)
    with service.hub() as hub:
        command = hub.entities.set("cellar-mister/switch", "on")
    listening.join()
    assert json.loads(heard[0].stdout) == [{"n": "switch", "vb": True}]
    assert command.state == "unanswered", "mosquitto_sub hears, but does not confirm"
    assert "did not confirm within 4 s" in command.problem


def test_mosquitto_with_a_wrong_key_is_refused(rack: Joined) -> None:
    stranger = Joined(rack.service, rack.node, "wrong", rack.topics)
    done = mosquitto("pub", stranger, "-t", rack.topics["readings"], "-m", "[]")
    assert done.returncode != 0
    assert "bad user name or password" in done.stderr.lower()


def test_a_command_is_confirmed_by_the_node(service: Service, mister: Joined) -> None:
    with mister.connected(), service.hub() as hub:
        for to, wanted in (("on", 1.0), ("off", 0.0)):
            command = hub.entities.set("cellar-mister/switch", to)
            assert (command.state, command.problem) == ("confirmed", "")
            assert value(service, "cellar-mister/switch") == wanted


def test_a_sleeping_node_gets_its_command_when_it_wakes(service: Service) -> None:
    node = let_in(service, description("Sleepy hatch", **PLUG))
    with node.connected(clean=False):
        pass
    with service.hub() as hub:
        assert hub.entities.set("sleepy-hatch/switch", "on").state == "unanswered"
    with node.connected(clean=False):
        until(lambda: value(service, "sleepy-hatch/switch") == 1.0)


def test_a_node_with_a_clean_session_is_asked_as_soon_as_it_subscribes(service: Service) -> None:
    node = let_in(service, description("Terrace plug", **PLUG))
    with service.hub() as hub:
        assert hub.entities.set(f"{node.node}/switch", "on").state != "confirmed"
        # Long before it would be tried again by itself, after 5 s and then 15 s.
        begun = time.monotonic()
        with node.connected():
            until(lambda: hub.entities.get(f"{node.node}/switch").value == 1.0, 3)
        assert time.monotonic() - begun < 3


def test_a_node_with_a_kept_session_is_asked_once_however_often_it_was_tried(
    service: Service,
) -> None:
    node = let_in(service, description("Loft plug", **PLUG))
    with node.connected(clean=False):
        pass
    with service.hub() as hub:
        for _ in range(3):
            hub.entities.set(f"{node.node}/switch", "on")
        time.sleep(6)  # it was tried again meanwhile
        asked: list[bytes] = []
        client = node.mqtt(clean=False)
        client.on_message = lambda _client, _, message: asked.append(message.payload)
        client.connect("127.0.0.1", service.mqtt_port)
        client.loop_start()
        client.subscribe(node.topics["wanted"], qos=1)
        time.sleep(2)
        client.disconnect()
        client.loop_stop()
        assert len(asked) == 1
        # It did not do it: it is told once more when it is back, and then does.
        with node.connected(clean=False):
            until(lambda: hub.entities.get(f"{node.node}/switch").value == 1.0, 20)


def test_a_node_that_drops_is_seen_gone_by_its_last_will(service: Service) -> None:
    node = let_in(service, description("Dropper", **CLIMATE))

    def here() -> bool:
        with service.hub() as hub:
            return next(n.here for n in hub.nodes.list() if n.node == "dropper")

    client = node.mqtt()
    client.will_set(node.topics["presence"], "gone", qos=1, retain=True)
    client.connect("127.0.0.1", service.mqtt_port)
    client.loop_start()
    until(here)
    sock = client.socket()
    assert isinstance(sock, socket.socket)
    sock.shutdown(socket.SHUT_RDWR)  # no farewell
    client.loop_stop()
    until(lambda: not here())


def test_topics_of_other_nodes_are_closed(service: Service, rack: Joined, mister: Joined) -> None:
    granted: list[Any] = []
    client = rack.mqtt("spy")
    ready = threading.Event()
    client.on_subscribe = lambda c, u, mid, codes, props: (granted.extend(codes), ready.set())
    client.on_connect = lambda c, *_: c.subscribe(
        [("#", 1), ("hombi/+/wanted", 1), (mister.topics["wanted"], 1), (rack.topics["wanted"], 1)]
    )
    client.connect("127.0.0.1", service.mqtt_port)
    client.loop_start()
    assert ready.wait(30)
    assert [code.is_failure for code in granted] == [True, True, True, False]
    dropped = threading.Event()
    client.on_disconnect = lambda *_: dropped.set()
    before = value(service, "cellar-mister/power")
    client.publish(mister.topics["readings"], '[{"n":"power","v":99}]', qos=1)
    assert dropped.wait(30), "publishing under another's topic ends the connection"
    client.loop_stop()
    assert value(service, "cellar-mister/power") == before


def test_keep_alive_is_enforced(service: Service, rack: Joined) -> None:
    with socket.create_connection(("127.0.0.1", service.mqtt_port)) as sock:
        user, key = rack.node.encode(), rack.key.encode()
        body = (
            b"\x00\x04MQTT\x04\xc2\x00\x01\x00\x01k"
            + bytes((0, len(user)))
            + user
            + bytes((0, len(key)))
            + key
        )
        sock.sendall(bytes((0x10, len(body))) + body)
        assert sock.recv(4) == b"\x20\x02\x00\x00"
        sock.settimeout(5)
        begun = time.monotonic()
        assert sock.recv(1) == b"", "closed by the hub"
        assert time.monotonic() - begun > 1.4


def test_garbage_at_the_door_closes_that_connection_only(
    service: Service, rack: Joined, mister: Joined
) -> None:
    with mister.connected() as client:
        for garbage in (
            b"GET / HTTP/1.1\r\n\r\n",
            b"\xff" * 64,
            b"\x10\xff\xff\xff\xff",
            b"\x30\x00",
            bytes(range(256)),
        ):
            with socket.create_connection(("127.0.0.1", service.mqtt_port)) as sock:
                sock.settimeout(5)
                sock.sendall(garbage)
                assert sock.recv(16) in (b"", b"\x20\x02\x00\x01")
        mister.publish(client, [{"n": "power", "v": 12.5}])
    assert value(service, "cellar-mister/power") == 12.5


def test_a_refused_pack_over_mqtt_is_journaled_and_acknowledged(
    service: Service, rack: Joined
) -> None:
    with rack.connected() as client:
        info = client.publish(rack.topics["readings"], '[{"n":"humidity","v":"wet"}]', qos=1)
        info.wait_for_publish(30)
        assert info.is_published()

    def refused() -> list[str]:
        with service.hub() as hub:
            return [
                e.text
                for e in hub.journal(event="MessageRefused", node="cellar-rack")
                if "$.v" in e.text
            ]

    until(refused)
    with service.hub() as hub:
        assert next(n.refused for n in hub.nodes.list() if n.node == "cellar-rack") > 0


@pytest.mark.parametrize("qos", [0, 1])
def test_retained_messages_wait_for_their_own_node(
    service: Service, rack: Joined, qos: int
) -> None:
    with rack.connected() as client:
        client.publish(
            rack.topics["presence"], f"here {qos}", qos=qos, retain=True
        ).wait_for_publish(30)
        time.sleep(0.1)
    heard: list[tuple[str, bool]] = []
    listener = rack.mqtt("listener")
    listener.on_message = lambda c, u, m: heard.append((m.payload.decode(), m.retain))
    listener.on_connect = lambda c, *_: c.subscribe("hombi/cellar-rack/+", qos=1)
    listener.connect("127.0.0.1", service.mqtt_port)
    listener.loop_start()
    until(lambda: heard == [(f"here {qos}", True)])
    listener.disconnect()
    listener.loop_stop()


def test_paho_publishes_many_and_all_are_there(service: Service) -> None:
    node = let_in(service, description("Counter", count={"type": "number", "readOnly": True}))
    start = round(time.time()) - 2000
    with node.connected() as client:
        infos = [
            client.publish(
                node.topics["readings"], json.dumps([{"n": "count", "t": start + n, "v": n}]), qos=1
            )
            for n in range(1500)
        ]
        for info in infos:
            info.wait_for_publish(20)
        assert all(info.rc == paho.MQTT_ERR_SUCCESS for info in infos)
    with service.hub() as hub:
        assert [r.value for r in hub.entities.readings("counter/count", start * 1000)] == list(
            range(1500)
        )
