"""The hub: all its parts, opened in order and closed in the reverse."""

from __future__ import annotations

import contextlib
from collections.abc import AsyncIterator, Sequence
from dataclasses import dataclass

from hombi.hub.actuation import Actuation
from hombi.hub.admission import Admission
from hombi.hub.automations import Automations
from hombi.hub.batteries import Batteries
from hombi.hub.conditioning import Conditioning
from hombi.hub.config import Config
from hombi.hub.dashboards import Dashboards
from hombi.hub.derived import Derived
from hombi.hub.described import Described
from hombi.hub.events import HubStarted, HubStopped, SettingsTakenUp
from hombi.hub.house import House
from hombi.hub.importing import Imports
from hombi.hub.intake import Intake
from hombi.hub.keeper import Keeper
from hombi.hub.kernel import Clock, Context, Need, Part, RealClock
from hombi.hub.lag import Lag
from hombi.hub.links import Links, installed
from hombi.hub.messages import Messages
from hombi.hub.node_settings import NodeSettings
from hombi.hub.nodes import Nodes
from hombi.hub.notices import Outbox, Push, WebPush, fresh_vapid_key
from hombi.hub.pairing import Pairing
from hombi.hub.picks import Picks
from hombi.hub.ports import Records
from hombi.hub.posts import Posts
from hombi.hub.radios import Radios
from hombi.hub.reload import Reload
from hombi.hub.rollups import Rollups
from hombi.hub.rooms import Rooms
from hombi.hub.scenes import Scenes
from hombi.hub.tools import Tools
from hombi.hub.writer import Writer
from hombi.links.base import Link

GRACE_S = 1.0
VAPID_CONTACT = "mailto:hub@hombi.invalid"


@dataclass(frozen=True, slots=True)
class Hub:
    """What the API, the links and the automations act on. `parts` are in the order in
    which they are opened."""

    context: Context
    house: House
    writer: Writer
    keeper: Keeper
    rollups: Rollups
    conditioning: Conditioning
    derived: Derived
    imports: Imports
    links: Links
    rooms: Rooms
    dashboards: Dashboards
    scenes: Scenes
    messages: Messages
    intake: Intake
    pairing: Pairing
    admission: Admission
    nodes: Nodes
    picks: Picks
    posts: Posts
    settings: NodeSettings
    tools: Tools
    actuation: Actuation
    outbox: Outbox
    automations: Automations
    batteries: Batteries
    radios: Radios
    reload: Reload
    lag: Lag
    public_key: str
    started_ms: int

    @property
    def config(self) -> Config:
        """The settings as they stand now."""
        return self.reload.config

    @property
    def parts(self) -> list[Part]:
        """All parts, in the order in which they are opened; the doors open when
        everything behind them is ready."""
        return [
            self.writer, self.keeper, self.rollups, self.rooms, self.dashboards, self.scenes,
            self.tools, self.pairing, self.admission, self.intake, self.conditioning, self.derived,
            self.imports, self.nodes, self.picks, self.posts, self.settings, self.radios,
            self.batteries, self.actuation, self.outbox, self.reload, self.lag, self.links,
            self.automations,
        ]  # fmt: skip

    def needs(self) -> list[Need]:
        """What needs a person, most pressing first."""
        order = (
            self.writer, self.reload, self.links, self.pairing, self.nodes, self.batteries,
            self.actuation, self.automations, self.outbox,
        )  # fmt: skip
        found = [need for part in order for need in part.needs()]
        failing = self.context.tasks.failing.items()
        return [
            *(Need("part", f"{name} fails: {why}", "/journal") for name, why in failing),
            *found,
        ]


@contextlib.asynccontextmanager
async def open_hub(
    config: Config,
    records: Records,
    *,
    clock: Clock | None = None,
    push: Push | None = None,
    links: Sequence[Link] | None = None,
) -> AsyncIterator[Hub]:
    """The hub at work, for as long as this context is open. Raises LinkError when a
    link cannot listen."""
    context = Context.fresh(clock or RealClock(), records)
    async with contextlib.AsyncExitStack() as stack:
        # Closed in the reverse: the parts, then what they had begun, then the journal,
        # which has what all of them said.
        stack.callback(context.thread.close)
        stack.push_async_callback(context.tasks.end)
        stack.push_async_callback(context.journal.close)
        stack.push_async_callback(context.tasks.settle, GRACE_S)
        context.journal.running = context.tasks.watch("journal", context.journal.run)
        hub = await _made(context, config, push, links)
        for part in hub.parts:
            await stack.enter_async_context(part.opened())
        stack.callback(context.live.close)
        context.announce(HubStarted())
        yield hub
        context.announce(HubStopped())


async def _made(
    context: Context, config: Config, push: Push | None, links: Sequence[Link] | None
) -> Hub:
    """The parts, each with what it works with."""
    house = House()
    house.units = config.units
    await context.thread.run(context.records.house.load, house)
    writer, keeper = Writer(context), Keeper(context)
    await keeper.load()
    rollups = Rollups(context, house, writer, config.zone, config.keep_ms)
    found, wrong = installed() if links is None else (list(links), [])
    all_links = Links(context, house, keeper, config.links)
    rooms = Rooms(context, house)
    intake = Intake(context, house, writer)
    messages = Messages(context.clock)
    pairing = Pairing(context, house, all_links)
    admission = Admission(context, house, all_links, rooms, pairing)
    described = Described(context, house, all_links)
    nodes = Nodes(context, house, all_links, rooms, intake, messages, pairing, described)
    all_links.make(found, wrong, nodes)
    public_key = ""
    if push is None:
        records = context.records.notices
        vapid_key = await context.thread.run(records.push_key, fresh_vapid_key())
        push = WebPush(vapid_key, VAPID_CONTACT, config.push_services)
        public_key = push.public_key
    outbox = Outbox(context, writer, push, config.push_services)
    answer_s = config.answer_s
    actuation = Actuation(context, house, all_links, writer, keeper, intake, answer_s)
    automations = Automations(context, house, writer, intake, outbox, config.zone)
    settings = NodeSettings(context, house, all_links, answer_s)
    conditioning = Conditioning(context, house, intake, rollups)
    derived = Derived(context, house, writer, intake, rollups, config.zone)

    async def apply(new: Config) -> None:
        """What of `hombi.toml` can be changed while the hub runs."""
        await all_links.change(new.links)
        automations.zone = new.zone
        house.units = new.units
        if new.zone.key != rollups.zone.key:
            derived.move_to(new.zone)
        context.tasks.start(rollups.move_to(new.zone), "the days of another zone")
        rollups.keep_ms = new.keep_ms
        actuation.answer_s = settings.answer_s = new.answer_s
        context.announce(SettingsTakenUp())

    return Hub(
        context,
        house,
        writer,
        keeper,
        rollups,
        conditioning,
        derived,
        Imports(context, house, writer, rollups, conditioning, derived),
        all_links,
        rooms,
        Dashboards(context, house),
        Scenes(context, house),
        messages,
        intake,
        pairing,
        admission,
        nodes,
        Picks(context, house, all_links, rooms, messages),
        Posts(context, intake, nodes, messages, writer),
        settings,
        Tools(context, house, all_links),
        actuation,
        outbox,
        automations,
        Batteries(context, house, intake),
        Radios(context, house, all_links),
        Reload(context, config, apply),
        Lag(context),
        public_key,
        context.clock.now_ms(),
    )
