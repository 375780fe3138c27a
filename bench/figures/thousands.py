"""A house with thousands of automations: its start, its list, and what a value
takes."""

from __future__ import annotations

import sqlite3
import statistics
import time
from contextlib import closing

from bench.figures.measures import Row
from bench.rig import hub, quick_nodes
from tests.house import Service

AUTOMATIONS, NODES, VALUES = 4_000, 40, 200
TEXT = """name = "Too warm {n}"
[watch]
entity = "node-{node}/t0"
over = "{limit} °C"
held = "5 min"
[[starts]]
notify = "everyone"
title = "Too warm"
"""


def thousands() -> list[Row]:
    """The texts are put into the database: adding them is not what is measured."""
    with hub() as service:
        nodes = quick_nodes(service, NODES)
        with service.hub() as client:
            client.automations.add(TEXT.format(n=0, node=0, limit=30))
        service.stop()
        _copy_them(service)
        begun = time.perf_counter()
        service.start()
        start_s = time.perf_counter() - begun
        with service.hub() as client:
            begun = time.perf_counter()
            count = len(client.automations.list())
            list_s = time.perf_counter() - begun
        senders, took = list(nodes.values()), []
        for number in range(VALUES):
            begun = time.perf_counter()
            sent = senders[number % NODES].post([{"n": "t0", "v": 20 + number % 5}])
            took.append(time.perf_counter() - begun)
            sent.raise_for_status()
    assert count == AUTOMATIONS
    value_s = statistics.median(took)
    many = f"{AUTOMATIONS:,} automations"
    return [
        (f"{many}: the hub starts", f"{start_s:.1f} s", "under 6 s", start_s < 6),
        (f"{many}: the client lists them", f"{list_s:.1f} s", "under 2 s", list_s < 2),
        (
            f"{many}: a value over HTTP, median",
            f"{value_s * 1000:.1f} ms",
            "under 20 ms",
            value_s < 0.02,
        ),
    ]


def _copy_them(service: Service) -> None:
    with closing(sqlite3.connect(service.data / "hub.sqlite3")) as database, database:
        texts = (
            (f"too-warm-{n}", TEXT.format(n=n, node=n % NODES, limit=30 + n % 20))
            for n in range(1, AUTOMATIONS)
        )
        database.executemany(
            "INSERT INTO records_automation (slug, text, enabled, state) VALUES (?, ?, 1, '{}')",
            texts,
        )
