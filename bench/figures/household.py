"""What a household asks of the hub at once: many open consoles, and a backup while
readings come in."""

from __future__ import annotations

import asyncio
import json
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import httpx

from bench import rig
from bench.figures.measures import Row, traffic
from tests.house import Service

CONSOLES, LOOKED_AT_S = 100, 15.0
NODES, STORED = 500, 1_000_000
WANTED_CONSOLE_MS, WANTED_BACKUP_MS = 500, 250


async def delays_ms(service: Service, consoles: int, stop: threading.Event) -> list[float]:
    """From a reading's own stamp until it arrived at a console, for each console, until
    told to stop."""
    result: list[float] = []

    async def watch(client: httpx.AsyncClient) -> None:
        headers = {"Authorization": f"Bearer {service.token}"}
        async with client.stream("GET", f"{service.url}/api/live", headers=headers) as answer:
            async for line in answer.aiter_lines():
                if stop.is_set():
                    return
                if line.startswith("data: "):
                    heard = time.time() * 1000
                    news = json.loads(line.removeprefix("data: "))
                    result.extend(
                        heard - one["at"]
                        for one in (news if isinstance(news, list) else [news])
                        if one.get("entity") and one.get("value") is not None
                    )

    limits = httpx.Limits(max_connections=consoles)
    async with httpx.AsyncClient(timeout=60, limits=limits) as client:
        await asyncio.gather(*(watch(client) for _ in range(consoles)))
    return result


def consoles() -> list[Row]:
    """100 open consoles while 200 readings come a second."""
    stop = threading.Event()
    with rig.hub() as service:
        sending = traffic(service.mqtt_port, rig.quick_nodes(service, 10), stop)
        threading.Timer(LOOKED_AT_S, stop.set).start()
        result = asyncio.run(delays_ms(service, CONSOLES, stop))
        sending.join()
    p99 = statistics.quantiles(result, n=100)[98]
    what = f"{CONSOLES} open consoles, 200 readings/s: p99 of a reading's way to all of them"
    return [(what, f"{p99:.0f} ms", f"under {WANTED_CONSOLE_MS} ms", p99 < WANTED_CONSOLE_MS)]


def keeping() -> list[Row]:
    """A backup of a million readings while 500 come a second: the latest of them."""
    stop, result = threading.Event(), list[float]()
    with rig.hub() as service, tempfile.TemporaryDirectory() as folder:
        nodes = rig.quick_nodes(service, NODES)
        (first, *_) = nodes.values()
        begun = round(time.time()) - STORED
        for start in range(0, STORED, 100_000):
            lines = (f"{begun + n},{20 + n % 50 / 10}" for n in range(start, start + 100_000))
            body = "\n".join(["time,v", *lines]).encode()
            with service.hub() as hub:
                hub.entities.import_csv(f"{first.node}/t0", body, apply=True)
        keys = rig.keys_file(service, nodes, 1)
        words = [sys.executable, "-m", "bench.steady", str(service.mqtt_port), "60", str(keys)]
        watching = threading.Thread(
            target=lambda: result.extend(asyncio.run(delays_ms(service, 1, stop)))
        )
        with subprocess.Popen(words, stdout=subprocess.DEVNULL) as sending:
            time.sleep(3)
            watching.start()
            at = time.perf_counter()
            made = service.hombi("backup", str(Path(folder) / "mill.backup"))
            took = time.perf_counter() - at
            stop.set()
            watching.join()
            sending.kill()
        assert made.returncode == 0, made.stderr
    worst = max(result)
    what = (
        f"a backup of {STORED:,} readings ({took:.0f} s) with {NODES} coming a second: the latest"
    )
    return [(what, f"{worst:.0f} ms", f"under {WANTED_BACKUP_MS} ms", worst < WANTED_BACKUP_MS)]
