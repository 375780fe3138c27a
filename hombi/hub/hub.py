"""The hub: all its parts, opened in order and closed in the reverse."""

from __future__ import annotations

import contextlib
import secrets
from collections.abc import AsyncIterator, Sequence
from dataclasses import dataclass
from typing import Any

from hombi.core.formula import past_of
from hombi.core.hosts import in_url
from hombi.hub.acting.actuation import Actuation, CommandEntity
from hombi.hub.acting.scenes import Scenes
from hombi.hub.automations.changes import Acknowledge, PutOnDuty
from hombi.hub.automations.part import Automations
from hombi.hub.automations.sequences import Sequences
from hombi.hub.backup.part import Backups
from hombi.hub.conditioning.part import Conditioning
from hombi.hub.derived.changes import mean_of
from hombi.hub.derived.part import Derived
from hombi.hub.house import OWN_STATES, House
from hombi.hub.household.own_state import KeepState, OwnState
from hombi.hub.household.presence import Presence
from hombi.hub.kernel import Change, Clock, Context, Need, Part, RealClock
from hombi.hub.machine.events import HubStarted, HubStopped, SettingsTakenUp
from hombi.hub.machine.keeper import Keeper
from hombi.hub.machine.lag import Lag
from hombi.hub.machine.updates import Updates
from hombi.hub.nodes.admission import Admission
from hombi.hub.nodes.batteries import Batteries
from hombi.hub.nodes.described import Described
from hombi.hub.nodes.links import Links
from hombi.hub.nodes.messages import Messages
from hombi.hub.nodes.pairing import Pairing
from hombi.hub.nodes.part import Nodes
from hombi.hub.nodes.picks import Picks
from hombi.hub.nodes.posts import Posts
from hombi.hub.nodes.radios import Radios
from hombi.hub.nodes.rhythms import Rhythms
from hombi.hub.nodes.settings import Act, NodeSettings
from hombi.hub.nodes.tools import Tools
from hombi.hub.notices.buttons import ACKNOWLEDGE, OFF, Buttons
from hombi.hub.notices.kept import Kept
from hombi.hub.notices.loudspeaker import Loudspeaker
from hombi.hub.notices.mail import Mail
from hombi.hub.notices.outbox import Outbox
from hombi.hub.notices.pictures import Pictures
from hombi.hub.notices.post import Post
from hombi.hub.notices.push import Push, WebPush, fresh_vapid_key
from hombi.hub.notices.sending import Send
from hombi.hub.notices.voice import Voice
from hombi.hub.notices.ways import Ways
from hombi.hub.past.importing import Imports
from hombi.hub.readings.events import ReadingsLost
from hombi.hub.readings.intake import Intake
from hombi.hub.readings.machine_clock import MachineClock, known_ms, none_ahead
from hombi.hub.readings.rollups import Rollups
from hombi.hub.readings.writer import Writer
from hombi.hub.records import Records
from hombi.hub.rooms.dashboards import Dashboards
from hombi.hub.rooms.part import Rooms
from hombi.hub.settings.config import ANY_ADDRESS, Config
from hombi.hub.settings.reload import Reload
from hombi.hub.trust.part import Trust
from hombi.links.base import Link
from hombi.links.capabilities import Announces
from hombi.links.installed import installed
from hombi.links.machine import own_address

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
    sequences: Sequences
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
    updates: Updates
    presence: Presence
    own_state: OwnState
    outbox: Outbox
    ways: Ways
    automations: Automations
    rhythms: Rhythms
    batteries: Batteries
    radios: Radios
    reload: Reload
    clock: MachineClock
    lag: Lag
    trust: Trust
    backups: Backups
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
            self.sequences, self.tools, self.pairing, self.admission, self.intake,
            self.conditioning, self.derived, self.imports, self.nodes, self.picks, self.posts,
            self.settings, self.radios, self.rhythms, self.batteries, self.actuation, self.presence,
            self.own_state, self.updates,
            self.outbox, self.ways, self.reload, self.clock, self.lag, self.links, self.trust,
            self.automations, self.backups,
        ]  # fmt: skip

    def needs(self) -> list[Need]:
        """What needs a person, most pressing first."""
        order = (
            self.clock, self.writer, self.reload, self.links, self.pairing, self.nodes,
            self.batteries, self.actuation, self.automations, self.outbox, self.trust,
            self.backups,
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
    house.units, house.position = config.units, config.position
    await context.thread.run(context.records.history.settle)
    if lost := await context.thread.run(context.records.history.lost):
        context.announce(ReadingsLost(what=lost))
    await context.thread.run(context.records.house.load, house)
    writer, keeper = Writer(context), Keeper(context)
    await keeper.load()
    context.clock.no_earlier_than(known_ms(keeper, house))
    now = context.clock.now_ms()
    await context.thread.run(none_ahead, house, context.records.history, now)
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
    trust = Trust(context, config)
    await trust.prepare()
    trust.announced = lambda: [
        name for driver in all_links.that(Announces) for name in driver.announced()
    ]
    all_links.make(found, wrong, nodes, trust.tls)
    public_key, told = "", context.records.notices
    buttons = Buttons(await context.thread.run(told.buttons_key, secrets.token_urlsafe(32)))
    if push is None:
        vapid_key = await context.thread.run(told.push_key, fresh_vapid_key())
        push = WebPush(vapid_key, VAPID_CONTACT, config.push_services, buttons)
        public_key = push.public_key
    reload = Reload(context, config)
    pictures = Pictures(context, config.data)
    sounds = Kept(config.data / "sounds")
    voice = Voice(
        context, sounds, buttons, lambda: reload.config.voice,
        lambda: f"http://{reached_at(config)}:{config.http_port}",
    )  # fmt: skip
    senders: dict[str, Send] = {
        "phone": push.send,
        "mail": Mail(
            lambda: reload.config.mail,
            lambda: reload.config.house_name,
            trust.console,
            pictures.get,
        ).send,
        "post": Post().send,
        "loudspeaker": Loudspeaker(context, house, Act, voice).send,
    }
    outbox = Outbox(context, house, writer, keeper, senders, pictures, config.zone)
    ways = Ways(
        context, house, outbox, buttons, sounds, config.push_services,
        {
            ACKNOWLEDGE: lambda button: Acknowledge(button["automation"]),
            OFF: lambda button: CommandEntity(button["entity"], "off"),
        },
    )  # fmt: skip
    answer_s = config.answer_s
    actuation = Actuation(context, house, all_links, writer, keeper, intake, answer_s)
    presence = Presence(context, house, writer, intake, actuation)
    updates = Updates(context, keeper)
    own_state = OwnState(context, house, writer, intake, config)

    def makes(address: str) -> Change[Any, Any] | None:
        """The change that makes a value which is there once a text names it."""
        past = past_of(address)
        if past is not None:
            return mean_of(house.entity(past[0]), past[1])
        return KeepState(address) if address in OWN_STATES else None

    automations = Automations(
        context, house, writer, intake, outbox, config.zone, PutOnDuty, makes, actuation.other
    )
    settings = NodeSettings(context, house, all_links, answer_s)
    conditioning = Conditioning(context, house, intake, rollups)
    derived = Derived(context, house, writer, intake, rollups, config.zone, keeper)

    backups = Backups(context, config)
    machine_clock = MachineClock(context, house, writer, keeper, config.zone)

    async def apply(new: Config) -> None:
        """What of `hombi.toml` can be changed while the hub runs."""
        automations.zone = outbox.zone = machine_clock.zone = new.zone
        backups.config = new
        house.units, house.position = new.units, new.position
        if new.zone.key != rollups.zone.key:
            derived.move_to(new.zone)
        context.tasks.start(rollups.move_to(new.zone), "the days of another zone")
        rollups.keep_ms = new.keep_ms
        actuation.answer_s = settings.answer_s = new.answer_s
        # A link may refuse what is new; all else is taken up then.
        await all_links.change(new.links)
        context.announce(SettingsTakenUp())

    reload.apply = apply
    hub = Hub(
        context,
        house,
        writer,
        keeper,
        rollups,
        conditioning,
        derived,
        Imports(context, house, writer, rollups, conditioning, derived, keeper),
        all_links,
        rooms,
        Dashboards(context, house),
        Scenes(context, house),
        Sequences(context, house),
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
        updates,
        presence,
        own_state,
        outbox,
        ways,
        automations,
        Rhythms(context, house, all_links, keeper),
        Batteries(context, house, intake),
        Radios(context, house, all_links),
        reload,
        machine_clock,
        Lag(context),
        trust,
        backups,
        public_key,
        context.clock.now_ms(),
    )
    own_state.all_needs = hub.needs
    return hub


def reached_at(config: Config) -> str:
    """The address at which nodes of the house reach the hub, as it stands in a URL."""
    anywhere = config.http_host in (ANY_ADDRESS, "::", "")
    return in_url(own_address() if anywhere else config.http_host)
