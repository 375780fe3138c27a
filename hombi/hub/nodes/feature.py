"""Nodes: the hub's ear for the links, and what can be done with a node that is in."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator, Sequence

from hombi.core.outcome import Acknowledge
from hombi.core.senml import Resolved
from hombi.hub.errors import HubError, Invalid, Refused
from hombi.hub.house import House, Node, Room
from hombi.hub.kernel import Actor, Change, Context, Done, Event, Feature, Need, Right, while_stored
from hombi.hub.machine.events import ClockSet
from hombi.hub.naming import proper_name
from hombi.hub.nodes.described import Described
from hombi.hub.nodes.events import (
    MessageRefused,
    NodeAsked,
    NodeConnected,
    NodeDoubled,
    NodeGone,
    NodeLeft,
    NodeLetsIn,
    NodeLookedAt,
    NodeMoved,
    NodeRelocated,
    NodeRemoved,
    NodeRenamed,
    NodeShutsOut,
    NodeSilent,
    NodeTold,
)
from hombi.hub.nodes.links import Links
from hombi.hub.nodes.messages import Messages
from hombi.hub.nodes.pairing import Arrival, Pairing
from hombi.hub.nodes.pairing_events import ArrivalRefused
from hombi.hub.readings.events import EntitySilenceChanged, NodeBack
from hombi.hub.readings.intake import Intake
from hombi.hub.rooms.events import RoomAdded
from hombi.hub.rooms.feature import Rooms
from hombi.links.base import Asking, Found, Heard, LinkError
from hombi.links.capabilities import AsksAgain, Looks, Pairs, Welcomes

LOOK_EVERY_S = 5.0


class Nodes(Feature):
    """What links report of nodes (`links.base.Reports`), and noticing when one falls
    silent."""

    name = "nodes"
    pressing = 6

    def __init__(
        self,
        context: Context,
        house: House,
        links: Links,
        rooms: Rooms,
        intake: Intake,
        messages: Messages,
        pairing: Pairing,
        described: Described,
    ) -> None:
        super().__init__(context)
        self.house, self.links, self.rooms, self.pairing = house, links, rooms, pairing
        self._intake, self._messages, self._described = intake, messages, described
        self.started_ms = 0
        context.hear(ClockSet, lambda event: self.clock_set(event.by_ms))

    async def open(self) -> None:
        self.started_ms = self.context.clock.now_ms()
        for node in self.house.nodes.values():
            # Not heard yet in this run: it has its usual time to be heard before it
            # counts as silent.
            heard = max(node.heard_ms, self.started_ms) if node.entities else self.started_ms
            node.heard_ms = heard
        self.context.tasks.watch("watching for silence", self.watch_silence)

    # What links report

    def observed(
        self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge | None
    ) -> None:
        self._intake.observed(node, values, acknowledge)

    async def observed_in_parts(
        self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge | None
    ) -> None:
        await self._intake.observed_in_parts(node, values, acknowledge)

    def presence(self, node: str, here: bool) -> None:
        result = self.house.nodes.get(node)
        if result is None:
            return
        if here and result.left:
            self._set_left(result, False)
        if result.here == here:
            return
        result.here = here
        if here:
            result.silent = False
            if not self._intake.heard(result, self.context.clock.now_ms()):
                self.context.announce(NodeBack(node=node))
            self.context.tasks.start(self.pairing.collected(node), name="pairing ended")
            self.context.announce(NodeConnected(node=node))
        else:
            self.context.announce(NodeGone(node=node))

    def listens(self, node: str) -> None:
        if node in self.house.nodes:
            self.context.announce(NodeBack(node=node))

    def alive(self, node: str) -> None:
        result = self.house.nodes.get(node)
        if result is None:
            return
        if not result.here or result.left:
            self.presence(node, here=True)
        self._intake.heard(result, self.context.clock.now_ms())

    def left(self, node: str) -> None:
        result = self.house.nodes.get(node)
        if result is None or result.left:
            return
        result.here, result.silent = False, False
        self._set_left(result, True)
        self.context.announce(NodeLeft(node=node, title=result.title))

    def _set_left(self, node: Node, left: bool) -> None:
        without = {name: value for name, value in node.reach.items() if name != "left"}
        node.reach = {**without, "left": True} if left else without
        saving = self.context.thread.run(self.context.records.house.save_node, node)
        self.context.tasks.start(saving, name="a node that left")

    def asking(self, asking: Asking) -> None:
        if self.house.node_by_thing(asking.thing_id) is None:
            self.pairing.asking(asking)

    def refused(self, node: str, what: str) -> None:
        if (result := self.house.nodes.get(node)) is not None:
            result.refused += 1
        self.context.announce(MessageRefused(node=node, what=what))

    def said(self, node: str, event: str, text: str) -> None:
        if (result := self.house.nodes.get(node)) is not None:
            told = NodeTold(node=node, title=result.title, event=event, text=text)
            self.context.announce(told)

    def shut_out(self, node: str, why: str) -> None:
        result = self.house.nodes.get(node)
        if result is None or result.shut_out == why:
            return
        result.shut_out = why
        event = NodeShutsOut if why else NodeLetsIn
        self.context.announce(event(node=node, title=result.title, why=why))

    def heard(self, message: Heard) -> None:
        self._messages.note(message)

    def found(self, found: Found) -> None:
        self.context.tasks.start(self._found(found), name=f"{found.title}, which was found,")

    def trouble(self, link: str, what: str) -> None:
        self.links.trouble(link, what)

    async def _found(self, finding: Found) -> None:
        known = self.house.node_by_thing(finding.thing_id)
        if known is None:
            if self.pairing.left_ms or self.pairing.is_asking(finding.thing_id):
                try:
                    await self.pairing.found(finding)
                except HubError as error:
                    self.context.announce(ArrivalRefused(what=f"{finding.title}: {error}"))
            return
        driver = self.links.drivers.get(known.link)
        if known.link != finding.link or driver is None:
            return
        if not driver.connects:
            driver.follow(known.on_link())
        before, now = known.reach.get("url"), finding.reach.get("url")
        if before == now:
            await self._described.take_up(known, finding)
        elif before and isinstance(driver, Looks):
            await self._is_elsewhere(known, finding, driver)

    async def _is_elsewhere(self, known: Node, found: Found, driver: Looks) -> None:
        """A node says that it is at another address than before."""
        before, now = known.reach["url"], found.reach.get("url")
        try:
            await driver.look(before)
        except LinkError:
            # Only when nobody answers at the old address any more is it the same node
            # at a new one.
            known.reach = {**known.reach, **found.reach}
            await self.context.thread.run(self.context.records.house.save_node, known)
            self.links.follow(known)
            event = NodeRelocated(node=known.address, title=known.title, url=str(now))
            self.context.announce(event)
            return
        what = (
            f"another node at {now} says that it is {known.address}, which still answers at "
            f"{before}; it is not let in"
        )
        self.context.announce(NodeDoubled(node=known.address, what=what))

    # Silence

    async def watch_silence(self) -> None:
        """Check again and again for nodes that are heard no more."""
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
        now = self.context.clock.now_ms()
        for node in self.house.nodes.values():
            for entity in node.entities.values():
                if not entity.silent and entity.overdue(now, self.started_ms):
                    entity.silent = True
                    event = EntitySilenceChanged(
                        node=node.address, entity=entity.address, silent=True
                    )
                    self.context.announce(event)
            if not node.silent and node.overdue(now) and not self.links.connected(node):
                node.silent, node.here = True, False
                unheard = now - node.heard_ms
                self.context.announce(NodeSilent(node=node.address, unheard_ms=unheard))

    # Keys

    def check_key(self, node: Node) -> None:
        """Raises Refused for a node that speaks without a key."""
        if self.links.way(node) in ("described", "paired"):
            raise Refused(f"{node.title} has no key: the hub goes to it, not it to the hub")

    async def set_key(self, node: Node, key_hash: str) -> None:
        """Give a node another key ("" for none), and end what came in with the one
        before."""
        node.key_hash = key_hash
        await self.context.thread.run(self.context.records.house.save_node, node)
        driver = self.links.of(node)
        if isinstance(driver, Welcomes):
            driver.cut_off(node.address)

    async def save(self, node: Node) -> None:
        """Store what a node is called, where it is, and how it is reached."""
        await self.context.thread.run(self.context.records.house.save_node, node)

    def store(self, node: Node, new: Room | None) -> None:
        """In the records thread: the same, with the room where that is new."""
        with self.context.records.together():
            if new is not None:
                self.rooms.store(new)
            self.context.records.house.save_node(node)

    def needs(self) -> Iterator[Need]:
        for node in self.house.nodes.values():
            path = f"/nodes/{node.address}"
            if node.left:
                text = f"{node.title} has left; let it join again, or remove it"
                yield Need("left", text, path)
            if node.shut_out:
                text = f"{node.title} refuses the hub ({node.shut_out}); enter its new secret"
                yield Need("secret", text, path)
            elif node.silent:
                yield Need("silent", f"{node.title} is no longer heard", path)


class ChangeNode(Change[Nodes, Node], frozen=True):
    """Rename a node (its address stays), or put it into a room, which is made when
    there is none; "" is no room. Raises NotFound, Invalid."""

    node: str
    # At least one of the two.
    title: str | None = None
    room: str | None = None

    feature = Nodes
    right = Right.ARRANGE

    async def do(self, feature: Nodes, by: Actor) -> Done[Node]:
        node, rooms = feature.house.node(self.node), feature.rooms
        before, title, room = node.title, node.title, node.room
        if self.title is not None:
            title = proper_name(self.title, "the name of a node")
            if not title:
                raise Invalid("a node needs a name")
        async with rooms.adding:
            if self.room is not None:
                room = await rooms.room_called(self.room)
            new = room if room is not None and not room.id else None
            with while_stored(node, title=title, room=room):
                await feature.context.thread.run(feature.store, node, new)
            if new is not None:
                rooms.house.rooms[new.slug] = new
        events: list[Event] = []
        if new is not None:
            events.append(RoomAdded(room=new.name, floor=new.floor.name))
        if self.title is not None:
            events.append(NodeRenamed(node=node.address, title=title, before=before))
        if self.room is not None:
            where = room.name if room else ""
            events.append(NodeMoved(node=node.address, title=title, room=where))
        return Done(node, events[0], also=tuple(events[1:]))


class RemoveNode(Change[Nodes, None], frozen=True):
    """Take a node out of the house and cut it off; its key is void at once."""

    node: str
    keep_history: bool = True

    feature = Nodes
    right = Right.ADMIT

    async def do(self, feature: Nodes, by: Actor) -> Done[None]:
        node = feature.house.node(self.node)
        others = feature.house.derived_from(entity.address for entity in node.entities.values())
        if others:
            raise Refused(f"{', '.join(others)} is computed from its values; remove that first")
        records, keep = feature.context.records.house, self.keep_history
        await feature.context.thread.run(records.remove_node, node, keep_history=keep)
        feature.house.take_out(node)
        if (driver := feature.links.drivers.get(node.link)) is not None:
            await driver.remove(node.address)
        return Done(None, NodeRemoved(node=node.address, title=node.title, history_kept=keep))


class LookAt(Change[Nodes, Arrival], frozen=True):
    """Fetch the description of the node at a typed address, as an arrival; the pairing
    window need not be open."""

    address: str

    feature = Nodes
    right = Right.ADMIT

    async def do(self, feature: Nodes, by: Actor) -> Done[Arrival]:
        looking = feature.links.that(Looks)
        if not looking:
            raise Refused("no link of this hub reaches nodes at an address")
        try:
            result = await looking[0].look(self.address)
        except LinkError as error:
            raise Invalid(str(error)) from error
        known = feature.house.node_by_thing(result.thing_id)
        if known is not None and known.reach.get("url") == result.reach.get("url"):
            raise Invalid(f"{result.title} is in already, as {known.address}")
        arrival = await feature.pairing.found(result)
        return Done(arrival, NodeLookedAt(title=result.title, address=self.address))


class AskAgain(Change[Nodes, None], frozen=True):
    """Ask a node again what it has: one that is in, or an arrival by its id."""

    node: str = ""
    arrival: str = ""

    feature = Nodes
    right = Right.ADMIT

    async def do(self, feature: Nodes, by: Actor) -> Done[None]:
        if self.arrival:
            record = feature.pairing.find(self.arrival).record
            link, thing_id, title = record.link, record.thing_id, record.title
            address = ""
        else:
            node = feature.house.node(self.node)
            link, thing_id, title = node.link, node.thing_id, node.title
            address = node.address
        driver = feature.links.drivers.get(link)
        if not isinstance(driver, AsksAgain):
            how = _how_it_says(driver)
            raise Refused(f"{title} cannot be asked over {link}: {how}")
        try:
            await driver.ask_again(thing_id)
        except LinkError as error:
            raise Refused(str(error)) from error
        return Done(None, NodeAsked(node=address, title=title))


def _how_it_says(driver: object) -> str:
    if isinstance(driver, Looks):
        return (
            "such a node says by itself what it has; `hombi node look` fetches the description "
            "of one at an address"
        )
    if isinstance(driver, Pairs):
        return "such a node is asked when the pairing window is opened"
    return "its link has no way to ask"
