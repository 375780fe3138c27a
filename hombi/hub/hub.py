"""The hub: all its parts, opened in order and closed in the reverse."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass

from hombi.core.errors import SenmlError
from hombi.core.senml import decode, resolve
from hombi.hub.actuation import Actuation
from hombi.hub.clock import Clock, RealClock
from hombi.hub.config import Config
from hombi.hub.engine import Engine
from hombi.hub.errors import Busy, Invalid
from hombi.hub.house import House, Node
from hombi.hub.intake import Intake, Taken
from hombi.hub.journal import Journal
from hombi.hub.live import Live
from hombi.hub.nodes import Nodes
from hombi.hub.notices import Outbox, Push, WebPush, fresh_vapid_key
from hombi.hub.pairing import Pairing
from hombi.hub.ports import Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.rooms import Rooms
from hombi.hub.tasks import Tasks
from hombi.hub.writer import Writer
from hombi.links.base import Driver
from hombi.links.table import drivers

GRACE_S = 1.0
VAPID_CONTACT = "mailto:hub@hombi.invalid"


@dataclass
class Hub:
    """What the API, the links and the automations act on."""

    config: Config
    clock: Clock
    house: House
    live: Live
    journal: Journal
    writer: Writer
    intake: Intake
    rooms: Rooms
    pairing: Pairing
    nodes: Nodes
    actuation: Actuation
    engine: Engine
    outbox: Outbox
    drivers: dict[str, Driver]
    public_key: str
    started_ms: int

    async def post(self, node: Node, payload: bytes) -> Taken:
        """Readings that a node posted over HTTP; returns once they are committed.

        Raises Invalid for what is no SenML, Busy when the disk does not keep up.
        """
        loop = asyncio.get_running_loop()
        committed: asyncio.Future[None] = loop.create_future()
        try:
            values = resolve(decode(payload), self.clock.now_ms())
        except SenmlError as error:
            self.nodes.refused(node.address, str(error))
            raise Invalid(str(error)) from error
        if self.writer.full:
            raise Busy("the hub holds as many readings as it can until the disk takes them; send these again later")
        self.nodes.presence(node.address, here=True)

        def safe() -> None:
            if not committed.done():
                committed.set_result(None)

        taken = self.intake.observed(node.address, values, safe)
        if taken.stored:  # nothing is awaited for a node that was taken out a moment ago
            await committed
        return taken

    async def remove_node(self, address: str, *, keep_history: bool) -> None:
        """Take a node out and cut it off; automations that name it stop. Raises NotFound."""
        node = self.house.node(address)
        await self.nodes.remove(address, keep_history=keep_history)
        self.engine.house_changed()
        await self.drivers[node.link].remove(address)

    async def admit(self, arrival_id: str, setup_code: str, name: str, room: str) -> Node:
        """Let an arrival in; automations that look at it wake up. Raises as `Pairing.admit` does."""
        node = await self.pairing.admit(arrival_id, setup_code, name, room)
        self.engine.house_changed()
        return node

    def needs(self) -> list[dict[str, str]]:
        """What needs a person, most pressing first: kind, text, and the console's path. May be asked from any thread."""
        found = []
        if self.writer.problem:
            found.append({"kind": "disk", "text": self.writer.problem, "path": "/journal"})
        for arrival in self.pairing.waiting():
            state = "is locked out" if arrival.record.state == "locked" else "asks to join"
            found.append({"kind": "arrival", "text": f"{arrival.record.title} {state}", "path": "/nodes"})
        for node in list(self.house.nodes.values()):
            if node.silent:
                found.append({"kind": "silent", "text": f"{node.title} is not heard any more", "path": f"/nodes/{node.address}"})
            for entity in list(node.entities.values()):
                if entity.kind.name == "battery" and entity.latest is not None and entity.latest.value <= 10:
                    text = f"{node.title} has a low battery: {entity.latest.value:.0f} %"
                    found.append({"kind": "battery", "text": text, "path": f"/nodes/{node.address}"})
        for slug, runner in list(self.engine.runners.items()):
            if runner.mistakes:
                text = f"{slug} cannot run: {runner.mistakes[0].what}"
                found.append({"kind": "automation", "text": text, "path": f"/automations/{slug}"})
        if self.outbox.failed:
            found.append({"kind": "notice", "text": f"{self.outbox.failed} notices did not reach a phone", "path": "/journal"})
        return found


@contextlib.asynccontextmanager
async def open_hub(
    config: Config,
    records: Records,
    *,
    clock: Clock | None = None,
    push: Push | None = None,
    make_drivers: Callable[..., list[Driver]] = drivers,
) -> AsyncIterator[Hub]:
    """The hub at work, for as long as this context is open. Raises LinkError when a link cannot listen."""
    clock = clock or RealClock()
    thread, tasks, live, house = RecordsThread(), Tasks(), Live(), House()
    journal = Journal(clock, records, thread, live, tasks)
    writer = Writer(records, thread, journal)
    intake = Intake(house, clock, live, journal, writer)
    rooms = Rooms(house, records, thread, live, journal)
    by_link: dict[str, Driver] = {}
    pairing = Pairing(
        house, rooms, clock, records, thread, live, journal, lambda address: tasks.start(by_link["wifi"].remove(address), "expel")
    )
    nodes = Nodes(house, rooms, clock, records, thread, live, journal, intake, pairing, tasks)
    kept = await thread.run(records.link_states)
    by_link.update({d.link: d for d in make_drivers(nodes, house, config.mqtt_host, config.nodes_port, kept)})
    actuation = Actuation(house, clock, live, journal, by_link, config.answer_s)
    public_key = ""
    if push is None:
        push = WebPush(await thread.run(records.push_key, fresh_vapid_key()), VAPID_CONTACT)
        public_key = push.public_key
    outbox = Outbox(clock, records, thread, live, journal, tasks, push)
    engine = Engine(house, config.zone, clock, records, thread, live, journal, tasks, actuation, outbox)
    intake.listeners += [actuation, engine]

    await thread.run(records.load_house, house)
    pairing.load(await thread.run(records.arrivals))
    outbox.load(await thread.run(records.phones), await thread.run(records.waiting_deliveries))
    started = clock.now_ms()
    for node in house.nodes.values():
        # Not heard yet in this run: it has its usual time to be heard before it counts as silent.
        node.heard_ms = max(node.heard_ms, started) if node.entities else started
    writing = asyncio.create_task(writer.run(), name="writer")
    watching = asyncio.create_task(nodes.watch_silence(), name="silence")
    opened: list[Driver] = []
    try:
        for driver in by_link.values():
            await driver.start()
            opened.append(driver)
        engine.load(await thread.run(records.automations))
        journal.note("HubStarted", "the hub is up")
        yield Hub(
            config, clock, house, live, journal, writer, intake, rooms, pairing, nodes,
            actuation, engine, outbox, by_link, public_key, started,
        )  # fmt: skip
        journal.note("HubStopped", "the hub was stopped")
    finally:
        live.close()
        engine.close()
        outbox.close()
        for driver in reversed(opened):
            await driver.stop()
        watching.cancel()
        await writer.close()
        await asyncio.gather(writing, watching, return_exceptions=True)
        await tasks.settle(GRACE_S)
        thread.close()
