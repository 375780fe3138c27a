"""The bare counterpart: the same listener and Django's `bulk_create`, with nothing
between them but JSON parsing.

HOMBI_DATA=… python -m bench.bare PORT     until it is terminated
"""

from __future__ import annotations

import asyncio
import json
import os
import sys
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import django
import uvloop

from hombi.core.outcome import Outcome
from hombi.hub.kernel import RealClock, Supervisor
from hombi.hub.readings.port import Row
from hombi.links.wifi.mqtt.contract import Acknowledge, Rights
from hombi.links.wifi.mqtt.door import Door
from hombi.links.wifi.mqtt.listener import Listener
from hombi.links.wifi.mqtt.packets import Publish
from hombi.links.wifi.rights import NodeRights
from hombi.links.work import Work

BATCH = 2_000


class Bare:
    """Parses, gathers, commits, acknowledges."""

    def __init__(self, store: Callable[[list[Row]], None], ids: dict[str, int]) -> None:
        self._store, self._ids = store, ids
        self._rows: list[Row] = []
        self._told: list[Acknowledge] = []
        self._work = asyncio.Event()
        self._pool = ThreadPoolExecutor(1)

    def sign_in(self, username: str | None, password: bytes | None) -> Rights | None:
        return NodeRights(username or "")

    def published(self, rights: Rights, message: Publish, acknowledge: Acknowledge) -> None:
        if message.topic.endswith("/presence"):
            acknowledge(Outcome.SAFE)  # the echo: routed by the door, nothing else
            return
        for record in json.loads(message.payload):
            entity = self._ids[f"{rights.account}/{record['n']}"]
            self._rows.append((entity, round(record["t"] * 1000), 0, record["v"], record["v"], 0))
        self._told.append(acknowledge)
        self._work.set()

    def connected(self, rights: Rights) -> None: ...

    def disconnected(self, rights: Rights) -> None: ...

    def subscribed(self, rights: Rights, name_filter: str) -> None: ...

    def turned_away(self, account: str, why: str) -> None: ...

    def keep(self, key: str, state: dict[str, Any] | None) -> None: ...

    def when_kept(self, call: Callable[[], None]) -> None:
        call()

    async def write(self) -> None:
        loop = asyncio.get_running_loop()
        while True:
            await self._work.wait()
            self._work.clear()
            while self._rows:
                rows, told = self._rows[:BATCH], self._told[:BATCH]
                del self._rows[:BATCH], self._told[:BATCH]
                await loop.run_in_executor(self._pool, self._store, rows)
                for acknowledge in told:
                    acknowledge(Outcome.SAFE)


async def main(port: int) -> None:
    from hombi.service.records.models import Entity, Reading

    ids = await asyncio.to_thread(
        lambda: {
            f"{e.node.address}/{e.wire_name}": e.pk for e in Entity.objects.select_related("node")
        }
    )

    def store(rows: list[Row]) -> None:
        made = [Reading(*row) for row in rows]
        Reading.objects.bulk_create(made, ignore_conflicts=True, batch_size=len(rows))

    bare = Bare(store, ids)
    work = Work(Supervisor(RealClock(), lambda _: None))
    await Listener(Door(bare), work, "127.0.0.1", port).open()
    print("Ready", flush=True)
    await bare.write()


if __name__ == "__main__":
    sys.setswitchinterval(0.0005)  # as the hub has it
    os.environ["DJANGO_SETTINGS_MODULE"] = "hombi.service.settings"
    django.setup()
    uvloop.run(main(int(sys.argv[1])))
