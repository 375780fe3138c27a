"""MQTT accounts of people, with clients that are not ours: MQTT 5, QoS 2, TLS;
paho, mosquitto's and MQTT.js."""

from __future__ import annotations

import json
import shutil
import ssl
import subprocess
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import paho.mqtt.client as paho
import pytest
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties
from paho.mqtt.subscribeoptions import SubscribeOptions

from hombi.client import HubProblem
from hombi.wire.people import MqttAccount
from tests.certificates import Authority
from tests.conftest import make_service
from tests.house import Joined, Service, free_ports, until


@pytest.fixture(scope="module")
def authority(tmp_path_factory: pytest.TempPathFactory) -> Authority:
    return Authority(tmp_path_factory.mktemp("ca"), days=10)


@pytest.fixture(scope="module")
def tls_port() -> int:
    return free_ports(1)[0]


@pytest.fixture(scope="module")
def service(
    authority: Authority, tls_port: int, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[Service]:
    certificate, key = authority.issue("hub")
    result = make_service(tmp_path_factory.mktemp("hub"))
    (result.data / "hombi.toml").write_text(
        f'[mqtt]\ntls_port = {tls_port}\ncertificate = "{certificate}"\nkey = "{key}"\n'
    )
    result.start().sign_in_first()
    yield result
    result.stop()


@pytest.fixture(scope="module")
def account(service: Service) -> MqttAccount:
    with service.hub() as hub:
        return hub.mqtt_accounts.add(
            "workbench", publish=["bench/#"], subscribe=["bench/#", "hombi/+/readings"]
        )


def connect(
    service: Service, account: MqttAccount, client_id: str, **connecting: Any
) -> tuple[paho.Client, dict[str, Any]]:
    """A paho client of MQTT 5, connected; what its CONNACK said, and under "heard" what
    it hears."""
    client, ready = (
        paho.Client(paho.CallbackAPIVersion.VERSION2, client_id, protocol=paho.MQTTv5),
        threading.Event(),
    )
    said: dict[str, Any] = {"heard": []}

    def on_connect(
        client: paho.Client, user: Any, flags: Any, reason: Any, properties: Any
    ) -> None:
        said.update(
            properties.json() if properties else {},
            reason=reason.value,
            present=flags.session_present,
        )
        ready.set()

    client.username_pw_set(account.account, account.key)
    client.on_connect = on_connect
    client.on_message = lambda c, u, m: said["heard"].append(m)
    client.connect("127.0.0.1", service.mqtt_port, **connecting)
    client.loop_start()
    assert ready.wait(30)
    return client, said


def expiry(seconds: int) -> Properties:
    properties = Properties(PacketTypes.CONNECT)
    properties.SessionExpiryInterval = seconds
    return properties


def mosquitto(
    name: str, service: Service, account: MqttAccount, *words: str
) -> subprocess.CompletedProcess[str]:
    program = shutil.which(f"mosquitto_{name}")
    assert program, "mosquitto-clients is missing; `make tools` installs it"
    port = [] if "-p" in words else ["-p", str(service.mqtt_port)]
    door = ["-h", "127.0.0.1", *port, "-u", account.account, "-P", account.key]
    return subprocess.run(
        [program, *door, *words], capture_output=True, text=True, timeout=60, check=False
    )


@pytest.mark.parametrize("version", ["mqttv311", "mqttv5"])
@pytest.mark.parametrize("qos", ["0", "1", "2"])
def test_mosquitto_publishes_and_hears_at_every_qos(
    service: Service, account: MqttAccount, version: str, qos: str
) -> None:
    topic = f"bench/{version}/{qos}"
    sent = mosquitto(
        "pub", service, account, "-V", version, "-q", qos, "-r", "-t", topic, "-m", "21.5"
    )
    assert (sent.returncode, sent.stderr) == (0, "")
    heard = mosquitto(
        "sub",
        service,
        account,
        "-V",
        version,
        "-q",
        qos,
        "-t",
        "bench/+/" + qos,
        "-C",
        "1",
        "-W",
        "5",
        "-F",
        "%t %p",
    )
    assert heard.stdout.split()[-1] == "21.5", heard.stderr
    with service.hub() as hub:
        (message,) = hub.messages.list(topic=topic)
        assert (message.sender, message.payload, message.qos) == ("workbench", "21.5", int(qos))


@pytest.mark.parametrize("version", [4, 5])
def test_mqtt_js_at_every_qos(service: Service, account: MqttAccount, version: int) -> None:
    script = Path(__file__).with_name("mqtt_js.mjs")
    url = f"mqtt://127.0.0.1:{service.mqtt_port}"
    words = [
        "node",
        str(script),
        url,
        str(version),
        account.account,
        account.key,
        f"bench/js/{version}",
    ]
    done = subprocess.run(words, capture_output=True, text=True, timeout=60, check=False)
    seen = json.loads(done.stdout)
    assert done.returncode == 0, (seen, done.stderr)
    assert seen["acknowledged"] == [0, 1, 2, 0, 1, 2]
    assert [m["payload"] for m in seen["heard"]] == ["20", "21", "22", "23", "24", "25"]
    if version == 5:
        assert seen["granted"] == [1], "asked for 2; the door sends at 1 at most"
        assert [m["mark"] for m in seen["heard"]] == [f"m{n}" for n in range(6)]
        assert seen["connack"]["topicAliasMaximum"] > 0
        assert seen["connack"]["receiveMaximum"] > 0


def test_mqtt_js_with_a_wrong_key_is_told_why(service: Service, account: MqttAccount) -> None:
    script = Path(__file__).with_name("mqtt_js.mjs")
    words = [
        "node",
        str(script),
        f"mqtt://127.0.0.1:{service.mqtt_port}",
        "5",
        account.account,
        "wrong",
        "bench/js",
    ]
    done = subprocess.run(words, capture_output=True, text=True, timeout=60, check=False)
    assert done.returncode == 2
    assert json.loads(done.stdout)["code"] == 0x86, "bad user name or password"


def test_qos_2_arrives_once_with_its_properties(service: Service, account: MqttAccount) -> None:
    client, said = connect(service, account, "paho")
    assert said["reason"] == 0
    ready = threading.Event()
    client.on_subscribe = lambda *_: ready.set()
    client.subscribe("bench/once", options=SubscribeOptions(qos=2))
    assert ready.wait(30)
    properties = Properties(PacketTypes.PUBLISH)
    properties.UserProperty = ("made", "by hand")
    properties.ContentType = "text/plain"
    client.publish("bench/once", b"41", qos=2, properties=properties).wait_for_publish(30)
    until(lambda: said["heard"])
    client.disconnect()
    client.loop_stop()
    (message,) = said["heard"]
    assert (message.payload, message.properties.UserProperty) == (b"41", [("made", "by hand")])
    assert message.properties.ContentType == "text/plain"


def test_a_session_of_mqtt_5_waits_as_long_as_it_asked(
    service: Service, account: MqttAccount
) -> None:
    client, said = connect(service, account, "sleeper", properties=expiry(60))
    assert not said["present"]
    subscribed = threading.Event()
    client.on_subscribe = lambda *_: subscribed.set()
    client.subscribe("bench/night", qos=1)
    assert subscribed.wait(30)
    client.disconnect()
    client.loop_stop()
    mosquitto("pub", service, account, "-q", "1", "-t", "bench/night", "-m", "frost")
    client, said = connect(service, account, "sleeper", clean_start=False, properties=expiry(0))
    assert said["present"]
    until(lambda: [m.payload for m in said["heard"]] == [b"frost"])
    client.disconnect()
    client.loop_stop()
    client, said = connect(service, account, "sleeper", clean_start=False, properties=expiry(0))
    assert not said["present"], "it asked for none the second time"
    client.disconnect()
    client.loop_stop()


def test_a_mqtt_account_has_its_topics_and_no_others(
    service: Service, account: MqttAccount, rack: Joined
) -> None:
    heard = mosquitto("sub", service, account, "-V", "mqttv5", "-t", "#", "-C", "1", "-W", "2")
    assert "All subscription requests were denied" in heard.stderr
    refused = mosquitto(
        "pub",
        service,
        account,
        "-V",
        "mqttv5",
        "-q",
        "1",
        "-t",
        rack.topics["readings"],
        "-m",
        "[]",
    )
    assert "Not authorized" in refused.stderr
    # What it may listen to are the readings of all nodes.
    listening: list[subprocess.CompletedProcess[str]] = []
    thread = threading.Thread(
        target=lambda: listening.append(
            mosquitto("sub", service, account, "-t", "hombi/+/readings", "-C", "1", "-W", "8")
        )
    )
    thread.start()
    pack = '[{"n":"humidity","v":77}]'
    while thread.is_alive():
        with rack.connected() as client:
            client.publish(rack.topics["readings"], pack, qos=1).wait_for_publish(30)
    assert listening[0].stdout.strip() == pack


def test_other_topics_a_new_key_and_the_way_out(service: Service) -> None:
    with service.hub() as hub:
        account = hub.mqtt_accounts.add("lathe", publish=["lathe/#"])
        assert (
            mosquitto("pub", service, account, "-q", "1", "-t", "lathe/turns", "-m", "1").returncode
            == 0
        )
        client, _ = connect(service, account, "lathe")
        gone = threading.Event()
        client.on_disconnect = lambda *_: gone.set()
        newer = hub.mqtt_accounts.new_key("lathe")
        assert gone.wait(30), "who came in with the old key is out"
        client.loop_stop()
        assert (
            "bad user name or password"
            in mosquitto("pub", service, account, "-t", "lathe/turns", "-m", "2").stderr
        )
        hub.mqtt_accounts.change("lathe", publish=["drill/#"])
        done = mosquitto(
            "pub", service, newer, "-V", "mqttv5", "-q", "1", "-t", "lathe/turns", "-m", "3"
        )
        assert "Not authorized" in done.stderr
        assert (
            mosquitto("pub", service, newer, "-q", "1", "-t", "drill/turns", "-m", "3").returncode
            == 0
        )
        assert not any(newer.key in repr(account) for account in hub.mqtt_accounts.list()), (
            "keys are told once"
        )
        hub.mqtt_accounts.remove("lathe")
        assert mosquitto("pub", service, newer, "-t", "drill/turns", "-m", "4").returncode != 0
        with pytest.raises(HubProblem, match="no MQTT account lathe"):
            hub.mqtt_accounts.remove("lathe")
        with pytest.raises(HubProblem, match="topic filter"):
            hub.mqtt_accounts.add("planer", publish=["a/#/b"])


def test_the_door_over_tls_shows_who_it_is(
    service: Service, account: MqttAccount, tls_port: int, authority: Authority
) -> None:
    ca = ["-p", str(tls_port), "--cafile", str(authority.file)]
    done = mosquitto(
        "pub", service, account, *ca, "-V", "mqttv5", "-q", "1", "-t", "bench/tls", "-m", "7"
    )
    assert done.returncode == 0, done.stderr
    with service.hub() as hub:
        assert [m.payload for m in hub.messages.list(topic="bench/tls")] == ["7"]
        (check,) = [c for c in hub.doctor() if "certificate" in c.part]
        assert check.state == "warning"
        assert check.text.startswith("it ends on")
    stranger = paho.Client(paho.CallbackAPIVersion.VERSION2, "stranger")
    stranger.tls_set()  # the machine's own authorities do not know this one
    with pytest.raises(ssl.SSLCertVerificationError):
        stranger.connect("127.0.0.1", tls_port)


def test_secrets_are_kept_as_hashes_only(
    service: Service, account: MqttAccount, rack: Joined
) -> None:
    kept = b"".join(path.read_bytes() for path in service.data.glob("hub.sqlite3*"))
    assert b"workbench" in kept
    for secret in (account.key, rack.key):
        assert secret.encode() not in kept
