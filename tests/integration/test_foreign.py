"""Nodes that do not know Hombi: picked out of messages at the door, or posting one
value; with their keys."""

from __future__ import annotations

import json
import shutil
import subprocess
import threading
import time
from typing import Any

import httpx
import paho.mqtt.client as paho
import pytest

from hombi.client import HubProblem
from hombi.wire.people import MqttAccount
from tests.house import Service, until

SOIL = {"soil": {"moisture": 41.5, "temp_f": 50}, "bat": 87, "name": "herbs"}


@pytest.fixture(scope="module")
def account(service: Service) -> MqttAccount:
    with service.hub() as hub:
        return hub.mqtt_accounts.add("boards", publish=["mill/#"], subscribe=["mill/#"])


def board(service: Service, account: MqttAccount, name: str) -> paho.Client:
    client = paho.Client(paho.CallbackAPIVersion.VERSION2, name)
    client.username_pw_set(account.account, account.key)
    ready = threading.Event()
    client.on_connect = lambda *_: ready.set()
    client.connect("127.0.0.1", service.mqtt_port)
    client.loop_start()
    assert ready.wait(30)
    return client


def say(client: paho.Client, topic: str, payload: Any) -> None:
    text = payload if isinstance(payload, str | bytes) else json.dumps(payload)
    client.publish(topic, text, qos=1).wait_for_publish(30)


def test_a_value_is_picked_from_the_command_line_and_lives_at_once(
    service: Service, account: MqttAccount
) -> None:
    client = board(service, account, "herbs")
    say(client, "mill/herb-bed/state", SOIL)
    say(client, "mill/fern-bed/state", {**SOIL, "soil": {"moisture": 60, "temp_f": 41}})
    shown = service.hombi("link", "messages", "--topic", "mill/+/state", "--text", "herbs").stdout
    assert shown.count("mill/herb-bed/state") == 1
    assert "no node" in shown
    words = [
        "mill/{node}/state",
        "--kind",
        "temperature",
        "--pointer",
        "/soil/temp_f",
        "--unit",
        "°F",
    ]
    tried = service.hombi("entity", "pick", *words, "--try").stdout
    assert "10.0 °C" in tried
    assert "5.0 °C" in tried
    done = service.hombi("entity", "pick", *words, "--title", "Soil", "--room", "Terrace")
    assert done.returncode == 0, done.stderr
    assert "herb-bed/soil is picked from mill/herb-bed/state" in done.stdout
    with service.hub() as hub:
        assert {hub.entities.get(f"{bed}/soil").room for bed in ("herb-bed", "fern-bed")} == {
            "terrace"
        }
        say(client, "mill/herb-bed/state", SOIL)
        entity = hub.entities.get("herb-bed/soil")
        assert (entity.value, entity.raw, entity.unit) == (pytest.approx(10), 50, "°C")
        assert entity.picked == "mill/herb-bed/state at /soil/temp_f"
        # One more value of a node that is there already.
        hub.messages.pick(
            topic="mill/{node}/state",
            pointer="/soil/moisture",
            kind="moisture",
            title="Moisture",
            nodes=["herb-bed"],
        )
        say(client, "mill/herb-bed/state", SOIL)
        assert hub.entities.get("herb-bed/moisture").value == 41.5
        assert hub.messages.list(topic="mill/herb-bed/state")[0].node == "herb-bed"
        # What no longer fits is refused, said, and loses nothing else.
        say(client, "mill/herb-bed/state", {"soil": {"moisture": "wet"}})
        (entry,) = until(
            lambda: [
                e for e in hub.journal(event="MessageRefused", node="herb-bed") if "wet" in e.text
            ][:1]
        )
        assert "herb-bed" in entry.text
        assert hub.entities.get("herb-bed/moisture").value == 41.5
        hub.entities.remove("herb-bed/moisture")
        with pytest.raises(HubProblem, match="no entity herb-bed/moisture"):
            hub.entities.get("herb-bed/moisture")
    client.disconnect()
    client.loop_stop()


def test_a_bare_payload_with_its_own_time_and_a_way_to_set_it(
    service: Service, account: MqttAccount
) -> None:
    client, asked = board(service, account, "sluice"), list[tuple[str, str]]()
    ready = threading.Event()
    client.on_subscribe = lambda *_: ready.set()

    def obey(client: paho.Client, user: Any, message: paho.MQTTMessage) -> None:
        asked.append((message.topic, message.payload.decode()))
        client.publish("mill/sluice/gate", message.payload.decode().removeprefix("go "), qos=1)

    client.on_message = obey
    client.subscribe("mill/sluice/cmd", qos=1)
    assert ready.wait(30)
    say(client, "mill/sluice/gate", "40")
    with service.hub() as hub:
        write = {"topic": "mill/{node}/cmd", "payload": "go {value}"}
        (made,) = hub.messages.pick(
            topic="mill/{node}/gate", kind="level", title="Gate", nodes=["sluice"], write=write
        )
        assert (made.entity, made.writable) == ("sluice/gate", True)
        assert hub.entities.set("sluice/gate", "75 %").state == "confirmed"
        assert asked == [("mill/sluice/cmd", "go 75")]
        at = round(time.time()) - 7200
        hub.messages.pick(
            topic="mill/{node}/log",
            pointer="/v",
            at="/t",
            kind="number",
            title="Turns",
            nodes=["wheel"],
        )
        for n in (2, 0, 1):
            say(client, "mill/wheel/log", {"v": n, "t": at + n})
        assert [r.value for r in hub.entities.readings("wheel/turns", at * 1000)] == [0, 1, 2]
    client.disconnect()
    client.loop_stop()


@pytest.mark.parametrize(
    ("picking", "said"),
    [
        ({"topic": "mill/#/state"}, "not a topic to pick from"),
        ({"topic": "mill/{node}/{node}"}, "not a topic to pick from"),
        ({"pointer": "soil"}, "not a JSON Pointer"),
        ({"kind": "temprature"}, "did you mean temperature"),
        ({"unit": "bar"}, "bar"),
        ({"nodes": []}, "no node is chosen"),
        ({"title": "…"}, "needs a name"),
        ({"write": {"topic": "mill/+/set", "payload": "{value}"}}, "without wildcards"),
        ({"write": {"topic": "mill/{node}/set", "payload": "on"}}, "{value}"),
        ({"nodes": ["boards"]}, "an MQTT account is called boards"),
    ],
)
def test_picks_that_cannot_be_are_said_and_change_nothing(
    service: Service, account: MqttAccount, picking: dict[str, Any], said: str
) -> None:
    right = {
        "topic": "mill/{node}/x",
        "pointer": "/t",
        "kind": "temperature",
        "title": "Warmth",
        "nodes": ["newcomer"],
    }
    with service.hub() as hub:
        with pytest.raises(HubProblem) as caught:
            hub.messages.pick(**(right | picking))
        assert said in str(caught.value)
        assert "newcomer" not in [n.node for n in hub.nodes.list()]


def test_the_stream_of_messages_is_bounded_and_filtered(
    service: Service, account: MqttAccount
) -> None:
    client = board(service, account, "chatty")
    batches: list[Any] = []

    def follow() -> None:
        with service.hub() as hub:
            for batch in hub.messages.follow(topic="mill/chatty/#"):
                batches.append(batch)
                if sum(len(b.messages) + b.passed_over for b in batches) >= 300:
                    return

    following = threading.Thread(target=follow)
    following.start()
    time.sleep(1.5)
    for n in range(300):
        client.publish("mill/quiet/x", "0")
        last = client.publish(f"mill/chatty/{n % 3}", f"{n}", qos=1)
    last.wait_for_publish(30)
    following.join(30)
    assert not following.is_alive()
    assert all(m.topic.startswith("mill/chatty/") for b in batches for m in b.messages)
    assert max(len(b.messages) for b in batches) <= 40
    assert sum(b.passed_over for b in batches) > 0, "what came too fast to read is counted"
    with service.hub() as hub:
        assert [m.payload for m in hub.messages.list(topic="mill/chatty/+", each_topic=True)] == [
            "299",
            "298",
            "297",
        ]
    client.disconnect()
    client.loop_stop()


def test_a_node_that_posts_one_value(service: Service) -> None:
    done = service.hombi("node", "add", "Wheel house", "--room", "Workshop")
    assert done.returncode == 0, done.stderr
    curl = next(
        line.strip() for line in done.stdout.splitlines() if line.strip().startswith("curl")
    )
    key = done.stdout.split("has the key ")[1].split(". It is")[0]
    done = service.hombi(
        "node",
        "add-value",
        "wheel-house",
        "Bearing",
        "--kind",
        "temperature",
        "--unit",
        "°F",
        "--pointer",
        "/b/t",
    )
    assert "takes what is posted to /api/intake/wheel-house/bearing" in done.stdout
    url = f"{service.url}/api/intake/wheel-house"
    basic, bearer = {"auth": ("wheel-house", key)}, {"headers": {"Authorization": f"Bearer {key}"}}
    with service.hub() as hub:
        hub.nodes.add_entity("wheel-house", "Turns", "number")
        for sent, value in (
            ({"content": "7.5", **basic}, 7.5),
            ({"json": {"value": 8.25}, **bearer}, 8.25),
            ({"content": "9", **bearer}, 9),
        ):
            answer = httpx.post(f"{url}/turns", **sent)
            assert answer.json() == {"stored": 1, "refused": []}, answer.text
            assert hub.entities.get("wheel-house/turns").value == value
        assert httpx.get(f"{url}/turns", params={"key": key, "value": "6.5"}).json()["stored"] == 1
        assert hub.entities.get("wheel-house/turns").value == 6.5
        assert httpx.post(f"{url}/bearing", json={"b": {"t": 212}}, **basic).json()["stored"] == 1
        assert hub.entities.get("wheel-house/bearing").value == pytest.approx(100)
        # The line that is shown works as it stands.
        if shutil.which("curl"):
            line = curl.replace("ENTITY", "turns")
            ran = subprocess.run(
                line, shell=True, capture_output=True, text=True, timeout=60, check=False
            )
            assert json.loads(ran.stdout)["stored"] == 1, (line, ran.stderr)


@pytest.mark.parametrize(
    ("path", "key", "content", "status", "said"),
    [
        ("turns", "right", "many", 422, "many"),
        ("turns", "right", "1,234.5", 422, "no number; write one like 21.5"),
        ("turns", "right", "5.", 422, "no number; write one like 21.5"),
        ("turns", "right", "0x15", 422, "no number; write one like 21.5"),
        ("turns", "right", "21;22", 422, "no number; write one like 21.5"),
        ("turns", "right", "21 furlongs", 422, "no unit"),
        ("turns/", "right", "1", 404, "leave the slash at its end out"),
        ("turns", "right", "", 422, "empty"),
        ("trns", "right", "1", 404, "did you mean"),
        ("turns", "wrong", "1", 401, ""),
        ("turns", "", "1", 401, ""),
        ("../cellar-rack/humidity", "right", "1", 401, "this is not the key of cellar-rack"),
    ],
)
def test_posts_that_cannot_be_are_told_why(
    service: Service,
    rack: Any,
    posting: Any,
    path: str,
    key: str,
    content: str,
    status: int,
    said: str,
) -> None:
    headers = {"Authorization": f"Bearer {posting if key == 'right' else key}"} if key else {}
    below = path.removeprefix("../") if path.startswith("..") else f"lathe-house/{path}"
    url = f"{service.url}/api/intake/{below}"
    answer = httpx.post(url, content=content, headers=headers)
    assert answer.status_code == status, answer.text
    assert said in answer.text


@pytest.fixture(scope="module")
def posting(service: Service) -> str:
    with service.hub() as hub:
        made = hub.nodes.add("Lathe house")
        hub.nodes.add_entity(made.node, "Turns", "number")
        return made.key


def test_a_post_for_what_is_not_there_is_seen_among_the_messages(
    service: Service, posting: str
) -> None:
    httpx.post(
        f"{service.url}/api/intake/lathe-house/oil",
        content="3",
        headers={"Authorization": f"Bearer {posting}"},
    )
    with service.hub() as hub:
        (message,) = hub.messages.list(node="lathe-house", text="/oil")
        assert (message.via, message.sender, message.payload) == ("http", "lathe-house", "3")


def test_keys_are_changed_and_taken_away(service: Service, posting: str) -> None:
    url = f"{service.url}/api/intake/lathe-house/turns"

    def post(key: str) -> int:
        return httpx.post(url, content="1", headers={"Authorization": f"Bearer {key}"}).status_code

    assert post(posting) == 200
    newer = (
        service.hombi("node", "key", "lathe-house")
        .stdout.split("has the key ")[1]
        .split(". It is")[0]
    )
    assert (post(posting), post(newer)) == (401, 200)
    assert "cannot sign in" in service.hombi("node", "key", "lathe-house", "--revoke").stdout
    assert post(newer) == 401
    with service.hub() as hub:
        assert not next(n for n in hub.nodes.list() if n.node == "lathe-house").has_key


def test_a_choice_and_a_press_are_picked_with_their_words(service: Service) -> None:
    with service.hub() as hub:
        account = hub.mqtt_accounts.add("fans", publish=["fans/#"], subscribe=["fans/#"])
        client = paho.Client(paho.CallbackAPIVersion.VERSION2, "fans")
        client.username_pw_set(account.account, account.key)
        asked: list[bytes] = []
        ready = threading.Event()

        def obey(client: paho.Client, user: Any, message: paho.MQTTMessage) -> None:
            asked.append(message.payload)
            speed = json.loads(message.payload)["speed"]
            client.publish("fans/loft/state", json.dumps({"speed": speed}), qos=1)

        client.on_message = obey
        client.on_connect = lambda c, *_: c.subscribe("fans/loft/set", 1)
        client.on_subscribe = lambda *_: ready.set()
        client.connect("127.0.0.1", service.mqtt_port)
        client.loop_start()
        assert ready.wait(30)

        def say(topic: str, text: str) -> None:
            client.publish(topic, text, qos=1).wait_for_publish(30)

        say("fans/loft/state", '{"speed": "low"}')
        until(lambda: hub.messages.list(topic="fans/#"))
        for words, why in (
            ([], "needs the words that its node says"),
            (["low", "low"], "give each word once"),
            (["a|b"], "give each word once"),
        ):
            with pytest.raises(HubProblem, match=why):
                hub.messages.pick("fans/{node}/state", "choice", "Speed", words=words)
        with pytest.raises(HubProblem, match="no words of its own to choose"):
            hub.messages.preview("fans/{node}/state", "switch", words=["a"])
        (speed,) = hub.messages.pick(
            "fans/{node}/state",
            "choice",
            "Speed",
            pointer="/speed",
            words=["low", "high", "off"],
            nodes=["loft"],
            name="Big fan",
            write={"topic": "fans/{node}/set", "payload": '{"speed": "{value}"}'},
        )
        assert (speed.kind, speed.words) == ("choice", ["low", "high", "off"])
        assert hub.entities.set(speed.entity, "high").state == "confirmed"
        assert asked == [b'{"speed": "high"}']
        # A word that it did not bring is said, and the next one counts.
        say("fans/loft/state", '{"speed": "gale"}')
        until(lambda: any("gale" in line.text for line in hub.journal()))
        say("fans/loft/state", '{"speed": "OFF"}')
        assert hub.entities.get(speed.entity).shown == "off"
        made = service.hombi(
            *("entity", "pick", "fans/{node}/tapped", "--kind", "press", "--title", "Knob"),
            *("--words", "short, long", "--node", "loft-knob"),
        )
        assert made.returncode == 0, made.stderr
        say("fans/loft-knob/tapped", "long")
        say("fans/loft-knob/tapped", "")  # it is over
        say("fans/loft-knob/tapped", "null")
        say("fans/loft-knob/tapped", "short")
        until(lambda: len(list(hub.entities.readings("loft-knob/knob", 0))) == 2)
        assert hub.entities.get("loft-knob/knob").shown == "short"
        client.disconnect()
        client.loop_stop()
