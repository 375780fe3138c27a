"""Admission: letting an arrival in with its setup code, or turning it away."""

from __future__ import annotations

import hmac
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType

import msgspec

from hombi.core.errors import UnitError
from hombi.core.kinds import Kind
from hombi.core.names import slug
from hombi.hub.errors import Invalid, Refused
from hombi.hub.house import House, Node, Room
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right
from hombi.hub.naming import proper_name
from hombi.hub.nodes.described import CHOSEN, as_chosen, as_stored, with_chosen
from hombi.hub.nodes.events import NodeAdmitted
from hombi.hub.nodes.links import Links
from hombi.hub.nodes.pairing import Arrival, Pairing, proof_of
from hombi.hub.nodes.pairing_events import ArrivalLocked, ArrivalTurnedAway
from hombi.hub.nodes.pairing_port import ArrivalRecord
from hombi.hub.nodes.picks import checked_kind
from hombi.hub.nodes.port import NewEntity, NewNode
from hombi.hub.nodes.secrets import try_secret
from hombi.hub.rooms.feature import Rooms
from hombi.links.capabilities import Pairs
from hombi.links.offer import OfferedValue
from hombi.links.thing_description import kind_in

MAX_WRONG_CODES = 5


@dataclass(frozen=True, slots=True)
class EntityChoice:
    """How an entity is to be called when its node is let in, whether it is hidden, and
    what it is taken for where that is not what its node says."""

    title: str = ""
    hidden: bool = False
    kind: str = ""
    unit: str = ""


NO_CHOICES: Mapping[str, EntityChoice] = MappingProxyType({})


class Admission(Feature):
    """Makes nodes of arrivals."""

    name = "admission"

    def __init__(
        self, context: Context, house: House, links: Links, rooms: Rooms, pairing: Pairing
    ) -> None:
        super().__init__(context)
        self.house, self.links, self.rooms, self.pairing = house, links, rooms, pairing

    async def admit(self, wish: AdmitArrival, by: Actor) -> Node:
        """Raises as `AdmitArrival` does."""
        arrival = self.pairing.find(wish.arrival)
        record = arrival.record
        address = self._checked(arrival, wish)
        if record.proof and not _fits(record, wish.setup_code):
            # Somebody else may say that it is this node: the one that knows its code is
            # it.
            rivals = self.pairing.rivals(arrival)
            if known := next((a for a in rivals if _fits(a.record, wish.setup_code)), None):
                return await self.admit(msgspec.structs.replace(wish, arrival=known.record.id), by)
            await self._wrong_code(arrival)
        record.state, record.node = "admitting", address
        try:
            if wish.secret:
                reach = {**record.reach, "origins": list(wish.origins)}
                await try_secret(self.links, record.link, reach, record.title, wish.secret)
            room = await self.rooms.find_or_add(wish.room, by)
            if room is None and arrival.known is not None:
                room = arrival.known.room
            return await self._let_in(arrival, address, room, wish)
        except BaseException:
            record.state, record.node = "waiting", ""
            raise

    def _checked(self, arrival: Arrival, wish: AdmitArrival) -> str:
        """The address that the node is to have. Raises Invalid, Refused."""
        record = arrival.record
        if record.state == "asking":
            raise Refused(f"{record.title} is still being asked what it has: {arrival.progress}")
        if record.state != "waiting":
            raise Refused(f"{record.title} is {record.state}, it does not wait")
        usual = arrival.known.address if arrival.known else record.title
        proper_name(wish.name or record.title, "the name of a node")
        for choice in wish.entities.values():
            proper_name(choice.title, "the name of a value")
        address = slug(wish.name or usual)
        if not address:
            raise Invalid("the name needs a letter or a digit")
        taken = self.house.nodes.get(address)
        on_its_way = any(
            a.record.state == "admitting" and a.record.node == address
            for a in self.pairing.arrivals.values()
        )
        if on_its_way or (taken is not None and taken is not arrival.known):
            raise Invalid(f"there is a node {address} already; give this one another name")
        if address in self.house.mqtt_accounts:
            raise Invalid(f"an MQTT account is called {address}; give this node another name")
        if unknown := set(wish.entities) - {value.name for value in arrival.offer.values}:
            raise Invalid(f"{record.title} has no entity {sorted(unknown)[0]}")
        for value in arrival.offer.values:
            _kind_chosen(value, wish.entities.get(value.name, EntityChoice()))
        if foreign := set(wish.origins) - set(record.reach.get("elsewhere", ())):
            raise Invalid(f"{record.title} has nothing at {sorted(foreign)[0]}")
        if record.asks and not wish.secret:
            raise Invalid(f"{record.title} answers only to who knows its {record.asks}")
        return address

    async def _wrong_code(self, arrival: Arrival) -> None:
        record = arrival.record
        record.wrong_codes += 1
        left = MAX_WRONG_CODES - record.wrong_codes
        if left <= 0:
            record.state = "locked"
        await self.context.thread.run(self.context.records.pairing.save, record)
        self.pairing.changed(arrival)
        if left <= 0:
            event = ArrivalLocked(title=record.title, wrong_codes=MAX_WRONG_CODES)
            self.context.announce(event)
            raise Refused(
                "wrong setup code; this arrival is locked now. Turn it away, then let the "
                "node ask again"
            )
        raise Refused(f"wrong setup code; {left} more {'try' if left == 1 else 'tries'}")

    async def _let_in(
        self, arrival: Arrival, address: str, room: Room | None, wish: AdmitArrival
    ) -> Node:
        record, known, offer = arrival.record, arrival.known, arrival.offer
        title = wish.name.strip() or record.title
        now = self.context.clock.now_ms()
        reach = dict(record.reach)
        if known is not None and CHOSEN in known.reach:
            reach[CHOSEN] = known.reach[CHOSEN]
        for offered in offer.values:
            chosen = wish.entities.get(offered.name)
            if chosen is not None and (kind := _kind_chosen(offered, chosen)):
                reach = with_chosen(reach, offered.wire_name, kind, chosen.unit or kind.unit)
        entities = tuple(
            replace(one, name=self.house.own_name(address, one.name))
            for one in (
                _as_wanted(as_chosen(offered, reach), wish.entities.get(offered.name), known)
                for offered in offer.values
            )
        )
        given = {"secret": wish.secret, "origins": list(wish.origins)}
        new = NewNode(
            address,
            title,
            record.link,
            record.thing_id,
            room.id if room else None,
            now,
            entities,
            known.id if known else 0,
            {**reach, **{name: value for name, value in given.items() if value}},
            record.offer,
        )
        # The node asks what became of it all the while: it must not hear "admitted"
        # before the house knows it.
        admitted = replace(record, state="admitted")
        number, stored = await self.context.thread.run(
            self.context.records.house.admit, new, admitted
        )
        if known is not None:
            await self.links.of(known).remove(known.address)
            self.house.take_out(known)
        node = Node(
            number,
            address,
            title,
            record.link,
            record.thing_id,
            "",
            room,
            now,
            heard_ms=now,
            reach=new.reach,
            offer=offer,
        )
        for entity in entities:
            before = known.entities.get(entity.name) if known else None
            same = before is not None and before.kind.name == entity.kind
            entity_id, channels = stored[entity.name]
            node.entities[entity.name] = entity.placed(
                entity_id, node, channels, before.latest if before and same else None
            )
        self.house.add(node)
        self.links.follow(node)
        node.here = node.here or self.links.counts_as_here(node)
        record.state = "admitted"
        self.pairing.changed(arrival)
        for rival in self.pairing.rivals(arrival):
            rival.record.state = "turned-away"
            await self.pairing.drop(rival)
            self.pairing.changed(rival)
        if not record.ticket_hash:  # it was found: it has no key to collect
            await self.pairing.drop(arrival)
        return node


def _fits(record: ArrivalRecord, setup_code: str) -> bool:
    proof = proof_of(setup_code, record.thing_id)
    return bool(record.proof) and hmac.compare_digest(record.proof, proof)


def _kind_chosen(offered: OfferedValue, chosen: EntityChoice) -> Kind | None:
    """The kind that a person chose for a value, by its name or by its unit. Raises
    Invalid."""
    if chosen.kind or not chosen.unit:
        return checked_kind(chosen.kind, chosen.unit) if chosen.kind else None
    try:
        return kind_in(offered, chosen.unit)
    except UnitError as error:
        raise Invalid(f"{offered.name}: {error}") from error


def _as_wanted(offered: OfferedValue, chosen: EntityChoice | None, known: Node | None) -> NewEntity:
    """An entity as the person wants it now, or wanted it when the node was here
    before."""
    before = known.entities.get(offered.name) if known else None
    if chosen is not None:
        title = chosen.title.strip() or offered.title
        return as_stored(offered, title, hidden=chosen.hidden)
    if before is not None:
        return as_stored(offered, before.title, hidden=before.hidden)
    return as_stored(offered, offered.title, hidden=offered.hidden)


class AdmitArrival(Change[Admission, Node], frozen=True):
    """Let an arrival in as `name`, in `room` (one that exists, or the name of a new
    one).

    `secret` is what a node that was found wants to hear before it answers; `entities`
    are choices by entity name; `origins` are those beside its own that its forms may
    lead to, and its secret with them. Raises NotFound, Invalid for a name that is
    taken, Refused for a wrong setup code.
    """

    arrival: str
    setup_code: str = ""
    name: str = ""
    room: str = ""
    secret: str = ""
    entities: Mapping[str, EntityChoice] = NO_CHOICES
    origins: Sequence[str] = ()

    feature = Admission
    right = Right.ADMIT

    async def do(self, feature: Admission, by: Actor) -> Done[Node]:
        node = await feature.admit(self, by)
        room = node.room.name if node.room else ""
        return Done(node, NodeAdmitted(node=node.address, title=node.title, room=room))


class TurnAway(Change[Admission, None], frozen=True):
    """Send an arrival away; the node hears it when it asks. Raises NotFound, Refused
    for one that is let in."""

    arrival: str

    feature = Admission
    right = Right.ADMIT

    async def do(self, feature: Admission, by: Actor) -> Done[None]:
        arrival = feature.pairing.find(self.arrival)
        record = arrival.record
        if record.state == "admitted":
            raise Refused(f"{record.title} is already let in; remove the node instead")
        asking = record.state == "asking"
        record.state = "turned-away"
        driver = feature.links.drivers.get(record.link)
        if isinstance(driver, Pairs):
            await driver.dismiss(record.thing_id)
        if asking:
            feature.pairing.arrivals.pop(self.arrival, None)
        await feature.context.thread.run(feature.context.records.pairing.remove, record.id)
        feature.pairing.changed(arrival)
        return Done(None, ArrivalTurnedAway(title=record.title))
