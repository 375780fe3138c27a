"""Large packs of nodes. They are read beside the loop and taken a part at a time, so
that what one node kept for a week holds nobody else up."""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Callable

from hombi.core.errors import SenmlError
from hombi.core.senml import Resolved, read_pack
from hombi.links.wifi.mqtt.contract import Acknowledge
from hombi.links.wifi.mqtt.delivery import after
from hombi.links.work import Work

LARGE = 16 * 1024
AT_ONCE = 250
# A node, values of it, what of its pack cannot be taken, and who waits for them.
Take = Callable[[str, list[Resolved], list[str], Acknowledge], None]


class LargePacks:
    """Takes them one after another, for each node by itself."""

    def __init__(self, take: Take, work: Work) -> None:
        self._take, self._work = take, work
        self._waiting: dict[str, deque[tuple[bytes, int, Acknowledge]]] = {}

    def wants(self, node: str, payload: bytes) -> bool:
        """Whether this is one, or comes after one that is not taken yet."""
        return len(payload) > LARGE or node in self._waiting

    def add(self, node: str, payload: bytes, now_ms: int, acknowledge: Acknowledge) -> None:
        """Take a pack that came just now, in its turn."""
        waiting = self._waiting.get(node)
        if waiting is None:
            waiting = self._waiting[node] = deque()
            self._work.start(self._take_all(node, waiting), f"a large pack of {node}")
        waiting.append((payload, now_ms, acknowledge))

    async def _take_all(self, node: str, waiting: deque[tuple[bytes, int, Acknowledge]]) -> None:
        try:
            while waiting:
                payload, now_ms, acknowledge = waiting.popleft()
                try:
                    values, refused = await asyncio.to_thread(read_pack, payload, now_ms)
                except SenmlError as error:
                    values, refused = [], [str(error)]
                places = range(0, max(1, len(values)), AT_ONCE)
                safe = after(len(places), acknowledge)
                for place in places:
                    self._take(node, values[place : place + AT_ONCE], refused, safe)
                    refused = []
                    await asyncio.sleep(0)
        finally:
            del self._waiting[node]
