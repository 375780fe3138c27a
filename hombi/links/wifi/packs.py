"""The packs of readings that nodes publish. A large one is read beside the loop and
taken in parts, so that what one node kept for a week holds nobody else up; what the
same node sends after it comes after it."""

from __future__ import annotations

import asyncio
from collections import deque
from functools import partial

import msgspec

from hombi.core.errors import SenmlError
from hombi.core.senml import LARGE_PACK, Resolved, read_pack
from hombi.links.base import Reports
from hombi.links.wifi.mqtt.contract import Acknowledge, with_reason
from hombi.links.wifi.mqtt.packets import BAD_PAYLOAD, QUOTA
from hombi.links.work import Work

REFUSALS_TOLD = 5
# So many small packs that waited for a large one are taken before others have a turn.
AT_ONCE = 50


class _Pack(msgspec.Struct, frozen=True):
    """One that came, and when; its sender waits for the acknowledgement."""

    node: str
    payload: bytes
    now_ms: int
    acknowledge: Acknowledge


class Packs:
    """Takes them one after another, for each node by itself."""

    def __init__(self, reports: Reports, work: Work) -> None:
        self._reports, self._work = reports, work
        self._waiting: dict[str, deque[_Pack]] = {}

    def came(self, node: str, payload: bytes, now_ms: int, acknowledge: Acknowledge) -> None:
        """A node published a pack just now."""
        pack, waiting = _Pack(node, payload, now_ms, acknowledge), self._waiting.get(node)
        if waiting is not None:
            waiting.append(pack)
        elif len(payload) <= LARGE_PACK:
            self._take(pack)
        else:
            waiting = self._waiting[node] = deque([pack])
            self._work.start(self._take_all(node, waiting), f"a large pack of {node}")

    async def _take_all(self, node: str, waiting: deque[_Pack]) -> None:
        small = 0
        try:
            while waiting:
                pack = waiting.popleft()
                if len(pack.payload) > LARGE_PACK:
                    values, refused = await asyncio.to_thread(_read, pack)
                    if self._told(pack, values, refused):
                        answer = partial(with_reason, pack.acknowledge)
                        await self._reports.observed_in_parts(node, values, answer)
                else:
                    self._take(pack)
                    small += 1
                    if small % AT_ONCE == 0:
                        await asyncio.sleep(0)
        finally:
            del self._waiting[node]
            for pack in waiting:  # the hub stops, or a fault of its own ended this
                pack.acknowledge(QUOTA)

    def _take(self, pack: _Pack) -> None:
        values, refused = _read(pack)
        if self._told(pack, values, refused):
            self._reports.observed(pack.node, values, partial(with_reason, pack.acknowledge))

    def _told(self, pack: _Pack, values: list[Resolved], refused: list[str]) -> bool:
        """Tell what of a pack cannot be taken. Whether there is something that can."""
        for what in refused[:REFUSALS_TOLD]:
            self._reports.refused(pack.node, what)
        if not values:
            # 3.1.1 has no way to tell the sender; without an acknowledgement it would
            # send the same for ever.
            pack.acknowledge(BAD_PAYLOAD if refused else 0)
        return bool(values)


def _read(pack: _Pack) -> tuple[list[Resolved], list[str]]:
    try:
        return read_pack(pack.payload, pack.now_ms)
    except SenmlError as error:
        return [], [str(error)]
