"""What is measured. Each returns rows: (what, measured, wanted, whether it holds)."""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import httpx
import paho.mqtt.client as paho

from bench import rig
from hombi.client import HubUnreachable, Missing
from hombi.wire.live import ReadingNews
from tests.broker import Broker
from tests.house import PLUG, Joined, Service, description, let_in, never_reads, until

Row = tuple[str, str, str, bool]
NODES, ENTITIES, SECONDS, WINDOW = 20, 10, 10.0, 100
# A broker acknowledges at once what it has in its queue, so nothing slows the senders
# down: this is less than it holds.
BROKER_SECONDS, BROKER_WINDOW = 1.0, 20
MONTH_ROWS, MONTH_ENTITIES = 43_200, 200


def intake() -> list[Row]:
    """Publish at the door to committed row and PUBACK, 200 entities, QoS 1, sustained;
    beside the bare counterpart."""
    with rig.hub() as service:
        keys = rig.keys_file(service, rig.nodes(service, NODES, ENTITIES), ENTITIES)
        rates: dict[str, list[float]] = {"hub": [], "bare": []}
        service.stop()
        for _ in range(3):
            with rig.bare(service) as port:
                messages, seconds = rig.load(port, SECONDS, WINDOW, keys)
                rates["bare"].append(messages / seconds)
            service.start()
            messages, seconds = rig.load(service.mqtt_port, SECONDS, WINDOW, keys)
            rates["hub"].append(messages / seconds)
            service.stop()
        ours, plain = statistics.median(rates["hub"]), statistics.median(rates["bare"])
    return [
        (
            "intake, readings/s committed and acknowledged",
            f"{ours:,.0f}",
            "5,000 or more",
            ours >= 5000,
        ),
        (
            "intake, part of the bare listener's rate",
            f"{ours / plain:.2f} (bare {plain:,.0f}/s)",
            "0.50 or more",
            ours / plain >= 0.5,
        ),
    ]


def broker() -> list[Row]:
    """By mosquitto: publish to committed row and acknowledgement; beside a bare paho
    subscriber at the same broker."""
    names = [f"node-{n}" for n in range(NODES)]
    rates: dict[str, list[float]] = {"hub": [], "bare": []}
    with tempfile.TemporaryDirectory() as folder, rig.hub() as service:
        house = Broker(Path(folder) / "broker").start()
        (service.data / "hombi.toml").write_text(f'{house.table()}topics = ["mill/#"]\n')
        with service.hub() as hub:
            until(
                lambda: any(c.part.startswith("broker") and c.state == "ok" for c in hub.doctor())
            )
            hub.messages.pick(
                via="broker",
                topic="mill/{node}/t",
                pointer="/value",
                at="/at",
                kind="temperature",
                title="t",
                nodes=names,
            )
            for _ in range(3):
                with rig.bare_subscriber(house, "bare/#") as heard:
                    begun = time.time()
                    sent, _ = rig.load(
                        house.port,
                        BROKER_SECONDS,
                        BROKER_WINDOW,
                        rig.broker_keys(service, house, "bare", names),
                    )
                    rates["bare"].append(sent / (heard(sent) - begun))
                before, begun = hub.house().readings_committed, time.time()
                sent, _ = rig.load(
                    house.port,
                    BROKER_SECONDS,
                    BROKER_WINDOW,
                    rig.broker_keys(service, house, "mill", names),
                )
                until(
                    lambda before=before, sent=sent: (
                        hub.house().readings_committed - before >= sent
                    ),
                    120,
                )
                rates["hub"].append(sent / (time.time() - begun))
        house.stop()
    ours, plain = statistics.median(rates["hub"]), statistics.median(rates["bare"])
    return [
        (
            "by mosquitto, readings/s committed and acknowledged",
            f"{ours:,.0f}",
            "3,000 or more",
            ours >= 3000,
        ),
        (
            "by mosquitto, part of a bare paho subscriber's rate",
            f"{ours / plain:.2f} (bare {plain:,.0f}/s)",
            "0.50 or more",
            ours / plain >= 0.5,
        ),
    ]


def steady(minutes: float = 5) -> list[Row]:
    """200 nodes at one message a second over the hub's door: from the publish to the
    live stream, and the hub's memory."""
    late: list[float] = []
    with rig.hub() as service:
        keys = rig.keys_file(service, rig.quick_nodes(service, 200), 1)
        pid = int((service.data / "hub.lock").read_text())

        def follow() -> None:
            with service.hub() as hub, contextlib.suppress(HubUnreachable):
                for event in hub.live():
                    if isinstance(event.news, ReadingNews):
                        late.append(time.time() * 1000 - event.news.at)

        threading.Thread(target=follow, daemon=True).start()
        words = [
            sys.executable,
            "-m",
            "bench.steady",
            str(service.mqtt_port),
            str(60 * minutes),
            str(keys),
        ]
        with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as sending:
            time.sleep(60)
            early = memory_mb(pid)
            sent = json.loads(sending.communicate()[0])["messages"]
        until(lambda: len(late) >= sent)
        grown = memory_mb(pid) - early
    p99 = statistics.quantiles(late, n=100)[98]
    return [
        (
            f"200 nodes at one message a second for {minutes:g} min, to the live stream",
            f"{statistics.median(late):.1f} ms, p99 {p99:.0f} ms",
            "p99 under 100 ms",
            p99 < 100,
        ),
        (
            "the same, memory of the hub from the first minute to the last",
            f"{grown:+.1f} MB",
            "flat: within 5 MB",
            abs(grown) < 5,
        ),
    ]


class Pinger:
    """Publishes, and measures until something arrives."""

    def __init__(
        self, port: int, joined: Joined, publish_to: str, hear: Joined, hear_on: str
    ) -> None:
        self.topic, self._arrived = publish_to, threading.Event()
        self._at = 0.0
        self.out, self.back = joined.mqtt("out"), hear.mqtt("in")
        ready = threading.Event()
        self.back.on_message = self._heard
        self.back.on_subscribe = lambda *_: ready.set()
        for client in (self.out, self.back):
            client.connect("127.0.0.1", port)
            client.socket().setsockopt(6, 1, 1)  # type: ignore[union-attr]
            client.loop_start()
        self.back.subscribe(hear_on, qos=1)
        assert ready.wait(5)

    def _heard(self, client: paho.Client, _: object, message: paho.MQTTMessage) -> None:
        self._at = time.perf_counter()
        self._arrived.set()

    def ping(self, payload: str) -> float:
        """Milliseconds from the publish to the arrival."""
        self._arrived.clear()
        begun = time.perf_counter()
        self.out.publish(self.topic, payload, qos=1)
        assert self._arrived.wait(5), "nothing arrived"
        return (self._at - begun) * 1000

    def close(self) -> None:
        for client in (self.out, self.back):
            client.disconnect()
            client.loop_stop()


def traffic(port: int, found: dict[str, Joined], stop: threading.Event) -> threading.Thread:
    """200 readings/s of other traffic, evenly spread."""

    def run() -> None:
        clients = {node: joined.mqtt("traffic") for node, joined in found.items()}
        for client in clients.values():
            client.connect("127.0.0.1", port)
            client.loop_start()
        number = 0
        while not stop.is_set():
            for node, client in clients.items():
                number += 1
                client.publish(
                    f"hombi/{node}/readings",
                    json.dumps([{"n": "t0", "v": number % 30, "t": round(time.time(), 3)}]),
                    qos=1,
                )
                time.sleep(1 / 200)
        for client in clients.values():
            client.disconnect()
            client.loop_stop()

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    return thread


def reaction(samples: int = 400) -> list[Row]:
    """Publish that crosses a limit to the command at the switch, no hold, with 200
    readings/s of other traffic."""
    with rig.hub() as service:
        others = rig.nodes(service, 10, 1)
        rack = let_in(
            service,
            description("Rack", humidity={"type": "number", "unit": "%RH", "readOnly": True}),
        )
        plug = let_in(service, description("Plug", **PLUG))
        text = (
            'name = "{0}"\n[watch]\nentity = "rack/humidity"\n{0} = "50 '
            '%"\n[[starts]]\nswitch = "plug/switch"\nto = "{1}"\n'
        )
        with service.hub() as hub:
            hub.automations.add(text.format("over", "on"))
            hub.automations.add(text.format("under", "off"))
        stop = threading.Event()
        thread = traffic(service.mqtt_port, others, stop)
        pinger = Pinger(
            service.mqtt_port, rack, rack.topics["readings"], plug, plug.topics["wanted"]
        )
        for n in range(20):
            pinger.ping(json.dumps([{"n": "humidity", "v": 40 + 20 * (n % 2)}]))
        times = []
        for n in range(samples):
            times.append(pinger.ping(json.dumps([{"n": "humidity", "v": 40 + 20 * (n % 2)}])))
            time.sleep(0.005)
        stop.set()
        thread.join()
        pinger.close()
        service.stop()
        with rig.bare(service) as port:
            stop = threading.Event()
            thread = traffic(port, others, stop)
            echo = Pinger(port, rack, rack.topics["presence"], rack, rack.topics["presence"])
            for _ in range(20):
                echo.ping("x" * 30)
            echoes = []
            for _ in range(samples):
                echoes.append(echo.ping("x" * 30))
                time.sleep(0.005)
            stop.set()
            thread.join()
            echo.close()
    median, bare = statistics.median(times), statistics.median(echoes)
    p99 = statistics.quantiles(times, n=100)[98]
    return [
        (
            "automation, median, against a bare MQTT echo",
            f"{median / bare:.2f} ({median:.2f} ms, echo {bare:.2f} ms)",
            "3 or less",
            median <= 3 * bare,
        ),
        ("automation, p99", f"{p99:.1f} ms", "under 25 ms", p99 < 25),
    ]


def zigbee(count: int = 200, frames: int = 24_000, samples: int = 300) -> list[Row]:
    """200 Zigbee nodes reporting over a pty: frames to committed readings, and from a
    frame in to the automation's frame out."""
    with (
        tempfile.TemporaryDirectory() as folder,
        rig.air("zigbee", folder, str(count)) as air,
        rig.hub(HOMBI_ZIGBEE_PORT=f"{folder}/stick") as service,
        service.hub() as hub,
    ):
        until(lambda: hub.zigbee.info().state == "up")
        for number in range(count + 1):
            if number % 50 == 0:
                hub.pairing.open("15 min")
            thing = air(f"join {number}")
            found = until(
                lambda thing=thing: [
                    a for a in hub.pairing.arrivals() if (a.thing, a.state) == (thing, "waiting")
                ],
                30,
            )
            hub.pairing.admit(found[0].id, name=f"Node {number}")
        hub.pairing.close()
        until(lambda: len(hub.nodes.list()) == count + 1)
        rates = []
        for _ in range(3):
            before = hub.house().readings_committed
            begun = air(f"flood {frames}")
            until(lambda before=before: hub.house().readings_committed - before >= frames, 60)
            rates.append(frames / (time.time() - begun))
            time.sleep(3)  # each node may send so many a second, and more for a while
        text = (
            '[watch]\nentity = "node-0/temperature"\n{0} = "20 °C"\n[[starts]]\nswitch = '
            '"node-{2}/switch"\nto = "{1}"\n'
        )
        hub.automations.add('name = "Over"\n' + text.format("over", "on", count))
        hub.automations.add('name = "Under"\n' + text.format("under", "off", count))
        air("react 10")
        times = air(f"react {samples}")
    rate, p99 = statistics.median(rates), statistics.quantiles(times, n=100)[98]
    what = f"{statistics.median(times):.1f} ms, p99 {p99:.1f} ms"
    return [
        (
            f"{count} Zigbee nodes, frames/s to committed readings",
            f"{rate:,.0f}",
            "2,000 or more",
            rate >= 2000,
        ),
        (
            "Zigbee, from the frame in to the automation's command frame out",
            what,
            "p99 under 15 ms",
            p99 < 15,
        ),
    ]


def bluetooth(count: int = 100, rate: float = 1_000, seconds: float = 20) -> list[Row]:
    """1,000 advertisements a second from 100 nodes, 20 of them let in: the hub's
    processor time."""
    with (
        tempfile.TemporaryDirectory() as folder,
        rig.air("bluetooth", folder, str(count), str(rate)) as air,
    ):
        env = {"HOMBI_BLUETOOTH_USE": "on", "DBUS_SYSTEM_BUS_ADDRESS": f"unix:path={folder}/bus"}
        with rig.hub(**env) as service, service.hub() as hub:
            hub.pairing.open("1 min")
            # All are heard, and only so many can wait: who waits changes all the while.
            until(lambda: len(hub.pairing.arrivals()) >= 20, 30)
            while len(hub.nodes.list()) < 20:
                found = hub.pairing.arrivals()[-1]
                with contextlib.suppress(Missing):
                    hub.pairing.admit(found.id, name=found.title)
            hub.pairing.close()
            pid = int((service.data / "hub.lock").read_text())
            time.sleep(2)
            before, sent, begun = processor_s(pid), air("count_sent"), time.time()
            readings = hub.house().readings_committed
            time.sleep(seconds)
            spent, heard, took = (
                processor_s(pid) - before,
                air("count_sent") - sent,
                time.time() - begun,
            )
            readings = hub.house().readings_committed - readings
    share = spent / took
    what = (
        f"{100 * share:.1f} % of a core ({heard / took:,.0f}/s heard, "
        f"{readings / took:,.0f} readings/s committed)"
    )
    return [
        (f"{rate:,.0f} Bluetooth advertisements/s, processor", what, "under 15 %", share < 0.15)
    ]


def month() -> list[Row]:
    """One entity's month of 43,200 readings among 8.6 million, as 600 points through
    the API, warm."""
    with rig.hub() as service:
        rig.nodes(service, 20, 10)
        service.stop()
        end = round(time.time() * 1000)
        with sqlite3.connect(service.data / "hub.sqlite3") as db:
            ids = [
                row[0]
                for row in db.execute(
                    "SELECT id FROM records_entity ORDER BY id LIMIT ?", (MONTH_ENTITIES,)
                )
            ]
            for entity in ids:
                db.execute(
                    "INSERT INTO records_reading WITH RECURSIVE n(i) AS (SELECT 0 UNION "
                    "ALL SELECT i + 1 FROM n WHERE i < ? - 1) "
                    "SELECT ?, ? - i * 60000, 0, 20 + i % 97 / 10.0, 20 + i % 97 / 10.0, 0 "
                    "FROM n ORDER BY i DESC",
                    (MONTH_ROWS, entity, end),
                )
            (total,) = db.execute("SELECT count(*) FROM records_reading").fetchone()
        service.start()
        headers = {"Authorization": f"Bearer {service.token}"}
        with httpx.Client(base_url=service.url, headers=headers) as http:
            times = []
            for _ in range(12):
                begun = time.perf_counter()
                answer = http.get(
                    "/api/entities/node-7/t3/history", params={"span": "month", "points": 600}
                )
                times.append((time.perf_counter() - begun) * 1000)
            assert len(answer.json()["at"]) == 600
            begun = time.perf_counter()
            http.get("/api/entities/node-7/t3")
            light = (time.perf_counter() - begun) * 1000
    warm = statistics.median(times[2:])
    return [
        (
            f"a month of one entity among {total / 1e6:.1f} million, 600 points",
            f"{warm:.0f} ms ({warm / light:.0f} times a call without a series)",
            "under 150 ms",
            warm < 150,
        )
    ]


def screen(samples: int = 40) -> list[Row]:
    """Publish to the pixel's text: a new reading on the room's page in a headless
    browser."""
    from playwright.sync_api import sync_playwright

    from tests.browser.conftest import sign_in
    from tests.house import CLIMATE

    with rig.hub() as service:
        rack = let_in(service, description("Cellar rack", **CLIMATE))
        rack.post([{"n": "humidity", "v": 50}])
        with sync_playwright() as play, rack.connected() as client:
            args = [
                "--no-sandbox",
                "--disable-quic",
                "--host-resolver-rules=MAP * ~NOTFOUND , EXCLUDE 127.0.0.1",
            ]
            browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=args)
            page = browser.new_page(base_url=service.url)
            sign_in(page)
            page.goto("/rooms/cheese-cellar")
            page.locator('[data-entity="cellar-rack/humidity"]').wait_for()
            page.evaluate(
                """() => { window.seen = {}; new MutationObserver(() => {
                    const tile = document.querySelector('[data-entity="cellar-rack/humidity"]');
                    const text = tile.textContent;
                    const value = /(\\d+\\.\\d)%/.exec(text)?.[1];
                    if (value && !(value in window.seen)) window.seen[value] = Date.now();
                }).observe(document.body, {subtree: true, childList: true,
                characterData: true}); }"""
            )
            sent = {}
            for n in range(samples):
                value = f"{51 + n}.5" if n < 45 else f"{n - 44}.5"
                sent[value] = time.time() * 1000
                client.publish(
                    rack.topics["readings"],
                    json.dumps([{"n": "humidity", "v": float(value)}]),
                    qos=1,
                )
                page.wait_for_timeout(120)
            seen = page.evaluate("window.seen")
            browser.close()
    times = [seen[value] - at for value, at in sent.items()]
    worst = max(times)
    return [
        (
            "a new reading on the screen",
            f"{statistics.median(times):.0f} ms, at most {worst:.0f} ms",
            "within 300 ms",
            worst < 300,
        )
    ]


def footprint(seconds: float = 60) -> list[Row]:
    """The demo house at speed 1: the hub's memory and its processor time."""
    with rig.hub() as empty:
        port = empty.port
        empty.stop()
        demo = Service(empty.data.with_name("demo"), port, 0)
        env = {**empty.environment, "HOMBI_DATA": str(demo.data)}
        env.pop("HOMBI_MQTT_PORT")
        env.pop("HOMBI_BLUETOOTH_USE")
        process = subprocess.Popen(
            [sys.executable, "-m", "hombi.cli.app", "demo"],
            env=env,
            stdout=subprocess.PIPE,
            text=True,
        )
        assert process.stdout is not None
        for line in process.stdout:
            if "Ctrl-C" in line:
                break
        pid = int((demo.data / "hub.lock").read_text())
        time.sleep(5)
        before = processor_s(pid)
        time.sleep(seconds)
        share = (processor_s(pid) - before) / seconds
        memory = memory_mb(pid)
        process.terminate()
        until(lambda: process.poll() is not None)
    return [
        (
            f"the demo house at speed 1, processor over {seconds:.0f} s",
            f"{100 * share:.1f} % of a core",
            "under 3 %",
            share < 0.03,
        ),
        ("the demo house, memory of the hub", f"{memory:.0f} MB", "under 250 MB", memory < 250),
    ]


def sleepers(messages: int = 3_000, large: int = 400) -> list[Row]:
    """What waits for a subscriber that sleeps, and for one that never reads: memory,
    and how long another one waits meanwhile."""
    with rig.hub() as service, service.hub() as hub:
        assert service.process is not None
        keys = {
            name: hub.tools.add(name, ["bench/#"], ["bench/#"]).key
            for name in ("board", "sleeper", "deaf")
        }
        sleeper, board = (Joined(service, name, keys[name], {}) for name in ("sleeper", "board"))
        sleeping = sleeper.mqtt("sleeper", clean=False)
        sleeping.on_connect = lambda client, *_: client.subscribe("bench/small", qos=1)
        sleeping.on_subscribe = lambda client, *_: client.disconnect()
        sleeping.connect("127.0.0.1", service.mqtt_port)
        sleeping.loop_forever()
        client = board.mqtt("board")
        client.connect("127.0.0.1", service.mqtt_port)
        client.loop_start()
        before = memory_mb(service.process.pid)
        for _ in range(messages):
            client.publish("bench/small", b"x" * 1_000, qos=1).wait_for_publish(30)
        small = memory_mb(service.process.pid) - before
        node, waits = let_in(service, description("Rack", **PLUG)), list[float]()
        with never_reads(service, "deaf", keys["deaf"], "bench/#"):
            before = memory_mb(service.process.pid)
            for number in range(large):
                client.publish("bench/large", b"x" * 200_000, qos=1).wait_for_publish(30)
                if number % 20 == 0:
                    begun = time.perf_counter()
                    assert node.post([{"n": "power", "v": number}]).is_success
                    waits.append(1000 * (time.perf_counter() - begun))
            deaf = memory_mb(service.process.pid) - before
        client.disconnect()
        client.loop_stop()
    return [
        (
            f"{messages:,} messages of 1 kB for a sleeper, memory of the hub",
            f"+{small:.1f} MB",
            "under 10 MB",
            small < 10,
        ),
        (
            f"{large} of 200 kB for one that never reads, memory",
            f"+{deaf:.1f} MB",
            "under 20 MB",
            deaf < 20,
        ),
        (
            "the same, another node's reading meanwhile",
            f"at most {max(waits):.0f} ms",
            "under 500 ms",
            max(waits) < 500,
        ),
    ]


def processor_s(pid: int) -> float:
    """Seconds of processor time a process has used."""
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def memory_mb(pid: int) -> float:
    """Resident memory."""
    line = next(
        line
        for line in Path(f"/proc/{pid}/status").read_text().splitlines()
        if line.startswith("VmRSS")
    )
    return int(line.split()[1]) / 1024


def command_line() -> list[Row]:
    """A command with a table of values, beside a Python that does nothing."""

    def took(words: list[str], env: dict[str, str] | None = None) -> float:
        times = []
        for _ in range(15):
            begun = time.perf_counter()
            subprocess.run(words, env=env, stdout=subprocess.DEVNULL, check=True)
            times.append(time.perf_counter() - begun)
        return statistics.median(times[2:])

    with rig.hub() as service:
        rig.nodes(service, 10, 4)
        nothing = took([sys.executable, "-c", "pass"])
        now = took([sys.executable, "-m", "hombi.cli.app", "now"], service.environment)
    what = f"{now:.2f} s (`python -c pass` {nothing:.2f} s)"
    return [("`hombi now`, from the shell to its last line", what, "under 0.3 s", now < 0.3)]


def first_load() -> list[Row]:
    """What the console's first page loads of JavaScript, gzipped."""
    import gzip
    import re

    files = Path(__file__).parents[1] / "hombi" / "service" / "console_files"
    page = (files / "index.html").read_text()
    size = sum(
        len(gzip.compress((files / name).read_bytes()))
        for name in re.findall(r'(?:src|href)="/(assets/[^"]+\.js)"', page)
    )
    return [
        (
            "the console's first load, JavaScript gzipped",
            f"{size / 1000:.0f} kB",
            "under 200 kB",
            size < 200_000,
        )
    ]


ALL = {
    f.__name__: f
    for f in (
        intake,
        broker,
        steady,
        reaction,
        sleepers,
        zigbee,
        bluetooth,
        month,
        screen,
        footprint,
        command_line,
        first_load,
    )
}
