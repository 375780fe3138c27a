"""Pairing: the window in which nodes may ask to join, the arrivals that did, and
letting them in or turning them away."""

from __future__ import annotations

import hashlib
import hmac
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any
from urllib.parse import urlsplit

from hombi.hub.clock import Clock, Timer
from hombi.hub.described import as_stored
from hombi.hub.errors import Invalid, NotFound, PairingClosed, Refused
from hombi.hub.house import House, Node, hash_key
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.ports import ArrivalRecord, NewEntity, NewNode, Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.rooms import Rooms
from hombi.hub.tasks import Tasks
from hombi.links.base import Asking, Driver, Found
from hombi.links.thing_description import (
    DescriptionError,
    Promised,
    ThingDescription,
    check_size,
    read_description,
    slug,
)

# Arrivals of one address count as one, and there are only so many of them; what is
# found on a radio has no address.
MAX_ARRIVALS = 32
MAX_OF_AN_ADDRESS = 8
MAX_WRONG_CODES = 5
MAX_WINDOW_MS = 15 * 60_000


def proof_of(setup_code: str, thing_id: str) -> str:
    """What a node sends so that its setup code can be checked: HMAC-SHA-256 (RFC 2104)
    of its id, keyed with the code, in hex.

    So the code itself never crosses the wire, and a stranger who claims to be the node
    does not get in with the code on its back.
    """
    code = setup_code.replace("-", "").replace(" ", "")
    return hmac.new(code.encode(), thing_id.encode(), hashlib.sha256).hexdigest()


def fresh_setup_code() -> str:
    """A setup code for a node that somebody builds: eight digits, as they are
    printed."""
    return f"{secrets.randbelow(10_000):04d}-{secrets.randbelow(10_000):04d}"


@dataclass(frozen=True, slots=True)
class EntityChoice:
    """How an entity is to be called when its node is let in, and whether it is
    shown."""

    title: str = ""
    hidden: bool = False


@dataclass(frozen=True, slots=True)
class Joined:
    """What a node gets once it is let in: its address, and the key that opens both
    doors to it."""

    node: str
    key: str


@dataclass
class Arrival:
    """An arrival with its description understood."""

    record: ArrivalRecord
    thing: ThingDescription
    known: Node | None = None
    heard_ms: int = 0
    left_out: tuple[str, ...] = ()
    progress: str = ""


@dataclass
class Pairing:
    """The pairing window and its arrivals."""

    house: House
    rooms: Rooms
    clock: Clock
    records: Records
    thread: RecordsThread
    live: Live
    journal: Journal
    drivers: dict[str, Driver]
    tasks: Tasks
    until_ms: int = 0
    arrivals: dict[str, Arrival] = field(default_factory=dict)
    _closing: Timer | None = None

    def load(self, stored: list[ArrivalRecord]) -> None:
        """Take up the arrivals of before a restart."""
        for record in stored:
            self._add(record, read_description(record.description), record.asked_ms)

    @property
    def left_ms(self) -> int:
        """How long the window stays open; 0 when it is closed."""
        return max(0, self.until_ms - self.clock.now_ms())

    def open(self, for_ms: int) -> None:
        """Open the window, or set its end anew. Raises Invalid beyond fifteen
        minutes."""
        if not 0 < for_ms <= MAX_WINDOW_MS:
            raise Invalid("a pairing window is open for 1 s to 15 min")
        was_open = self.left_ms > 0
        self.until_ms = self.clock.now_ms() + for_ms
        if self._closing is not None:
            self._closing.cancel()
        self._closing = self.clock.call_at_ms(self.until_ms, self._ran_out)
        if not was_open:
            # What did not answer when the window was open before is asked anew.
            for arrival in [a for a in self.arrivals.values() if a.record.state == "asking"]:
                del self.arrivals[arrival.record.id]
            self.journal.note("PairingOpened", f"pairing is open for {for_ms // 1000} s")
        self._announce()
        for driver in self.drivers.values():
            driver.pairing(True)

    def close(self) -> None:
        """Close the window before its time."""
        if self.left_ms:
            self.until_ms = 0
            self._ran_out()

    def _ran_out(self) -> None:
        if self._closing is not None:
            self._closing.cancel()
            self._closing = None
        self.until_ms = 0
        self.journal.note("PairingClosed", "pairing is closed")
        self._announce()
        for driver in self.drivers.values():
            driver.pairing(False)

    def _announce(self) -> None:
        self.live.publish("pairing", {"until": self.until_ms, "left_ms": self.left_ms})

    async def ask(
        self, description: dict[str, Any], proof: str, sender: str = ""
    ) -> tuple[Arrival, str]:
        """A node asks to join: (its arrival, the ticket with which it asks what became
        of it). `sender` is its address.

        Raises PairingClosed, Invalid for a description that cannot be used, Refused for
        one that is locked out.
        """
        if not self.left_ms:
            raise PairingClosed("pairing is closed; open it in the console, or with `hombi pair`")
        try:
            check_size(description)
            thing = read_description(description)
        except DescriptionError as error:
            raise Invalid(str(error)) from error
        if len(proof) != 64 or not set(proof) <= set("0123456789abcdef"):
            raise Invalid(
                "proof must be 64 hex digits: HMAC-SHA-256 of the description's id, "
                "keyed with the setup code"
            )
        ticket = secrets.token_urlsafe(24)
        record = self._record(thing, description)
        record.proof, record.ticket_hash, record.sender = proof, hash_key(ticket), sender
        return await self._arrive(record, thing, "asks to join over wifi"), ticket

    async def found(self, found: Found) -> Arrival:
        """A link found a node by itself, or a person gave its address. Raises Invalid,
        Refused for one that is locked out."""
        reach = {**found.reach, "notes": list(found.notes)} if found.notes else found.reach
        sender = urlsplit(found.reach.get("url", "")).hostname or ""
        ours = [a for a in self.arrivals.values() if a.record.thing_id == found.thing_id]
        known = next(
            (a for a in ours if (a.record.link, a.record.sender) == (found.link, sender)), None
        )
        if known is not None and (known.record.reach, known.record.description) == (
            reach,
            found.description,
        ):
            known.heard_ms = self.clock.now_ms()
            return known
        try:
            check_size(found.description)
            thing = read_description(found.description)
        except DescriptionError as error:
            raise Invalid(str(error)) from error
        record = self._record(thing, found.description)
        record.sender = sender
        record.reach, record.asks, record.link = reach, found.asks, found.link
        if known is not None and (known.record.state == "asking" or known.record.reach == reach):
            record.id = known.record.id  # who has it before their eyes goes on looking at it
        where = f"at {url}" if (url := found.reach.get("url")) else f"over {found.link}"
        return await self._arrive(record, thing, f"was found {where}")

    def is_asking(self, thing_id: str) -> bool:
        """Whether this node is being asked what it has: it began while the window was
        open, and may end after it."""
        return any(
            a.record.thing_id == thing_id and a.record.state == "asking"
            for a in self.arrivals.values()
        )

    def asking(self, asking: Asking) -> None:
        """A node is being asked what it has. It is shown, and cannot be let in yet."""
        arrival = next(
            (a for a in self.arrivals.values() if a.record.thing_id == asking.thing_id), None
        )
        if asking.over:
            if arrival is not None:
                self.tasks.start(self._drop(arrival), name="arrival over")
                arrival.record.state = "turned-away"
                self._changed(arrival)
            return
        if arrival is None or arrival.record.state != "asking":
            if not self.left_ms or (arrival is None and self._crowd() >= MAX_ARRIVALS):
                return
            number = arrival.record.id if arrival is not None else secrets.token_hex(4)
            record = ArrivalRecord(
                number,
                asking.thing_id,
                asking.title,
                {},
                "",
                "",
                self.clock.now_ms(),
                "asking",
                link=asking.link,
            )
            thing = ThingDescription(asking.thing_id, asking.title, "", (), (), (), ())
            arrival = self.arrivals[number] = Arrival(record, thing)
        arrival.record.title, arrival.progress, arrival.heard_ms = (
            asking.title,
            asking.progress,
            self.clock.now_ms(),
        )
        self._changed(arrival)

    def _record(self, thing: ThingDescription, description: dict[str, Any]) -> ArrivalRecord:
        return ArrivalRecord(
            secrets.token_hex(4),
            thing.thing_id,
            thing.title,
            description,
            "",
            "",
            self.clock.now_ms(),
        )

    async def _arrive(self, record: ArrivalRecord, thing: ThingDescription, how: str) -> Arrival:
        for other in [a for a in self.arrivals.values() if _same_node(a.record, record)]:
            if other.record.state == "locked":
                raise Refused(
                    "this node was locked out after wrong setup codes; turn it away "
                    "first, then let it ask again"
                )
            await self._drop(other)
        await self._make_room(record.sender)
        await self.thread.run(self.records.save_arrival, record)
        arrival = self._add(record, thing, record.asked_ms)
        self.journal.note("NodeArrived", f"{thing.title} {how}")
        self._changed(arrival)
        return arrival

    async def _make_room(self, sender: str) -> None:
        """At a bound the arrival that was heard longest ago goes; a node that waits
        asks again and again, so it is heard."""
        beside = [a for a in self.waiting() if sender and a.record.sender == sender]
        if len(beside) >= MAX_OF_AN_ADDRESS:
            await self._forget_oldest(beside)
        elif not beside and self._crowd() >= MAX_ARRIVALS:
            await self._forget_oldest(self.waiting())

    def _crowd(self) -> int:
        """How many addresses arrivals wait at; each one without an address counts by
        itself."""
        return len({a.record.sender or a.record.id for a in self.waiting()})

    async def _forget_oldest(self, among: list[Arrival]) -> None:
        oldest = min(among, key=lambda a: a.heard_ms)
        self.journal.fault(
            "ArrivalForgotten",
            f"too many nodes ask to join; {oldest.record.title}, unheard longest, is let go",
        )
        await self._drop(oldest)
        oldest.record.state = "turned-away"
        self._changed(oldest)

    def rivals(self, arrival: Arrival) -> list[Arrival]:
        """Other arrivals that say that they are the same node, first come first."""
        return [
            a
            for a in self.waiting()
            if a is not arrival and a.record.thing_id == arrival.record.thing_id
        ]

    def _add(self, record: ArrivalRecord, thing: ThingDescription, heard_ms: int) -> Arrival:
        url = record.reach.get("url", "")
        cannot = (
            self.drivers[record.link].unsupported(record.description, url)
            if url
            else tuple(record.reach.get("notes", ()))
        )
        known = self.house.node_by_thing(thing.thing_id)
        arrival = self.arrivals[record.id] = Arrival(
            record, thing, known, heard_ms, (*thing.left_out, *cannot)
        )
        return arrival

    async def outcome(self, arrival_id: str, ticket: str) -> tuple[str, Joined | None]:
        """What became of an arrival, for the node that holds its ticket: its state, and
        once admitted its key.

        The key is made anew each time it is collected, and the one before is void; so a
        node that lost the answer asks again.
        """
        arrival = self.find(arrival_id)
        if not arrival.record.ticket_hash or not hmac.compare_digest(
            arrival.record.ticket_hash, hash_key(ticket)
        ):
            raise NotFound(f"no arrival {arrival_id}")
        arrival.heard_ms = self.clock.now_ms()
        if arrival.record.state != "admitted":
            return arrival.record.state, None
        node = self.house.node(arrival.record.node)
        key = secrets.token_urlsafe(32)
        node.key_hash = hash_key(key)
        await self.thread.run(self.records.save_node, node)
        return "admitted", Joined(node.address, key)

    def find(self, arrival_id: str) -> Arrival:
        """Raises NotFound."""
        arrival = self.arrivals.get(arrival_id)
        if arrival is None:
            raise NotFound(f"no arrival {arrival_id}; `hombi arrivals` lists them")
        return arrival

    def waiting(self) -> list[Arrival]:
        """Those that a person has to say something about."""
        return [
            a
            for a in list(self.arrivals.values())
            if a.record.state in ("asking", "waiting", "locked")
        ]

    async def admit(
        self,
        arrival_id: str,
        setup_code: str,
        name: str = "",
        room: str = "",
        secret: str = "",
        entities: Mapping[str, EntityChoice] = MappingProxyType({}),
        origins: Sequence[str] = (),
    ) -> Node:
        """Let an arrival in as `name`, in `room` (one that exists, or the name of a new
        one). `origins` are those beside its own that its forms may lead to, and its
        secret with them.

        `secret` is what a node that was found wants to hear before it answers;
        `entities` are choices by entity name. Raises NotFound, Invalid for a name that
        is taken, Refused for a wrong setup code.
        """
        arrival = self.find(arrival_id)
        record = arrival.record
        if record.state == "asking":
            raise Refused(f"{record.title} is still being asked what it has: {arrival.progress}")
        if record.state != "waiting":
            raise Refused(f"{record.title} is {record.state}, it does not wait")
        address = slug(name or (arrival.known.address if arrival.known else record.title))
        if not address:
            raise Invalid("the name has no letter and no digit")
        taken = self.house.nodes.get(address)
        on_its_way = any(
            a.record.state == "admitting" and a.record.node == address
            for a in self.arrivals.values()
        )
        if on_its_way or (taken is not None and taken is not arrival.known):
            raise Invalid(f"there is a node {address} already; give this one another name")
        if address in self.house.tools:
            raise Invalid(
                f"a tool at the MQTT door is called {address}; give this node another name"
            )
        if unknown := set(entities) - {p.name for p in arrival.thing.promised}:
            raise Invalid(f"{record.title} has no entity {sorted(unknown)[0]}")
        if unknown_origins := set(origins) - set(record.reach.get("elsewhere", ())):
            raise Invalid(f"{record.title} has nothing at {sorted(unknown_origins)[0]}")
        if record.asks and not secret:
            raise Invalid(f"{record.title} answers only to who knows its {record.asks}")
        if record.proof and not _fits(record, setup_code):
            # Somebody else may say that it is this node: the one that knows its code is
            # it.
            if known := next(
                (a for a in self.rivals(arrival) if _fits(a.record, setup_code)), None
            ):
                return await self.admit(
                    known.record.id, setup_code, name, room, secret, entities, origins
                )
            await self._wrong_code(arrival)
        record.state, record.node = "admitting", address
        try:
            return await self._let_in(
                arrival, address, name.strip() or record.title, room, secret, entities, origins
            )
        except BaseException:
            record.state, record.node = "waiting", ""
            raise

    async def _wrong_code(self, arrival: Arrival) -> None:
        record = arrival.record
        record.wrong_codes += 1
        left = MAX_WRONG_CODES - record.wrong_codes
        if left <= 0:
            record.state = "locked"
        await self.thread.run(self.records.save_arrival, record)
        self._changed(arrival)
        if left <= 0:
            self.journal.note(
                "ArrivalLocked",
                f"{record.title} is locked out after {MAX_WRONG_CODES} wrong setup codes",
            )
            raise Refused(
                "wrong setup code; this arrival is locked now. Turn it away, then let "
                "the node ask again"
            )
        raise Refused(f"wrong setup code; {left} more {'try' if left == 1 else 'tries'}")

    async def _let_in(
        self,
        arrival: Arrival,
        address: str,
        title: str,
        room_name: str,
        secret: str,
        choices: Mapping[str, EntityChoice],
        origins: Sequence[str],
    ) -> Node:
        record, known = arrival.record, arrival.known
        room = (
            await self.rooms.find_or_add(room_name)
            if room_name.strip()
            else (known.room if known else None)
        )
        now = self.clock.now_ms()
        entities = tuple(
            _as_chosen(promised, choices.get(promised.name), known)
            for promised in arrival.thing.promised
        )
        reach = {**record.reach, "description": record.description}
        reach |= {
            name: value for name, value in (("secret", secret), ("origins", list(origins))) if value
        }
        new = NewNode(
            address,
            title,
            record.link,
            record.thing_id,
            room.id if room else None,
            now,
            entities,
            known.id if known else 0,
            reach,
        )
        # The node asks what became of it all the while: it must not hear "admitted"
        # before the house knows it.
        node_id, entity_ids = await self.thread.run(
            self.records.admit, new, replace(record, state="admitted")
        )
        if known is not None:
            await self.drivers[known.link].remove(known.address)
            self.house.take_out(known)
        node = Node(
            node_id,
            address,
            title,
            record.link,
            record.thing_id,
            "",
            room,
            now,
            heard_ms=now,
            reach=reach,
        )
        node.described(arrival.thing)
        for stored in entities:
            before = known.entities.get(stored.name) if known else None
            node.entities[stored.name] = stored.placed(
                entity_ids[stored.name], node, before.latest if before else None
            )
        self.house.add(node)
        self.drivers[node.link].follow(node.on_link())
        record.state = "admitted"
        where = f" in {room.name}" if room else ""
        self.journal.note("NodeAdmitted", f"{title} was let in as {address}{where}", node=address)
        self.live.publish("house", {"changed": "node", "node": address})
        self._changed(arrival)
        for rival in self.rivals(arrival):
            rival.record.state = "turned-away"
            await self._drop(rival)
            self._changed(rival)
        if not record.ticket_hash:  # it was found: it has no key to collect
            await self._drop(arrival)
        return node

    async def turn_away(self, arrival_id: str) -> None:
        """Send an arrival away; the node hears it when it asks. Raises NotFound."""
        arrival = self.find(arrival_id)
        if arrival.record.state == "admitted":
            raise Refused(f"{arrival.record.title} is let in already; remove the node instead")
        asking = arrival.record.state == "asking"
        arrival.record.state = "turned-away"
        await self.drivers[arrival.record.link].dismiss(arrival.record.thing_id)
        if asking:
            self.arrivals.pop(arrival_id, None)
        await self.thread.run(self.records.remove_arrival, arrival.record.id)
        self.journal.note("ArrivalTurnedAway", f"{arrival.record.title} was turned away")
        self._changed(arrival)

    async def _drop(self, arrival: Arrival) -> None:
        await self.thread.run(self.records.remove_arrival, arrival.record.id)
        self.arrivals.pop(arrival.record.id, None)

    async def collected(self, node: str) -> None:
        """The node has used its key: its ticket is of no more use."""
        for arrival in [
            a
            for a in self.arrivals.values()
            if a.record.node == node and a.record.state == "admitted"
        ]:
            await self._drop(arrival)

    def _changed(self, arrival: Arrival) -> None:
        record = arrival.record
        self.live.publish(
            "arrival",
            {
                "id": record.id,
                "title": record.title,
                "state": record.state,
                "progress": arrival.progress,
            },
        )


def _same_node(one: ArrivalRecord, other: ArrivalRecord) -> bool:
    """Whether an arrival is the other one again: whoever only says that it is this node
    is another."""
    return (one.thing_id, one.link, one.sender, one.proof) == (
        other.thing_id,
        other.link,
        other.sender,
        other.proof,
    ) or (
        one.thing_id == other.thing_id
        and one.sender == other.sender
        and "locked" in (one.state, other.state)
    )


def _fits(record: ArrivalRecord, setup_code: str) -> bool:
    return bool(record.proof) and hmac.compare_digest(
        record.proof, proof_of(setup_code, record.thing_id)
    )


def _as_chosen(promised: Promised, chosen: EntityChoice | None, known: Node | None) -> NewEntity:
    """An entity as the person wants it now, or wanted it when the node was here
    before."""
    before = known.entities.get(promised.name) if known else None
    if chosen is not None:
        return as_stored(promised, chosen.title.strip() or promised.title, hidden=chosen.hidden)
    if before is not None:
        return as_stored(promised, before.title, hidden=before.hidden)
    return as_stored(promised, promised.title, hidden=promised.hidden)
