"""What nodes post over HTTP: SenML packs, and single values."""

from __future__ import annotations

import asyncio
from collections import defaultdict

from msgspec.structs import replace

from hombi.core.errors import SenmlError
from hombi.core.house_facts import did_you_mean
from hombi.core.picking import PickError, pick_posted
from hombi.core.senml import LARGE_PACK, read_pack
from hombi.hub.errors import Busy, Invalid, NotFound
from hombi.hub.house import House, Node
from hombi.hub.kernel import Context, Feature
from hombi.hub.nodes.feature import Nodes
from hombi.hub.nodes.messages import Messages
from hombi.hub.readings.intake import Intake, Taken
from hombi.hub.readings.writer import Writer
from hombi.links.base import Heard

REFUSALS_TOLD = 5


class Posts(Feature):
    """Takes what nodes post, and answers once it is committed."""

    name = "posts"

    def __init__(
        self,
        context: Context,
        house: House,
        intake: Intake,
        nodes: Nodes,
        messages: Messages,
        writer: Writer,
    ) -> None:
        super().__init__(context)
        self._house, self._intake, self._nodes = house, intake, nodes
        self._messages, self._writer = messages, writer
        self._turns: defaultdict[str, asyncio.Lock] = defaultdict(asyncio.Lock)

    async def value(self, address: str, payload: bytes) -> Taken:
        """One value that a node posted for one of its entities; returns once it is
        committed.

        Raises NotFound for an entity that is none yet (what was posted is among the
        messages, and can be picked there), Invalid for a payload without the value,
        Busy when the disk does not keep up.
        """
        node_address, _, name = address.partition("/")
        node = self._house.node(node_address)
        self._heard(address, payload, node)
        entity = node.entities.get(name)
        if entity is None:
            what = f"it posts {name}, which is not one of its entities yet"
            self._nodes.refused(node.address, what)
            hint = did_you_mean(name, node.entities)
            hint = hint or "it is shown under Messages, where it can be made one"
            raise NotFound(f"{node.address} has no entity {name} yet; {hint}")
        try:
            pointer, now = entity.source.get("pointer", ""), self.context.clock.now_ms()
            picked = pick_posted(payload, pointer, entity.kind, now)
        except PickError as error:
            self._nodes.refused(node.address, f"{name}: {error}")
            raise Invalid(f"{address}: {error}") from error
        committed = self._welcome(node)
        value = replace(picked, name=entity.wire_name)
        taken = self._intake.observed(node.address, [value], lambda _: committed.set())
        if taken.stored:  # nothing is awaited for a node that was taken out a moment ago
            await committed.wait()
        return taken

    async def pack(self, address: str, payload: bytes) -> Taken:
        """Readings that a node posted as SenML; returns once they are committed.

        Raises NotFound for a node that was taken out, Invalid for what is not SenML,
        Busy when the disk does not keep up.
        """
        node = self._house.node(address)
        self._heard(node.address, payload, node)
        now = self.context.clock.now_ms()
        try:
            if len(payload) > LARGE_PACK:  # reading it takes long, and others have their turn
                values, refused = await asyncio.to_thread(read_pack, payload, now)
            else:
                values, refused = read_pack(payload, now)
        except SenmlError as error:
            self._nodes.refused(node.address, str(error))
            raise Invalid(str(error)) from error
        for what in refused[:REFUSALS_TOLD]:
            self._nodes.refused(node.address, what)
        # One of a node after another: many at once would leave the others few turns.
        async with self._turns[node.address]:
            committed = self._welcome(node)
            taken = await self._intake.observed_in_parts(
                node.address, values, lambda _: committed.set()
            )
        if taken.stored:
            await committed.wait()
        taken.refused[:0] = refused
        return taken

    def _heard(self, address: str, payload: bytes, node: Node) -> None:
        topic = f"intake/{address}"
        self._messages.note(Heard("http", topic, payload, node.address, node.address))

    def _welcome(self, node: Node) -> asyncio.Event:
        """The node is here; set once what it sends is committed. Raises Busy."""
        if self._writer.full:
            raise Busy(
                "the hub holds as many readings as it can until the disk takes them; send "
                "these again later"
            )
        self._nodes.presence(node.address, here=True)
        return asyncio.Event()
