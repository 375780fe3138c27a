"""What of an event goes onto the live stream: one page that says which kind of news
each sort of event is."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from hombi.hub.acting.events import CommandChanged, HandChanged, WishChanged
from hombi.hub.automations.events import (
    AutomationAdded,
    AutomationChanged,
    AutomationRemoved,
    AutomationStopped,
    PhaseChanged,
)
from hombi.hub.computed.events import ComputedAdded, ComputedRemoved
from hombi.hub.household.events import TokenMade, TokenRevoked
from hombi.hub.kernel import Live, LiveEvent
from hombi.hub.kernel.journal import EntryWritten
from hombi.hub.kernel.supervisor import PartFailed, PartRecovered
from hombi.hub.machine.events import (
    JobsChanged,
    SettingsChanged,
    SettingsRefused,
    SettingsTakenUp,
    WritingFailed,
    WritingResumed,
)
from hombi.hub.nodes.events import (
    BatteryLow,
    EntityAdded,
    EntityChanged,
    EntityRemoved,
    KeyChanged,
    KeyRevoked,
    LinkTroubled,
    LinkWell,
    MqttAccountAdded,
    MqttAccountChanged,
    MqttAccountRemoved,
    NetworkChosen,
    NodeAdmitted,
    NodeConnected,
    NodeDescribed,
    NodeGone,
    NodeLeft,
    NodeMoved,
    NodeRelocated,
    NodeRemoved,
    NodeRenamed,
    NodeSilent,
    ProfileKept,
    SettingChanged,
)
from hombi.hub.nodes.pairing_events import ArrivalChanged, PairingClosed, PairingOpened
from hombi.hub.notices.events import NoticeChanged, PhonesChanged
from hombi.hub.readings.events import (
    ClockWrong,
    EntitySilenceChanged,
    NodeBack,
    NodeHeardAgain,
    ReadingTaken,
    SettingTold,
)
from hombi.hub.rooms.events import RoomsChanged
from hombi.service.api import answers
from hombi.service.bridge import hub
from hombi.wire.base import Shape
from hombi.wire.entities import Command
from hombi.wire.live import (
    ArrivalNews,
    AutomationNews,
    HouseNews,
    MqttAccountNews,
    NodeNews,
    PairingNews,
    PhoneNews,
    ReadingNews,
    RoomsNews,
)
from hombi.wire.people import Notice

Told = tuple[str, Shape]


def _reading(event: ReadingTaken) -> Told:
    reading = event.reading
    news = ReadingNews(
        entity=event.entity,
        at=reading.at_ms,
        value=event.seen.of(reading.value),
        raw=reading.sent,
        quality=reading.quality.level,
        reason=reading.quality.reason,
    )
    return "reading", news


def _node(change: str) -> Callable[[Any], Told]:
    def told(event: Any) -> Told:
        news = NodeNews(node=event.node, entity=event.entity, change=change)  # type: ignore[arg-type]
        return "node", news

    return told


def _automation(change: str) -> Callable[[Any], Told]:
    def told(event: Any) -> Told:
        news = AutomationNews(automation=event.automation, change=change)  # type: ignore[arg-type]
        return "automation", news

    return told


def _house(event: Any) -> Told:
    return "house", HouseNews(what=event.name)


def _arrival(event: ArrivalChanged) -> Told:
    news = ArrivalNews(id=event.id, title=event.title, state=event.state, progress=event.progress)
    return "arrival", news


def _notice(event: NoticeChanged) -> Notice:
    return answers.notice(hub(), event.delivery)


def _command(event: CommandChanged) -> Told:
    news = Command(
        id=event.id,
        entity=event.entity,
        value=event.value,
        by=event.by,
        state=event.state,  # type: ignore[arg-type]
        problem=event.problem,
        asked_at=event.asked_ms,
        answered_at=event.answered_ms or None,
    )
    return "command", news


_TOLD: dict[type[Any], Callable[[Any], Told]] = {
    ReadingTaken: _reading,
    EntryWritten: lambda event: ("journal", answers.entry(event.entry)),
    RoomsChanged: lambda _: ("rooms", RoomsNews()),
    ComputedAdded: lambda _: ("rooms", RoomsNews()),
    ComputedRemoved: lambda _: ("rooms", RoomsNews()),
    NodeAdmitted: _node("added"),
    NodeRemoved: _node("removed"),
    **dict.fromkeys(
        (
            NodeDescribed, NodeRenamed, NodeMoved, NodeRelocated, NodeConnected,
            NodeGone, NodeSilent, NodeHeardAgain, NodeBack, NodeLeft, ClockWrong,
            KeyChanged, KeyRevoked, EntityAdded, EntityChanged, EntityRemoved,
            EntitySilenceChanged, WishChanged, HandChanged, SettingTold, SettingChanged,
            ProfileKept,
        ),
        _node("changed"),
    ),
    ArrivalChanged: _arrival,
    PairingOpened: lambda event: ("pairing", PairingNews(until=event.until_ms)),
    PairingClosed: lambda _: ("pairing", PairingNews(until=0)),
    AutomationAdded: _automation("added"),
    AutomationRemoved: _automation("removed"),
    AutomationChanged: _automation("changed"),
    PhaseChanged: _automation("changed"),
    CommandChanged: _command,
    NoticeChanged: lambda event: ("notice", _notice(event)),
    PhonesChanged: lambda event: ("phone", PhoneNews(phone=event.phone)),
    **dict.fromkeys(
        (MqttAccountAdded, MqttAccountChanged, MqttAccountRemoved),
        lambda event: ("account", MqttAccountNews(account=event.account)),
    ),
    **dict.fromkeys(
        (TokenMade, TokenRevoked), lambda event: ("account", MqttAccountNews(account=event.program))
    ),
    **dict.fromkeys(
        (
            SettingsTakenUp, SettingsChanged, SettingsRefused, LinkTroubled, LinkWell,
            WritingFailed, WritingResumed, JobsChanged, PartFailed, PartRecovered, BatteryLow,
            AutomationStopped, NetworkChosen,
        ),
        _house,
    ),
}  # fmt: skip


def rendered(stream: Live, live: LiveEvent) -> bytes:
    """An event as it goes over the stream; nothing for one that is not told. It is
    written once for all who listen."""
    if live.rendered is None:
        live.rendered = _render(stream.event_id(live), live.event)
    return live.rendered


def _render(stream_id: str, event: object) -> bytes:
    for kind in type(event).__mro__:
        if (tell := _TOLD.get(kind)) is not None:
            name, news = tell(event)
            body = msgspec.json.encode(news)
            head = f"id: {stream_id}\nevent: {name}\ndata: "
            return head.encode() + body + b"\n\n"
    return b""
