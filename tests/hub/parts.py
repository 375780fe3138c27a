"""A hub in memory: a clock of the test's own, a link without wires, phones without a
push service."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, TypeVar

from hombi.core.rhythm import DAY_MS, Rhythm
from hombi.core.senml import Resolved
from hombi.hub.hub import Hub, open_hub
from hombi.hub.kernel import Actor, Change, RecordsThread, Timer
from hombi.hub.machine import lag
from hombi.hub.nodes.admission import AdmitArrival
from hombi.hub.nodes.pairing import proof_of
from hombi.hub.notices.contacts import AddContact
from hombi.hub.notices.port import DeliveryRecord, PhoneRecord
from hombi.hub.notices.sending import Fate, Sent
from hombi.hub.readings import writer
from hombi.hub.settings.config import make_config
from hombi.links.base import Check, Found, Link, LinkContext, OnLink, Unreachable, Wanted
from hombi.links.capabilities import Acted
from tests.house import CLIMATE, PLUG, description
from tests.memory import MemoryRecords

START = 1_800_000_000_000
T = TypeVar("T")


@dataclass(order=True)
class _Call:
    at_ms: int
    number: int
    call: Callable[[], None] = field(compare=False)
    cancelled: bool = field(default=False, compare=False)

    def cancel(self) -> None:
        self.cancelled = True


class ManualClock:
    """Stands still until the test moves it."""

    def __init__(self) -> None:
        self.now = START
        self._calls: list[_Call] = []

    def now_ms(self) -> int:
        return self.now

    def call_at_ms(self, at_ms: int, call: Callable[[], None]) -> Timer:
        due = _Call(at_ms, len(self._calls), call)
        self._calls.append(due)
        return due

    async def forward(self, ms: int) -> None:
        """Move on, calling what comes due in its order, and let what it began come to
        rest."""
        until = self.now + ms
        while True:
            ready = [c for c in self._calls if not c.cancelled and c.at_ms <= until]
            if not ready:
                break
            due = min(ready)
            self._calls.remove(due)
            self.now = max(self.now, due.at_ms)
            due.call()
            await settle()
        self.now = until
        await settle()


class _Busy:
    """How many calls are on their way to the records thread, of all hubs in memory."""

    calls = 0


async def _counted(
    thread: RecordsThread, call: Callable[..., Any], *args: Any, **kwargs: Any
) -> Any:
    _Busy.calls += 1
    try:
        return await _run(thread, call, *args, **kwargs)
    finally:
        _Busy.calls -= 1


# Readings are gathered for a moment only: `settle` does not wait for longer ones.
writer.GATHER_S, writer.QUIET_S = 0.008, 0.004
_run = RecordsThread.run
RecordsThread.run = _counted  # type: ignore[method-assign]


async def settle() -> None:
    """Let tasks and the records thread come to rest, however busy the machine is."""
    await asyncio.sleep(0.02)
    while True:
        for _ in range(40):
            await asyncio.sleep(0)
        if not _Busy.calls:
            return
        await asyncio.sleep(0.002)


async def until(ask: Callable[[], Any], within_s: float = 10.0) -> None:
    """Let the hub work until the answer is true."""
    ends = asyncio.get_running_loop().time() + within_s
    while not ask():
        assert asyncio.get_running_loop().time() < ends, "it did not come about in time"
        await asyncio.sleep(0.005)
    await settle()


class Wireless:
    """A link without wires: `obeys` confirms what is asked as a node would."""

    link = "wifi"
    connects = True

    def __init__(self, context: LinkContext) -> None:
        self.reports, self.clock = context.reports, context.clock
        self.sent: list[tuple[str, Wanted]] = []
        self.removed: list[str] = []
        self.known: dict[str, OnLink] = {}
        self.things: dict[str, Found] = {}
        self.acts: list[tuple[str, str, Any]] = []
        self.dismissed: list[str] = []
        self.asked_again: list[str] = []
        self.deaf: set[str] = set()
        self.open = False
        self.obeys = True
        # Whether it sends at once what its nodes are to take.
        self.quick = False
        self.reachable = True
        # What its nodes go to slowly by themselves.
        self.slow: set[str] = set()

    async def start(self) -> None: ...

    async def stop(self) -> None: ...

    def follow(self, known: OnLink) -> None:
        self.known[known.node] = known

    def pairing(self, is_open: bool) -> None:
        self.open = is_open

    def way(self, known: OnLink) -> str:
        if known.reach.get("url"):
            return "described"
        return "foreign" if known.foreign else "senml"

    def welcome(self, node: str) -> dict[str, Any]:
        return {"port": 1, "readings": "r", "wanted": "w", "presence": "p"}

    def checks(self) -> list[Check]:
        return []

    async def look(self, address: str) -> Found:
        if address not in self.things:
            raise Unreachable(f"nothing answers at {address}")
        return self.things[address]

    async def settings(self, node: str) -> dict[str, Any]:
        return {}

    async def set_setting(self, node: str, name: str, value: Any) -> None:
        if self.obeys:
            asyncio.get_running_loop().call_soon(self.say, node, [Resolved(name, "", 0, value)])

    async def act(self, node: str, action: str, given: Any) -> Acted:
        self.acts.append((node, action, given))
        return Acted(done=False)

    def cut_off(self, account: str) -> None:
        self.removed.append(account)

    async def ask_again(self, thing_id: str) -> None:
        if thing_id in self.deaf:
            raise Unreachable("it is not in the Zigbee network any more")
        self.asked_again.append(thing_id)

    async def dismiss(self, thing_id: str) -> None:
        self.dismissed.append(thing_id)

    async def remove(self, node: str) -> None:
        self.removed.append(node)

    async def send(self, node: str, wanted: Sequence[Wanted]) -> None:
        self._take(node, wanted, asyncio.get_running_loop().call_soon)

    def send_now(self, node: str, wanted: Sequence[Wanted]) -> bool:
        if self.quick:
            # Its answer is there before anybody has had another turn.
            self._take(node, wanted, lambda say, *words: say(*words))
        return self.quick

    def _take(self, node: str, wanted: Sequence[Wanted], then: Callable[..., object]) -> None:
        if not self.reachable:
            raise Unreachable(f"{node} is not connected")
        for one in wanted:
            self.sent.append((node, one))
            if self.obeys:
                then(self.say, node, [Resolved(one.name, one.unit, 0, one.value)])

    def glides(self, node: str, name: str) -> bool:
        return name in self.slow

    def say(self, node: str, values: list[Resolved]) -> None:
        """A node says values now."""
        now = self.clock.now_ms()
        self.reports.observed(
            node,
            [
                Resolved(v.name, v.unit, v.at_ms or now, v.value, stamped=not v.at_ms)
                for v in values
            ],
            lambda _: None,
        )

    def listening(self) -> str:
        return "nowhere"


class Phones:
    """A push service of the test's own."""

    def __init__(self) -> None:
        self.told: list[tuple[str, str, str]] = []
        self.answers: list[Sent] = []
        self.taken: list[DeliveryRecord] = []
        # Whose phone hangs until this.
        self.hangs: dict[str, asyncio.Event] = {}

    async def send(self, phone: PhoneRecord, delivery: DeliveryRecord) -> Sent:
        if (hangs := self.hangs.get(phone.person)) is not None:
            await hangs.wait()
        self.taken.append(replace(delivery))
        answer = self.answers.pop(0) if self.answers else Sent(Fate.DELIVERED)
        if answer.fate is Fate.DELIVERED:
            self.told.append((phone.name, delivery.title, delivery.text))
        return answer


def heard_each(gap_ms: float) -> Rhythm:
    """What is known of a value that has come so often for two days."""
    rhythm = Rhythm()
    for _ in range(round(2 * DAY_MS / gap_ms)):
        rhythm.learn(gap_ms)
    return rhythm


@dataclass
class Rig:
    """A hub with its parts in reach."""

    hub: Hub
    clock: ManualClock
    records: MemoryRecords
    link: Wireless
    phones: Phones

    async def let_in(self, title: str, **properties: Any) -> None:
        thing = description(title, **properties)
        self.hub.pairing.open_window(60_000)
        arrival, _ = await self.hub.pairing.ask(thing, proof_of("1234", thing["id"]))
        await self.do(AdmitArrival(arrival.record.id, "1234", title, "Cheese cellar"))

    async def do(self, change: Change[Any, T], by: str = "ada") -> T:
        """Make a change, as a person does."""
        return await self.hub.context.changes.do(change, Actor.person(by))

    async def cellar(self) -> None:
        await self.let_in("Cellar rack", **CLIMATE)
        await self.let_in("Cellar mister", **PLUG)

    def say(
        self, node: str, name: str, value: float | bool | str, unit: str = "", at_ms: int = 0
    ) -> None:
        self.link.say(node, [Resolved(name, unit, at_ms, value)])

    def usual(self, entity: str, gap_ms: float) -> None:
        """This is how often a value has come for two days."""
        self.hub.house.entity(entity).rhythm = heard_each(gap_ms)

    def events(self) -> list[str]:
        return [entry.event for entry in self.records.journal.all]


@contextlib.asynccontextmanager
async def rig(
    records: MemoryRecords | None = None, clock: ManualClock | None = None, **config: Any
) -> AsyncIterator[Rig]:
    """An open hub in memory. Records and clock of an earlier one make it a restart."""
    records, clock, phones = records or MemoryRecords(), clock or ManualClock(), Phones()
    made: list[Wireless] = []

    def make(context: LinkContext, settings: Any) -> Wireless:
        made.append(Wireless(context))
        return made[-1]

    links = [Link("wifi", {}, lambda *_: None, make)]

    # A clock that stands still until it is moved looks like one that is set again and
    # again.
    lag.LOOK_EVERY_S = 3_600.0
    given = {
        "house": {"time_zone": "UTC", **config.pop("house", {})},
        "actuation": {"answer_within": 0.25},
        "https": {"use": False},
    }
    settings = make_config(config.pop("data", Path("/nowhere")), given, links)
    async with open_hub(settings, records, clock=clock, push=phones, links=links) as hub:
        yield Rig(hub, clock, records, made[0], phones)


DRY = """\
name = "Cellar too dry"

[watch]
entity = "cellar-rack/humidity"
under = "82 %"
held = "10 min"
until = "86 %"

[[starts]]
switch = "cellar-mister/switch"
to = "on"

[[starts]]
notify = "everyone"
title = "{room} is dry"
text = "{entity}: {value} for {held}, limit {limit}"

[[ends]]
switch = "cellar-mister/switch"
to = "off"
"""


async def hold(r: Rig, ms: int, value: float = 81.0, every_ms: int = 30_000) -> None:
    """The cellar's humidity stays at a value for so long, heard all the while."""
    ends = r.clock.now + ms
    while r.clock.now < ends:
        r.say("cellar-rack", "humidity", value)
        await r.clock.forward(min(every_ms, ends - r.clock.now))


async def with_phone(r: Rig) -> None:
    """Ada has a phone."""
    await r.do(
        AddContact(PhoneRecord(0, "Ada's phone", "ada", "https://push.example/1", "k", "a", 0))
    )
