"""Pairing: the window in which nodes may ask to join, and the arrivals that did.
`admission.py` lets them in or turns them away."""

from __future__ import annotations

import hashlib
import hmac
import secrets
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

from hombi.core.values import show_span
from hombi.hub.errors import Invalid, NotFound, PairingClosed, Refused
from hombi.hub.house import House, Node, hash_key
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Need, Right, Timer
from hombi.hub.machine.events import ClockSet
from hombi.hub.nodes.links import Links
from hombi.hub.nodes.pairing_events import (
    ArrivalChanged,
    ArrivalForgotten,
    NodeArrived,
    PairingOpened,
)
from hombi.hub.nodes.pairing_events import PairingClosed as WindowClosed
from hombi.hub.nodes.pairing_port import ArrivalRecord
from hombi.links.base import Asking, Found
from hombi.links.capabilities import Pairs, Welcomes
from hombi.links.offer import Offer, offer_of
from hombi.links.thing_description import (
    DescriptionError,
    check_size,
    read_description,
)

# Arrivals of one address count as one, and there are only so many of them; what is
# found on a radio has no address.
MAX_ARRIVALS = 32
MAX_OF_AN_ADDRESS = 8
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
class Joined:
    """What a node gets once it is let in: its address, the key that opens the doors to
    it, and what its link says of them."""

    node: str
    key: str
    welcome: dict[str, Any]


@dataclass
class Arrival:
    """An arrival with what it offers."""

    record: ArrivalRecord
    offer: Offer
    known: Node | None = None
    heard_ms: int = 0
    progress: str = ""


class Pairing(Feature):
    """The pairing window and its arrivals."""

    name = "pairing"
    pressing = 5

    def __init__(self, context: Context, house: House, links: Links) -> None:
        super().__init__(context)
        self.house, self.links, self._clock = house, links, context.clock
        self.until_ms = 0
        context.hear(ClockSet, lambda event: self._clock_set(event.by_ms))
        self.arrivals: dict[str, Arrival] = {}
        self._closing: Timer | None = None

    async def open(self) -> None:
        """Take up the arrivals of before a restart."""
        for record in await self.context.thread.run(self.context.records.pairing.arrivals):
            self._add(record, offer_of(record.offer), record.asked_ms)

    async def close(self) -> None:
        if self._closing is not None:
            self._closing.cancel()

    # The window

    @property
    def left_ms(self) -> int:
        """How long the window stays open; 0 when it is closed."""
        return max(0, self.until_ms - self._clock.now_ms())

    def _clock_set(self, by_ms: int) -> None:
        """The machine's clock was set: the window stays open for as long as it was
        to."""
        if self.until_ms:
            self.until_ms += by_ms
            if self._closing is not None:
                self._closing.cancel()
            self._closing = self.context.tasks.at(
                self.until_ms, self._ran_out, "the pairing window"
            )

    def open_window(self, for_ms: int) -> None:
        """Open the window, or set its end again. Raises Invalid beyond fifteen
        minutes."""
        if not 0 < for_ms <= MAX_WINDOW_MS:
            raise Invalid("a pairing window is open for 1 s to 15 min")
        was_open = self.left_ms > 0
        self.until_ms = self._clock.now_ms() + for_ms
        if self._closing is not None:
            self._closing.cancel()
        self._closing = self.context.tasks.at(self.until_ms, self._ran_out, "the pairing window")
        if not was_open:
            # What did not answer when the window was open before is asked again.
            for arrival in [a for a in self.arrivals.values() if a.record.state == "asking"]:
                del self.arrivals[arrival.record.id]
                arrival.record.state = "turned-away"
                self.changed(arrival)
        self._tell_links(is_open=True)

    def close_window(self) -> None:
        """Close the window; what waits goes on waiting."""
        self.until_ms = 0
        if self._closing is not None:
            self._closing.cancel()
            self._closing = None
        self._tell_links(is_open=False)

    def _tell_links(self, *, is_open: bool) -> None:
        for driver in self.links.that(Pairs):
            self.context.tasks.guarded("a link's pairing", driver.pairing)(is_open)

    def _ran_out(self) -> None:
        if self.until_ms and not self.left_ms:
            self.close_window()
            self.context.announce(WindowClosed())

    # Arrivals

    async def ask(self, description: Any, proof: str, sender: str = "") -> tuple[Arrival, str]:
        """A node asks to join: (its arrival, the ticket with which it asks what became
        of it).

        `description` is its Thing Description, `proof` that of its setup code, `sender`
        the address it speaks from. Raises PairingClosed, Invalid, Refused.
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
        link = next((d.link for d in self.links.that(Welcomes)), "")
        ticket = secrets.token_urlsafe(24)
        record = self._record(thing.thing_id, thing.offer, link)
        record.proof, record.ticket_hash, record.sender = proof, hash_key(ticket), sender
        return await self._arrive(record, thing.offer, f"asks to join over {link}"), ticket

    async def found(self, finding: Found) -> Arrival:
        """A node that a link found by itself is an arrival. Raises Invalid, Refused."""
        url = finding.reach.get("url", "")
        sender = (urlsplit(url).hostname or "") if url else ""
        mine = [a for a in self.arrivals.values() if a.record.thing_id == finding.thing_id]
        known = next(
            (a for a in mine if (a.record.link, a.record.sender) == (finding.link, sender)), None
        )
        same = known is not None and known.record.reach == finding.reach
        if known is not None and same and known.offer == finding.offer:
            known.heard_ms = self._clock.now_ms()
            return known
        record = self._record(finding.thing_id, finding.offer, finding.link)
        record.sender, record.reach, record.asks = sender, dict(finding.reach), finding.asks
        if known is not None and (known.record.state == "asking" or same):
            # Who has it before their eyes goes on looking at it.
            record.id = known.record.id
        where = f"at {url}" if url else f"over {finding.link}"
        return await self._arrive(record, finding.offer, f"was found {where}")

    def is_asking(self, thing_id: str) -> bool:
        """Whether this node is being asked what it has: it began while the window was
        open, and may end after it."""
        states = (a.record.state for a in self.arrivals.values() if a.record.thing_id == thing_id)
        return "asking" in states

    def asking(self, asking: Asking) -> None:
        """A node is being asked what it has. It is shown, and cannot be let in yet."""
        arrivals = self.arrivals.values()
        arrival = next((a for a in arrivals if a.record.thing_id == asking.thing_id), None)
        if asking.over:
            if arrival is not None:
                self.context.tasks.start(self.drop(arrival), name="an arrival that is over")
                arrival.record.state = "turned-away"
                self.changed(arrival)
            return
        if arrival is None or arrival.record.state != "asking":
            if not self.left_ms or (arrival is None and self._crowd() >= MAX_ARRIVALS):
                return
            record = self._record(asking.thing_id, Offer(asking.title), asking.link)
            record.state = "asking"
            if arrival is not None:
                record.id = arrival.record.id
            arrival = self.arrivals[record.id] = Arrival(record, Offer(asking.title))
        arrival.record.title, arrival.progress = asking.title, asking.progress
        arrival.heard_ms = self._clock.now_ms()
        self.changed(arrival)

    def _record(self, thing_id: str, offer: Offer, link: str) -> ArrivalRecord:
        number, now = secrets.token_hex(4), self._clock.now_ms()
        return ArrivalRecord(number, thing_id, offer.title, offer.as_data(), "", "", now, link=link)

    async def _arrive(self, record: ArrivalRecord, offer: Offer, how: str) -> Arrival:
        for other in [a for a in self.arrivals.values() if _same_node(a.record, record)]:
            if other.record.state == "locked":
                raise Refused(
                    "this node was locked out after wrong setup codes; turn it away first, "
                    "then let it ask again"
                )
            await self.drop(other)
        await self._make_room(record.sender)
        await self.context.thread.run(self.context.records.pairing.save, record)
        arrival = self._add(record, offer, record.asked_ms)
        self.context.announce(NodeArrived(title=offer.title, how=how))
        self.changed(arrival)
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
        what = f"too many nodes ask to join; {oldest.record.title}, unheard longest, is let go"
        self.context.announce(ArrivalForgotten(what=what))
        await self.drop(oldest)
        oldest.record.state = "turned-away"
        self.changed(oldest)

    def rivals(self, arrival: Arrival) -> list[Arrival]:
        """Other arrivals that say that they are the same node, first come first."""
        thing_id = arrival.record.thing_id
        return [a for a in self.waiting() if a is not arrival and a.record.thing_id == thing_id]

    def _add(self, record: ArrivalRecord, offer: Offer, heard_ms: int) -> Arrival:
        known = self.house.node_by_thing(record.thing_id)
        arrival = self.arrivals[record.id] = Arrival(record, offer, known, heard_ms)
        return arrival

    async def outcome(self, arrival_id: str, ticket: str) -> tuple[str, Joined | None]:
        """What became of an arrival, for the node that holds its ticket: its state, and
        once admitted its key.

        The key is made afresh each time it is collected, and the one before is void; so
        a node that lost the answer asks again.
        """
        arrival = self.find(arrival_id)
        record = arrival.record
        fits = hmac.compare_digest(record.ticket_hash, hash_key(ticket))
        if not record.ticket_hash or not fits:
            raise NotFound(f"no arrival {arrival_id}")
        arrival.heard_ms = self._clock.now_ms()
        if record.state != "admitted":
            return record.state, None
        node = self.house.node(record.node)
        key = secrets.token_urlsafe(32)
        node.key_hash = hash_key(key)
        await self.context.thread.run(self.context.records.house.save_node, node)
        door = self.links.able(node, Welcomes, "it has no door of its own")
        return "admitted", Joined(node.address, key, door.welcome(node.address))

    def find(self, arrival_id: str) -> Arrival:
        """Raises NotFound."""
        arrival = self.arrivals.get(arrival_id)
        if arrival is None:
            raise NotFound(f"no arrival {arrival_id}; `hombi arrivals` lists them")
        return arrival

    def waiting(self) -> list[Arrival]:
        """Those that a person has to say something about."""
        states = ("asking", "waiting", "locked")
        return [a for a in self.arrivals.values() if a.record.state in states]

    async def drop(self, arrival: Arrival) -> None:
        """Forget an arrival."""
        await self.context.thread.run(self.context.records.pairing.remove, arrival.record.id)
        self.arrivals.pop(arrival.record.id, None)

    async def collected(self, node: str) -> None:
        """The node has used its key: its ticket is of no more use."""
        for arrival in list(self.arrivals.values()):
            if arrival.record.node == node and arrival.record.state == "admitted":
                await self.drop(arrival)

    def changed(self, arrival: Arrival) -> None:
        """Tell who listens."""
        record = arrival.record
        event = ArrivalChanged(
            id=record.id, title=record.title, state=record.state, progress=arrival.progress
        )
        self.context.announce(event)

    def needs(self) -> Iterator[Need]:
        words = {"locked": "is locked out", "asking": "is being asked what it has"}
        for arrival in self.waiting():
            state = words.get(arrival.record.state, "asks to join")
            yield Need("arrival", f"{arrival.record.title} {state}", "/nodes")

    def shown(self) -> str:
        """How the window stands, in words."""
        left = self.left_ms
        return f"open for {show_span(left)} more" if left else "closed"


def _same_node(arrival: ArrivalRecord, other: ArrivalRecord) -> bool:
    """Whether an arrival is the other one again: whoever only says that it is this node
    is another."""
    if arrival.thing_id != other.thing_id or arrival.sender != other.sender:
        return False
    return (arrival.link, arrival.proof) == (other.link, other.proof) or "locked" in (
        arrival.state,
        other.state,
    )


class OpenPairing(Change[Pairing, None], frozen=True):
    """Open the pairing window, or set its end again; 15 min at most."""

    for_ms: int

    feature = Pairing
    right = Right.ADMIT

    async def do(self, feature: Pairing, by: Actor) -> Done[None]:
        feature.open_window(self.for_ms)
        return Done(None, PairingOpened(until_ms=feature.until_ms, for_ms=self.for_ms))


class ClosePairing(Change[Pairing, None], frozen=True):
    """Close the pairing window."""

    feature = Pairing
    right = Right.ADMIT

    async def do(self, feature: Pairing, by: Actor) -> Done[None]:
        feature.close_window()
        return Done(None, WindowClosed())
