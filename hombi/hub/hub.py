"""The hub: all its parts, opened in order and closed in the reverse."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from dataclasses import dataclass

from msgspec.structs import replace

from hombi.core.errors import SenmlError
from hombi.core.house_facts import did_you_mean
from hombi.core.picking import PickError, pick_posted
from hombi.core.senml import Resolved, decode, resolve
from hombi.hub.actuation import Actuation
from hombi.hub.batteries import LOW_BATTERY, Batteries
from hombi.hub.clock import Clock, RealClock
from hombi.hub.config import Config
from hombi.hub.described import Redescribed
from hombi.hub.engine import Engine
from hombi.hub.errors import Busy, Invalid, NotFound
from hombi.hub.foreign import Foreign
from hombi.hub.house import House, Node
from hombi.hub.intake import Intake, Taken
from hombi.hub.journal import Journal
from hombi.hub.keeper import Keeper
from hombi.hub.lag import Lag
from hombi.hub.live import Live
from hombi.hub.messages import Messages
from hombi.hub.node_settings import NodeSettings
from hombi.hub.nodes import Nodes
from hombi.hub.notices import Outbox, Push, WebPush, fresh_vapid_key
from hombi.hub.pairing import EntityChoice, Pairing
from hombi.hub.ports import Records
from hombi.hub.records_thread import RecordsThread
from hombi.hub.reload import Reload
from hombi.hub.rooms import Rooms
from hombi.hub.tasks import Tasks
from hombi.hub.tools import Tools
from hombi.hub.writer import Writer
from hombi.links.base import Driver, Heard
from hombi.links.table import drivers
from hombi.links.thing_description import read_description

GRACE_S = 1.0
REFUSALS_TOLD = 5
VAPID_CONTACT = "mailto:hub@hombi.invalid"


@dataclass
class Hub:
    """What the API, the links and the automations act on."""

    first_config: Config
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
    messages: Messages
    foreign: Foreign
    tools: Tools
    settings: NodeSettings
    reload: Reload
    lag: Lag
    public_key: str
    started_ms: int

    @property
    def config(self) -> Config:
        """The settings as they stand now."""
        return self.reload.config

    async def post_value(self, address: str, payload: bytes, node: Node) -> Taken:
        """One value that a node posted for one of its entities; returns once it is
        committed.

        Raises NotFound for an entity that is none yet (what was posted is among the
        messages, and can be picked there), Invalid for a payload without the value,
        Busy when the disk does not keep up.
        """
        name = address.partition("/")[2]
        self.messages.note(Heard("http", f"intake/{address}", payload, node.address, node.address))
        entity = node.entities.get(name)
        if entity is None:
            hint = (
                did_you_mean(name, node.entities)
                or "it is shown under Messages, where it can be made one"
            )
            self.nodes.refused(node.address, f"it posts {name}, which is no entity of its yet")
            raise NotFound(f"{node.address} has no entity {name} yet; {hint}")
        try:
            picked = pick_posted(
                payload, entity.source.get("pointer", ""), entity.kind, self.clock.now_ms()
            )
        except PickError as error:
            self.nodes.refused(node.address, f"{name}: {error}")
            raise Invalid(f"{address}: {error}") from error
        return await self._commit(node, [replace(picked, name=entity.wire_name)])

    async def post(self, node: Node, payload: bytes) -> Taken:
        """Readings that a node posted over HTTP; returns once they are committed.

        Raises Invalid for what is no SenML, Busy when the disk does not keep up.
        """
        self.messages.note(
            Heard("http", f"intake/{node.address}", payload, node.address, node.address)
        )
        try:
            values, refused = resolve(decode(payload), self.clock.now_ms())
        except SenmlError as error:
            self.nodes.refused(node.address, str(error))
            raise Invalid(str(error)) from error
        for what in refused[:REFUSALS_TOLD]:
            self.nodes.refused(node.address, what)
        taken = await self._commit(node, values)
        taken.refused[:0] = refused
        return taken

    async def _commit(self, node: Node, values: Sequence[Resolved]) -> Taken:
        committed: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        if self.writer.full:
            raise Busy(
                "the hub holds as many readings as it can until the disk takes them; "
                "send these again later"
            )
        self.nodes.presence(node.address, here=True)

        def safe() -> None:
            if not committed.done():
                committed.set_result(None)

        taken = self.intake.observed(node.address, values, safe)
        if taken.stored:  # nothing is awaited for a node that was taken out a moment ago
            await committed
        return taken

    async def remove_node(self, address: str, *, keep_history: bool) -> None:
        """Take a node out and cut it off; automations that name it stop. Raises
        NotFound."""
        node = self.house.node(address)
        await self.nodes.remove(address, keep_history=keep_history)
        self.engine.house_changed()
        await self.drivers[node.link].remove(address)

    async def admit(
        self,
        arrival_id: str,
        setup_code: str,
        name: str,
        room: str,
        secret: str = "",
        entities: Mapping[str, EntityChoice] | None = None,
        origins: Sequence[str] = (),
    ) -> Node:
        """Let an arrival in; automations that look at it wake up. Raises as
        `Pairing.admit` does."""
        node = await self.pairing.admit(
            arrival_id, setup_code, name, room, secret, entities or {}, origins
        )
        self.engine.house_changed()
        return node

    def needs(self) -> list[dict[str, str]]:
        """What needs a person, most pressing first: kind, text, and the console's path.
        May be asked from any thread."""
        found = []
        if self.writer.problem:
            found.append({"kind": "disk", "text": self.writer.problem, "path": "/journal"})
        if self.reload.problem:
            found.append(
                {
                    "kind": "settings",
                    "text": f"hombi.toml has a mistake: {self.reload.problem}",
                    "path": "/settings",
                }
            )
        elif self.reload.waiting:
            text = (
                f"{', '.join(self.reload.waiting)} changed in hombi.toml; the hub must be "
                f"started again for that"
            )
            found.append({"kind": "settings", "text": text, "path": "/settings"})
        for text in filter(None, self.nodes.trouble_said.values()):
            found.append({"kind": "link", "text": text, "path": "/nodes"})
        for arrival in self.pairing.waiting():
            state = {"locked": "is locked out", "asking": "is being asked what it has"}.get(
                arrival.record.state, "asks to join"
            )
            found.append(
                {"kind": "arrival", "text": f"{arrival.record.title} {state}", "path": "/nodes"}
            )
        for node in list(self.house.nodes.values()):
            if node.left:
                text = f"{node.title} has left; let it join again, or remove it"
                found.append({"kind": "left", "text": text, "path": f"/nodes/{node.address}"})
            if node.silent:
                found.append(
                    {
                        "kind": "silent",
                        "text": f"{node.title} is not heard any more",
                        "path": f"/nodes/{node.address}",
                    }
                )
            for entity in list(node.entities.values()):
                if (
                    entity.kind.name == "battery"
                    and entity.latest is not None
                    and entity.latest.value <= LOW_BATTERY
                ):
                    text = f"{node.title} has a low battery: {entity.latest.value:.0f} %"
                    found.append(
                        {"kind": "battery", "text": text, "path": f"/nodes/{node.address}"}
                    )
        for entity, text in self.actuation.wishes.needs():
            found.append({"kind": "wanted", "text": text, "path": f"/nodes/{entity.node.address}"})
        for slug, runner in list(self.engine.runners.items()):
            if runner.broken:
                found.append(
                    {
                        "kind": "automation",
                        "text": f"{slug} was stopped: {runner.broken}",
                        "path": f"/automations/{slug}",
                    }
                )
            if runner.mistakes:
                how = (
                    "cannot do all that it says" if runner.automation is not None else "cannot run"
                )
                text = f"{slug} {how}: {runner.mistakes[0].what}"
                found.append({"kind": "automation", "text": text, "path": f"/automations/{slug}"})
        if self.outbox.failed:
            found.append(
                {
                    "kind": "notice",
                    "text": f"{self.outbox.failed} notices did not reach a phone",
                    "path": "/journal",
                }
            )
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
    """The hub at work, for as long as this context is open. Raises LinkError when a
    link cannot listen."""
    clock = clock or RealClock()
    thread, tasks, live, house = RecordsThread(), Tasks(), Live(), House()
    journal = Journal(clock, records, thread, live, tasks)
    writer = Writer(records, thread, journal)
    intake = Intake(house, clock, live, journal, writer)
    rooms = Rooms(house, records, thread, live, journal)
    by_link: dict[str, Driver] = {}
    pairing = Pairing(house, rooms, clock, records, thread, live, journal, by_link, tasks)
    messages = Messages(clock)
    keeper = Keeper(records, thread, journal)
    nodes = Nodes(
        house,
        rooms,
        clock,
        records,
        thread,
        live,
        journal,
        intake,
        pairing,
        tasks,
        messages,
        by_link,
        keeper,
    )
    kept = await thread.run(records.link_states)
    by_link.update({d.link: d for d in make_drivers(nodes, house, config.links, kept)})
    actuation = Actuation(house, clock, live, journal, by_link, config.answer_s, writer, tasks)
    actuation.wishes.load(kept)
    public_key = ""
    if push is None:
        vapid_key = await thread.run(records.push_key, fresh_vapid_key())
        push = WebPush(vapid_key, VAPID_CONTACT, config.notices_push_services)
        public_key = push.public_key
    outbox = Outbox(
        clock, records, thread, live, journal, tasks, push, writer, config.notices_push_services
    )
    engine = Engine(
        house, config.zone, clock, records, thread, live, journal, tasks, actuation, outbox, writer
    )
    nodes.looked = engine.look

    def node_back(node: Node) -> None:
        actuation.node_back(node.address)
        engine.node_back(node)

    intake.node_back = node_back
    intake.listeners += [actuation, engine, Batteries(journal)]
    settings = NodeSettings(house, by_link, live, journal, config.answer_s)
    intake.told = settings.told
    foreign = Foreign(
        house, rooms, clock, records, thread, live, journal, messages, by_link, engine.house_changed
    )
    nodes.described = Redescribed(
        house, records, thread, live, journal, by_link, engine.house_changed
    ).take_up
    tools = Tools(house, clock, records, thread, journal, by_link["wifi"].cut_off)

    async def apply(new: Config) -> None:
        """What of `hombi.toml` can be changed while the hub runs."""
        for link, given in (
            ("wifi", new.links.wifi),
            ("zigbee", new.links.zigbee),
            ("bluetooth", new.links.bluetooth),
        ):
            if (driver := by_link.get(link)) is not None:
                await driver.change(given)
        engine.zone, actuation.answer_s, settings.answer_s = new.zone, new.answer_s, new.answer_s
        engine.house_changed()
        live.publish("house", {"changed": "settings"})

    reload = Reload(config, journal, apply)

    def clock_set(by_ms: int) -> None:
        nodes.clock_set(by_ms)
        engine.clock_set(by_ms)

    lag = Lag(clock, journal, clock_set)

    await thread.run(records.load_house, house)
    house.tools = {tool.name: tool for tool in await thread.run(records.tools)}
    for node in house.nodes.values():
        if (description := node.reach.get("description")) is not None:
            node.described(read_description(description))
        by_link[node.link].follow(node.on_link())
        # A radio's node has no connection that could be missing: it counts as here
        # until it is silent.
        node.here = node.link != "wifi" and not node.left
    pairing.load(await thread.run(records.arrivals))
    outbox.load(await thread.run(records.phones), await thread.run(records.waiting_deliveries))
    started = nodes.started_ms = clock.now_ms()
    for node in house.nodes.values():
        # Not heard yet in this run: it has its usual time to be heard before it counts
        # as silent.
        node.heard_ms = max(node.heard_ms, started) if node.entities else started
    writing = asyncio.create_task(writer.run(), name="writer")
    keeping = asyncio.create_task(keeper.run(), name="keeper")
    watching = asyncio.gather(nodes.watch_silence(), reload.watch(), lag.watch())
    opened: list[Driver] = []
    try:
        for driver in by_link.values():
            await driver.start()
            opened.append(driver)
        engine.load(await thread.run(records.automations))
        journal.note("HubStarted", "the hub is up")
        yield Hub(
            config, clock, house, live, journal, writer, intake, rooms, pairing, nodes,
            actuation, engine, outbox, by_link, messages, foreign, tools, settings, reload, lag,
            public_key, started,
        )  # fmt: skip
        journal.note("HubStopped", "the hub was stopped")
    finally:
        live.close()
        engine.close()
        outbox.close()
        actuation.wishes.close()
        for driver in reversed(opened):
            await driver.stop()
        watching.cancel()
        await writer.close()
        await keeper.close()
        await asyncio.gather(writing, keeping, watching, return_exceptions=True)
        await tasks.settle(GRACE_S)
        thread.close()
