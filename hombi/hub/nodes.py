"""Actions on admitted nodes, what their links report of them, and noticing when one falls silent."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from hombi.core.senml import Resolved
from hombi.hub.clock import Clock
from hombi.hub.errors import Invalid
from hombi.hub.house import House, Node
from hombi.hub.intake import Intake, Taken
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.pairing import Pairing
from hombi.hub.ports import Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.rooms import Rooms
from hombi.hub.tasks import Tasks

LOOK_EVERY_S = 5.0


@dataclass
class Nodes:
    """What can be done with a node, and the hub's ear for the links (`links.base.Reports`)."""

    house: House
    rooms: Rooms
    clock: Clock
    records: Records
    thread: RecordsThread
    live: Live
    journal: Journal
    intake: Intake
    pairing: Pairing
    tasks: Tasks

    def observed(self, node: str, values: Sequence[Resolved], acknowledge: Callable[[], None]) -> Taken:
        return self.intake.observed(node, values, acknowledge)

    def presence(self, node: str, here: bool) -> None:
        found = self.house.nodes.get(node)
        if found is None or found.here == here:
            return
        found.here = here
        if here:
            found.heard_ms, found.silent = self.clock.now_ms(), False
            self.tasks.start(self.pairing.collected(node), name="pairing ended")
        self.journal.note("NodeConnected" if here else "NodeGone", f"{node} is {'connected' if here else 'gone'}", node=node)
        self._changed(found)

    def refused(self, node: str, what: str) -> None:
        if (found := self.house.nodes.get(node)) is not None:
            found.refused += 1
        self.journal.fault("MessageRefused", f"{node}: {what}" if node else what, node=node)

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        self.tasks.start(self.thread.run(self.records.keep_link_state, key, state), name="link state")

    async def change(self, address: str, *, title: str | None = None, room: str | None = None) -> Node:
        """Rename a node (its address stays) or move it to a room ("" for none). Raises NotFound, Invalid."""
        node = self.house.node(address)
        if title is not None:
            if not title.strip():
                raise Invalid("a node needs a name")
            node.title = title.strip()
        if room is not None:
            node.room = await self.rooms.find_or_add(room) if room.strip() else None
        await self.thread.run(self.records.save_node, node)
        self.journal.note("NodeChanged", f"{address} is {node.title} in {node.room.name if node.room else 'no room'}", node=address)
        self.live.publish("house", {"changed": "node", "node": address})
        return node

    async def remove(self, address: str, *, keep_history: bool) -> None:
        """Take a node out of the house: its key is void at once. Its history stays unless told otherwise. Raises NotFound."""
        node = self.house.node(address)
        await self.thread.run(self.records.remove_node, node, keep_history=keep_history)
        self.house.take_out(node)
        kept = "its history is kept" if keep_history else "with its history"
        self.journal.note("NodeRemoved", f"{node.title} ({address}) was removed; {kept}", node=address)
        self.live.publish("house", {"changed": "node", "node": address})

    async def watch_silence(self) -> None:
        """Look again and again for nodes that are heard no more."""
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            self.look_for_silent()

    def look_for_silent(self) -> None:
        """Mark the nodes that were not heard for three times their usual interval."""
        now = self.clock.now_ms()
        for node in self.house.nodes.values():
            if not node.silent and node.overdue(now):
                node.silent, node.here = True, False
                seconds = (now - node.heard_ms) // 1000
                self.journal.note("NodeSilent", f"{node.address} was not heard for {seconds} s", node=node.address)
                self._changed(node)

    def _changed(self, node: Node) -> None:
        self.live.publish("node", {"node": node.address, "here": node.here, "silent": node.silent, "heard_at": node.heard_ms})
