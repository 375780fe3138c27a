"""A hub started as people start it, and nodes that meet it on the wire, for tests to
drive."""

from __future__ import annotations

import contextlib
import hashlib
import hmac
import itertools
import json
import os
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import paho.mqtt.client as paho

from hombi.client import Hub
from tests.warm import Command, ran

OWNER, PASSWORD = "ada", "three-geese-on-the-weir"


# Begun where another run on the same machine hardly is.
_ports = itertools.count(os.getpid() * 31)


def free_ports(count: int = 3) -> list[int]:
    """Ports that nobody uses now, below those that connections are made from and in a
    stretch of this process's own: another one's must not take them before they are
    used."""
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
    result: list[int] = []
    while len(result) < count:
        port = 10_000 + worker % 10 * 2_000 + next(_ports) % 2_000
        with contextlib.suppress(OSError), socket.socket() as sock:
            sock.bind(("127.0.0.1", port))
            result.append(port)
    return result


def until(ask: Callable[[], Any], within_s: float = 30.0) -> Any:
    """Ask again and again until the answer is true; the answer. Fails after
    `within_s`."""
    ends = time.monotonic() + within_s
    while True:
        answer = ask()
        if answer:
            return answer
        assert time.monotonic() < ends, "it did not come about in time"
        time.sleep(0.02)


def until_nothing(ask: Callable[[], list[Any]], within_s: float = 30.0) -> None:
    """Ask again and again until the answer is empty. Fails after `within_s`, with what
    was left."""
    ends = time.monotonic() + within_s
    while left := ask():
        assert time.monotonic() < ends, f"left: {left}"
        time.sleep(0.05)


@dataclass
class Service:
    """One `hombi serve`, with its data folder and ports. It can be stopped, killed, and
    started again."""

    data: Path
    port: int
    mqtt_port: int
    env: dict[str, str] = field(default_factory=dict)
    process: Command | None = None
    code: str = ""
    said: list[str] = field(default_factory=list)

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    @property
    def environment(self) -> dict[str, str]:
        return {
            **os.environ,
            "HOMBI_DATA": str(self.data),
            "HOMBI_PORT": str(self.port),
            "HOMBI_HTTP_HOST": "127.0.0.1",
            "HOMBI_MQTT_HOST": "127.0.0.1",
            "HOMBI_MQTT_PORT": str(self.mqtt_port),
            "HOMBI_HOUSE_NAME": "Test house",
            "HOMBI_HTTPS_USE": "off",
            "HOMBI_WIFI_DISCOVERY": "off",
            "HOMBI_BLUETOOTH_USE": "off",
            "HOMBI_NOTICES_PUSH_SERVICES": "http://127.0.0.1",
            "XDG_CONFIG_HOME": str(self.data / "config"),
            "TZ": "UTC",
            **self.env,
        }

    def start(self) -> Service:
        self.process = Command(["serve"], self.environment)
        for line in self.process.stdout:
            self.said.append(line)
            if "enter the code" in line:
                self.code = line.split()[-1]
            if line.startswith("Ready"):
                break
        else:
            raise AssertionError("the hub did not start: " + "".join(self.said))
        # What it says later must not fill the pipe.
        threading.Thread(target=self._drain, daemon=True).start()
        return self

    def _drain(self) -> None:
        assert self.process is not None
        with contextlib.suppress(ValueError):
            for line in self.process.stdout:
                self.said.append(line)

    def stop(self, sign: signal.Signals = signal.SIGTERM) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.send_signal(sign)
            self.process.wait(timeout=30)

    def kill(self) -> None:
        self.stop(signal.SIGKILL)

    @property
    def token(self) -> str:
        return str(json.loads((self.data / "hub.token").read_text())["token"])

    def hub(self) -> Hub:
        return Hub(self.url, self.token)

    def sign_in_first(self) -> None:
        with Hub(self.url) as hub:
            hub.sign_in_first(self.code, OWNER, PASSWORD)

    def hombi(
        self, *words: str, stdin: str = "", env: dict[str, str] | None = None
    ) -> subprocess.CompletedProcess[str]:
        """A command line, as a person types it."""
        environment = {**self.environment, "COLUMNS": "160", **(env or {})}
        return ran(words, environment, stdin, timeout=90)


def description(title: str, thing_id: str = "", **properties: dict[str, Any]) -> dict[str, Any]:
    """A Thing Description."""
    return {
        "@context": "https://www.w3.org/2022/wot/td/v1.1",
        "id": thing_id or f"urn:test:{title.lower().replace(' ', '-')}",
        "title": title,
        "securityDefinitions": {"basic": {"scheme": "basic"}},
        "security": "basic",
        "properties": properties,
    }


CLIMATE = {
    "temperature": {"type": "number", "unit": "Cel", "readOnly": True, "title": "Temperature"},
    "humidity": {
        "type": "number",
        "unit": "%RH",
        "readOnly": True,
        "title": "Humidity",
        "minimum": 0,
        "maximum": 100,
    },
}
PLUG = {
    "switch": {"type": "boolean", "title": "Switch"},
    "power": {"type": "number", "unit": "W", "readOnly": True},
}


def proof(code: str, thing_id: str) -> str:
    """Worked out here again, as a node's maker would from the documentation."""
    return hmac.new(code.replace("-", "").encode(), thing_id.encode(), hashlib.sha256).hexdigest()


@dataclass
class Joined:
    """A node that was let in, and how it talks to the hub."""

    service: Service
    node: str
    key: str
    topics: dict[str, str]
    _numbers: int = 0

    def post(self, payload: Any, raw: bool = False) -> httpx.Response:
        content = payload if raw else json.dumps(payload)
        return httpx.post(
            f"{self.service.url}/api/intake",
            content=content,
            auth=(self.node, self.key),
            timeout=20,
        )

    def mqtt(self, client_id: str = "", clean: bool = True, again: bool = True) -> paho.Client:
        client = paho.Client(
            paho.CallbackAPIVersion.VERSION2,
            client_id or self.node,
            clean_session=clean,
            reconnect_on_failure=again,
        )
        client.username_pw_set(self.node, self.key)
        client.max_inflight_messages_set(400)
        return client

    @contextlib.contextmanager
    def connected(self, obey: bool = True, clean: bool = True) -> Iterator[paho.Client]:
        """Connected over MQTT; it does what it is asked, and confirms it, unless it is
        not to obey."""
        client, ready = self.mqtt(clean=clean), threading.Event()

        def on_message(client: paho.Client, _: Any, message: paho.MQTTMessage) -> None:
            if obey:
                client.publish(self.topics["readings"], message.payload, qos=1)

        client.on_message = on_message
        client.on_subscribe = lambda *_: ready.set()
        client.on_connect = lambda client, *_: client.subscribe(self.topics["wanted"], qos=1)
        client.connect("127.0.0.1", self.service.mqtt_port)
        client.loop_start()
        assert ready.wait(30), "the node could not subscribe"
        try:
            yield client
        finally:
            client.disconnect()
            client.loop_stop()

    def publish(self, client: paho.Client, payload: Any) -> None:
        """Publish a pack, and wait until it is acknowledged."""
        client.publish(self.topics["readings"], json.dumps(payload), qos=1).wait_for_publish(30)


def ask(service: Service, thing: dict[str, Any], code: str = "1234-5678") -> httpx.Response:
    """A node asks to join."""
    return httpx.post(
        f"{service.url}/api/arrivals",
        json={"description": thing, "proof": proof(code, thing.get("id", ""))},
    )


def collect(service: Service, asked: dict[str, Any]) -> dict[str, Any]:
    """A node asks what became of it."""
    answer = httpx.get(
        service.url + asked["outcome"], headers={"Authorization": f"Bearer {asked['ticket']}"}
    )
    return dict(answer.json())


def let_in(
    service: Service, thing: dict[str, Any], room: str = "Cheese cellar", name: str = ""
) -> Joined:
    """The whole way in: window, arrival, setup code, key."""
    with service.hub() as hub:
        hub.pairing.open("1 min")
        asked = ask(service, thing)
        assert asked.status_code == 202, asked.text
        hub.pairing.admit(asked.json()["id"], "1234-5678", name, room)
        hub.pairing.close()
    said = collect(service, asked.json())
    return Joined(service, said["node"], said["key"], said["mqtt"])


@contextlib.contextmanager
def never_reads(service: Service, name: str, key: str, topic: str) -> Iterator[None]:
    """A subscriber (QoS 1) that reads nothing any more once it has subscribed: CONNECT
    and SUBSCRIBE as bytes."""
    texts = (b"deaf", name.encode(), key.encode())
    head = b"\x00\x04MQTT\x04\xc0\x00\x00" + b"".join(
        struct.pack(">H", len(text)) + text for text in texts
    )
    wanted = struct.pack(">HH", 1, len(topic)) + topic.encode() + b"\x01"
    with socket.create_connection(("127.0.0.1", service.mqtt_port)) as deaf:
        deaf.sendall(bytes((0x10, len(head))) + head + bytes((0x82, len(wanted))) + wanted)
        time.sleep(0.5)  # it is not read whether that was taken
        yield


def call(service: Service, method: str, path: str, **rest: Any) -> httpx.Response:
    """A request of the service's owner."""
    return httpx.request(
        method, service.url + path, headers={"Authorization": f"Bearer {service.token}"}, **rest
    )


@contextlib.contextmanager
def started_after(service: Service, preparation: str) -> Iterator[subprocess.Popen[str]]:
    """The hub, started in a process that first runs these lines of Python: for bounds
    that a test could reach only slowly, and for limits of the process."""
    program = (
        f"{preparation}\nimport runpy, sys\nsys.argv = ['hombi', 'serve']\n"
        "runpy.run_module('hombi.cli.app', run_name='__main__')"
    )
    process = subprocess.Popen(
        [sys.executable, "-c", program],
        env={**service.environment, "PYTHONPATH": str(Path(__file__).resolve().parents[1])},
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
    )
    assert process.stdout is not None
    for line in process.stdout:
        service.said.append(line)
        if "enter the code" in line:
            service.code = line.split()[-1]
        if line.startswith("Ready"):
            break
    try:
        yield process
    finally:
        process.send_signal(signal.SIGKILL)
        process.wait()
