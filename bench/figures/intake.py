"""Readings in: at the door, by a broker, steadily."""

from __future__ import annotations

import contextlib
import json
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

from bench import rig
from bench.figures.measures import Row, memory_mb
from hombi.client import HubUnreachable
from hombi.wire.live import ReadingNews
from tests.broker import Broker
from tests.house import until

NODES, ENTITIES, SECONDS, WINDOW = 20, 10, 10.0, 100
# A broker acknowledges at once what it has in its queue, so nothing slows the senders
# down: this is less than it holds.
BROKER_SECONDS, BROKER_WINDOW = 1.0, 20


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
