"""The hub: all its features, opened in order and closed in the reverse."""

from __future__ import annotations

import contextlib
import secrets
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Any, get_type_hints

from hombi.core.formula import past_of
from hombi.core.hosts import in_url
from hombi.hub.acting.actuation import Actuation, CommandEntity
from hombi.hub.acting.scenes import Scenes
from hombi.hub.automations.changes import Acknowledge, PutOnDuty
from hombi.hub.automations.feature import Automations
from hombi.hub.automations.sequences import Sequences
from hombi.hub.backup.feature import Backups
from hombi.hub.computed.changes import mean_of
from hombi.hub.computed.feature import Computed
from hombi.hub.conditioning.feature import Conditioning
from hombi.hub.house import OWN_STATES, House
from hombi.hub.household.own_state import KeepState, OwnState
from hombi.hub.household.presence import Presence
from hombi.hub.kernel import Change, Clock, Context, Feature, Need, RealClock
from hombi.hub.kernel.registry import Registry
from hombi.hub.machine.events import HubStarted, HubStopped
from hombi.hub.machine.jobs import Jobs
from hombi.hub.machine.keeper import Keeper
from hombi.hub.machine.lag import Lag
from hombi.hub.machine.updates import Updates
from hombi.hub.nodes.admission import Admission
from hombi.hub.nodes.batteries import Batteries
from hombi.hub.nodes.feature import Nodes
from hombi.hub.nodes.links import Links
from hombi.hub.nodes.messages import Messages
from hombi.hub.nodes.mqtt_accounts import MqttAccounts
from hombi.hub.nodes.pairing import Pairing
from hombi.hub.nodes.picks import Picks
from hombi.hub.nodes.posts import Posts
from hombi.hub.nodes.radios import Radios
from hombi.hub.nodes.rhythms import Rhythms
from hombi.hub.nodes.settings import Act, NodeSettings
from hombi.hub.notices.buttons import ACKNOWLEDGE, OFF, Buttons
from hombi.hub.notices.contacts import Contacts
from hombi.hub.notices.kept import Kept
from hombi.hub.notices.loudspeaker import Loudspeaker
from hombi.hub.notices.mail import Mail
from hombi.hub.notices.outbox import Outbox
from hombi.hub.notices.pictures import Pictures
from hombi.hub.notices.post import Post
from hombi.hub.notices.push import Push, WebPush, fresh_vapid_key
from hombi.hub.notices.sending import Senders
from hombi.hub.notices.voice import Voice
from hombi.hub.past.importing import Imports
from hombi.hub.readings.events import ReadingsLost
from hombi.hub.readings.intake import Intake
from hombi.hub.readings.machine_clock import MachineClock, known_ms, none_ahead
from hombi.hub.readings.rollups import Rollups
from hombi.hub.readings.standing import Standing
from hombi.hub.readings.writer import Writer
from hombi.hub.records import Records
from hombi.hub.rooms.dashboards import Dashboards
from hombi.hub.rooms.feature import Rooms
from hombi.hub.settings.config import ANY_ADDRESS, Config
from hombi.hub.settings.reload import Reload
from hombi.hub.trust.feature import Trust
from hombi.links.base import Link
from hombi.links.installed import installed
from hombi.links.machine import own_address

GRACE_S = 1.0
VAPID_CONTACT = "mailto:hub@hombi.invalid"


@dataclass(frozen=True, slots=True)
class Hub:
    """What the API, the links and the automations act on. The features are opened in
    the order in which they stand here: the links, where nodes come in, when everything
    behind them is ready."""

    registry: Registry
    context: Context
    house: House
    messages: Messages
    writer: Writer
    keeper: Keeper
    rollups: Rollups
    rooms: Rooms
    dashboards: Dashboards
    scenes: Scenes
    sequences: Sequences
    mqtt_accounts: MqttAccounts
    pairing: Pairing
    admission: Admission
    intake: Intake
    conditioning: Conditioning
    computed: Computed
    imports: Imports
    jobs: Jobs
    nodes: Nodes
    picks: Picks
    posts: Posts
    settings: NodeSettings
    radios: Radios
    rhythms: Rhythms
    standing: Standing
    batteries: Batteries
    actuation: Actuation
    presence: Presence
    own_state: OwnState
    updates: Updates
    outbox: Outbox
    contacts: Contacts
    reload: Reload
    clock: MachineClock
    lag: Lag
    links: Links
    trust: Trust
    automations: Automations
    backups: Backups
    public_key: str
    started_ms: int

    @classmethod
    def of(cls, registry: Registry, public_key: str) -> Hub:
        """A hub of all these features, each made with what it needs."""
        kinds = get_type_hints(cls)
        given: dict[str, Any] = {"public_key": public_key}
        given["started_ms"] = registry.get(Context).clock.now_ms()
        for field in fields(cls):
            if field.name not in given:
                given[field.name] = registry.get(kinds[field.name])
        return cls(**given)

    @property
    def config(self) -> Config:
        """The settings as they stand now."""
        return self.reload.config

    @property
    def features(self) -> list[Feature]:
        """All features, in the order in which they are opened."""
        named = (getattr(self, field.name) for field in fields(self))
        return [part for part in named if isinstance(part, Feature)]

    def needs(self) -> list[Need]:
        """What needs a person, most pressing first."""
        return self.registry.needs()


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
        # Closed in the reverse: the features, then what they had begun, then the
        # journal, which has what all of them said.
        stack.callback(context.thread.close)
        stack.push_async_callback(context.tasks.end)
        stack.push_async_callback(context.journal.close)
        stack.push_async_callback(context.tasks.settle, GRACE_S)
        context.journal.running = context.tasks.watch("journal", context.journal.run)
        hub = await _made(context, config, push, links)
        for feature in hub.features:
            await stack.enter_async_context(feature.opened())
        stack.callback(context.live.close)
        context.announce(HubStarted())
        yield hub
        context.announce(HubStopped())


async def _made(
    context: Context, config: Config, push: Push | None, links: Sequence[Link] | None
) -> Hub:
    """The hub, as it is stored: its features, and the drivers of its links."""
    house, records, run = House(), context.records, context.thread.run
    await run(records.history.settle)
    if lost := await run(records.history.lost):
        context.announce(ReadingsLost(what=lost))
    await run(records.house.load, house)
    registry = Registry()
    registry.makers(_messages, _pictures, _sounds, _voice, _senders, _contacts, _automations)
    for thing in (context, config, house):
        registry.put(thing)
    keeper = registry.get(Keeper)
    await keeper.load()
    context.clock.no_earlier_than(known_ms(keeper, house))
    await run(none_ahead, house, records.history, context.clock.now_ms())
    buttons = Buttons(await run(records.notices.buttons_key, secrets.token_urlsafe(32)))
    registry.put(buttons)
    public_key = ""
    if push is None:
        vapid_key = await run(records.notices.push_key, fresh_vapid_key())
        push = WebPush(vapid_key, VAPID_CONTACT, config.push_services, buttons)
        public_key = push.public_key
    registry.put(push, Push)
    hub = Hub.of(registry, public_key)
    await hub.trust.prepare()
    result, wrong = installed() if links is None else (list(links), [])
    hub.links.make(result, wrong, hub.nodes, hub.trust.tls)
    return hub


# What is no part, or is made with more than its types say.


def _messages(context: Context) -> Messages:
    return Messages(context.clock)


def _pictures(context: Context, config: Config) -> Pictures:
    return Pictures(context, config.data)


def _sounds(config: Config) -> Kept:
    return Kept(config.data / "sounds")


def _voice(
    context: Context, config: Config, sounds: Kept, buttons: Buttons, reload: Reload
) -> Voice:
    url = f"http://{reached_at(config)}:{config.http_port}"
    return Voice(context, sounds, buttons, lambda: reload.config.voice, lambda: url)


def _senders(
    context: Context,
    house: House,
    push: Push,
    reload: Reload,
    trust: Trust,
    pictures: Pictures,
    voice: Voice,
) -> Senders:
    mail = Mail(
        lambda: reload.config.mail,
        lambda: reload.config.house_name,
        trust.console,
        pictures.get,
    )
    loudspeaker = Loudspeaker(context, house, Act, voice)
    return Senders(
        {
            "phone": push.send,
            "mail": mail.send,
            "post": Post().send,
            "loudspeaker": loudspeaker.send,
        }
    )


def _contacts(
    context: Context, house: House, outbox: Outbox, buttons: Buttons, sounds: Kept, config: Config
) -> Contacts:
    does: dict[str, Callable[[Mapping[str, Any]], Change[Any, Any]]] = {
        ACKNOWLEDGE: lambda button: Acknowledge(button["automation"]),
        OFF: lambda button: CommandEntity(button["entity"], "off"),
    }
    return Contacts(context, house, outbox, buttons, sounds, config.push_services, does)


def _automations(
    context: Context,
    house: House,
    writer: Writer,
    intake: Intake,
    outbox: Outbox,
    config: Config,
    actuation: Actuation,
) -> Automations:
    def makes(address: str) -> Change[Any, Any] | None:
        """The change that makes a value which is there once a text names it."""
        past = past_of(address)
        if past is not None:
            return mean_of(house.entity(past[0]), past[1])
        return KeepState(address) if address in OWN_STATES else None

    return Automations(
        context, house, writer, intake, outbox, config, PutOnDuty, makes, actuation.present
    )


def reached_at(config: Config) -> str:
    """The address at which nodes of the house reach the hub, as it stands in a URL."""
    anywhere = config.http_host in (ANY_ADDRESS, "::", "")
    return in_url(own_address() if anywhere else config.http_host)
