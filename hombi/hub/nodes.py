"""Actions on admitted nodes, what their links report of them, and noticing when one
falls silent."""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import Awaitable, Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from hombi.core.senml import Resolved
from hombi.hub.clock import Clock
from hombi.hub.errors import HubError, Invalid, Refused
from hombi.hub.house import House, Node, hash_key
from hombi.hub.intake import Intake, Taken
from hombi.hub.journal import Journal
from hombi.hub.keeper import Keeper
from hombi.hub.live import Live
from hombi.hub.messages import Messages
from hombi.hub.pairing import Arrival, Pairing
from hombi.hub.ports import Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.rooms import Rooms
from hombi.hub.tasks import Tasks
from hombi.links.base import Asking, Driver, Found, Heard, LinkError

LOOK_EVERY_S = 5.0


@dataclass
class Nodes:
    """What can be done with a node, and the hub's ear for the links
    (`links.base.Reports`)."""

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
    messages: Messages
    drivers: dict[str, Driver]
    keeper: Keeper
    started_ms: int = 0
    # Who looks as often for what is not heard any more.
    looked: Callable[[], None] = lambda: None
    trouble_said: dict[str, str] = field(default_factory=dict)
    described: Callable[[Node, Found], Awaitable[None]] | None = None

    def observed(
        self, node: str, values: Sequence[Resolved], acknowledge: Callable[[], None] | None
    ) -> Taken:
        return self.intake.observed(node, values, acknowledge)

    def presence(self, node: str, here: bool) -> None:
        found = self.house.nodes.get(node)
        if found is None:
            return
        if here and found.left:
            self._set_left(found, False)
        if found.here == here:
            return
        found.here = here
        if here:
            found.silent = False
            if not self.intake.heard(found, self.clock.now_ms()):
                self.intake.node_back(found)
            self.tasks.start(self.pairing.collected(node), name="pairing ended")
        self.journal.note(
            "NodeConnected" if here else "NodeGone",
            f"{node} is {'connected' if here else 'gone'}",
            node=node,
        )
        self._changed(found)

    def alive(self, node: str) -> None:
        found = self.house.nodes.get(node)
        if found is None:
            return
        if not found.here or found.left:
            self.presence(node, here=True)
        self.intake.heard(found, self.clock.now_ms())

    def left(self, node: str) -> None:
        found = self.house.nodes.get(node)
        if found is None or found.left:
            return
        found.here, found.silent = False, False
        self._set_left(found, True)
        text = f"{found.title} has left: it was reset, or let in elsewhere; its history is kept"
        self.journal.note("NodeLeft", text, node=node)
        self._changed(found)

    def _set_left(self, node: Node, left: bool) -> None:
        node.reach = (
            {**node.reach, "left": True}
            if left
            else {k: v for k, v in node.reach.items() if k != "left"}
        )
        self.tasks.start(self.thread.run(self.records.save_node, node), name="left")

    def asking(self, asking: Asking) -> None:
        if self.house.node_by_thing(asking.thing_id) is None:
            self.pairing.asking(asking)

    def refused(self, node: str, what: str) -> None:
        if (found := self.house.nodes.get(node)) is not None:
            found.refused += 1
        self.journal.fault("MessageRefused", f"{node}: {what}" if node else what, node=node)

    def heard(self, message: Heard) -> None:
        self.messages.note(message)

    def found(self, found: Found) -> None:
        self.tasks.start(self._found(found), name="found")

    def trouble(self, link: str, what: str) -> None:
        """What is wrong with a link, said once until it is something else; "" when it
        is well again."""
        before = self.trouble_said.get(link, "")
        if what == before:
            return
        self.trouble_said[link] = what
        self.live.publish("link", {"link": link, "text": what})
        if what:
            self.journal.note("LinkTroubled", what)
        elif before:
            self.journal.note("LinkWell", f"{link} is well again")

    async def _found(self, found: Found) -> None:
        known = self.house.node_by_thing(found.thing_id)
        if known is None:
            if self.pairing.left_ms or self.pairing.is_asking(found.thing_id):
                try:
                    await self.pairing.found(found)
                except HubError as error:
                    self.journal.fault("ArrivalRefused", f"{found.title}: {error}")
            return
        if known.link == found.link != "wifi":
            self.drivers[known.link].follow(known.on_link())
        before, now = known.reach.get("url"), found.reach.get("url")
        if before == now and known.link == found.link and self.described is not None:
            await self.described(known, found)
        if not before or before == now:
            return
        try:
            await self.drivers[known.link].look(before)
        except LinkError:
            # Only when nobody answers at the old address any more is it the same node
            # at a new one.
            known.reach = {**known.reach, **found.reach}
            await self.thread.run(self.records.save_node, known)
            self.drivers[known.link].follow(known.on_link())
            self.journal.note("NodeMoved", f"{known.title} is at {now} now", node=known.address)
            self._changed(known)
            return
        what = (
            f"another node at {now} says that it is {known.address}, which still answers at "
            f"{before}; it is not let in"
        )
        self.journal.fault("NodeDoubled", what, node=known.address)

    async def look(self, address: str) -> Arrival:
        """The node at a typed address, as an arrival; the pairing window need not be
        open. Raises Invalid, Refused."""
        try:
            found = await self.drivers["wifi"].look(address)
        except LinkError as error:
            raise Invalid(str(error)) from error
        known = self.house.node_by_thing(found.thing_id)
        if known is not None and known.reach.get("url") == found.reach.get("url"):
            raise Invalid(f"{found.title} is in already, as {known.address}")
        return await self.pairing.found(found)

    async def ask_again(self, link: str, thing_id: str) -> None:
        """Ask a node anew what it has, an arrival or one that is in. Raises Refused."""
        try:
            await self.drivers[link].ask_again(thing_id)
        except LinkError as error:
            raise Refused(str(error)) from error

    async def new_key(self, address: str) -> str:
        """A new key for a node, told this once; the one before is void, and what came
        in with it is cut off. Raises NotFound."""
        node = self.house.node(address)
        key = secrets.token_urlsafe(24)
        await self._set_key(node, hash_key(key))
        self.journal.note("KeyChanged", f"{node.title} has a new key", node=address)
        return key

    async def revoke_key(self, address: str) -> None:
        """Take a node's key away: it is shut out until it has a new one. Raises
        NotFound."""
        node = self.house.node(address)
        await self._set_key(node, "")
        self.journal.note(
            "KeyRevoked", f"{node.title} has no key any more and is shut out", node=address
        )

    async def _set_key(self, node: Node, key_hash: str) -> None:
        node.key_hash = key_hash
        await self.thread.run(self.records.save_node, node)
        self.drivers[node.link].cut_off(node.address)

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        self.keeper.keep(key, state)

    def when_kept(self, call: Callable[[], None]) -> None:
        self.keeper.when_kept(call)

    async def change(
        self, address: str, *, title: str | None = None, room: str | None = None
    ) -> Node:
        """Rename a node (its address stays) or move it to a room ("" for none). Raises
        NotFound, Invalid."""
        node = self.house.node(address)
        if title is not None:
            if not title.strip():
                raise Invalid("a node needs a name")
            node.title = title.strip()
        if room is not None:
            node.room = await self.rooms.find_or_add(room) if room.strip() else None
        await self.thread.run(self.records.save_node, node)
        self.journal.note(
            "NodeChanged",
            f"{address} is {node.title} in {node.room.name if node.room else 'no room'}",
            node=address,
        )
        self.live.publish("house", {"changed": "node", "node": address})
        return node

    async def remove(self, address: str, *, keep_history: bool) -> None:
        """Take a node out of the house: its key is void at once. Its history stays
        unless told otherwise. Raises NotFound."""
        node = self.house.node(address)
        await self.thread.run(self.records.remove_node, node, keep_history=keep_history)
        self.house.take_out(node)
        kept = "its history is kept" if keep_history else "with its history"
        self.journal.note(
            "NodeRemoved", f"{node.title} ({address}) was removed; {kept}", node=address
        )
        self.live.publish("house", {"changed": "node", "node": address})

    async def watch_silence(self) -> None:
        """Look again and again for nodes that are heard no more."""
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            self.look_for_silent()

    def clock_set(self, by_ms: int) -> None:
        """The machine's clock was set: nobody is silent for that."""
        self.started_ms += by_ms
        for node in self.house.nodes.values():
            node.heard_ms += by_ms
            for entity in node.entities.values():
                entity.heard_ms += by_ms

    def look_for_silent(self) -> None:
        """Mark the nodes that were not heard for three times their usual interval."""
        now = self.clock.now_ms()
        for node in self.house.nodes.values():
            for entity in node.entities.values():
                if not entity.silent and entity.overdue(now, self.started_ms):
                    entity.silent = True
                    self.live.publish("house", {"changed": "node", "node": node.address})
            if not node.silent and node.overdue(now):
                node.silent, node.here = True, False
                seconds = (now - node.heard_ms) // 1000
                self.journal.note(
                    "NodeSilent", f"{node.address} was not heard for {seconds} s", node=node.address
                )
                self._changed(node)
        self.looked()

    def _changed(self, node: Node) -> None:
        self.live.publish(
            "node",
            {
                "node": node.address,
                "here": node.here,
                "silent": node.silent,
                "heard_at": node.heard_ms,
            },
        )
