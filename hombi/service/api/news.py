"""What of an event goes onto the live stream: one page that says which kind of news
each sort of event is."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from hombi import wire
from hombi.hub import events as e
from hombi.hub.events.house import RoomsChanged
from hombi.hub.events.notices import PhonesChanged
from hombi.hub.kernel import Live, LiveEvent
from hombi.hub.kernel.journal import EntryWritten
from hombi.hub.kernel.supervisor import PartFailed, PartRecovered
from hombi.service.api import answers
from hombi.service.bridge import hub
from hombi.wire.base import Shape
from hombi.wire.live import (
    ArrivalNews,
    AutomationNews,
    HouseNews,
    NodeNews,
    PairingNews,
    PhoneNews,
    ReadingNews,
    RoomsNews,
    ToolNews,
)

Told = tuple[str, Shape]


def _reading(event: e.ReadingTaken) -> Told:
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


def _arrival(event: e.ArrivalChanged) -> Told:
    news = ArrivalNews(id=event.id, title=event.title, state=event.state, progress=event.progress)
    return "arrival", news


def _notice(event: e.NoticeChanged) -> wire.Notice:
    return answers.notice(hub(), event.delivery)


def _command(event: e.CommandChanged) -> Told:
    news = wire.Command(
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
    e.ReadingTaken: _reading,
    EntryWritten: lambda event: ("journal", answers.entry(event.entry)),
    RoomsChanged: lambda _: ("rooms", RoomsNews()),
    e.EntityDerived: lambda _: ("rooms", RoomsNews()),
    e.DerivedRemoved: lambda _: ("rooms", RoomsNews()),
    e.NodeAdmitted: _node("added"),
    e.NodeRemoved: _node("removed"),
    **dict.fromkeys(
        (
            e.NodeDescribed, e.NodeRenamed, e.NodeMoved, e.NodeRelocated, e.NodeConnected,
            e.NodeGone, e.NodeSilent, e.NodeHeardAgain, e.NodeBack, e.NodeLeft, e.ClockWrong,
            e.KeyChanged, e.KeyRevoked, e.EntityAdded, e.EntityChanged, e.EntityRemoved,
            e.EntitySilenceChanged, e.WishChanged, e.HandChanged, e.SettingTold, e.SettingChanged,
            e.ProfileKept,
        ),
        _node("changed"),
    ),
    e.ArrivalChanged: _arrival,
    e.PairingOpened: lambda event: ("pairing", PairingNews(until=event.until_ms)),
    e.PairingClosed: lambda _: ("pairing", PairingNews(until=0)),
    e.AutomationAdded: _automation("added"),
    e.AutomationRemoved: _automation("removed"),
    e.AutomationChanged: _automation("changed"),
    e.PhaseChanged: _automation("changed"),
    e.CommandChanged: _command,
    e.NoticeChanged: lambda event: ("notice", _notice(event)),
    PhonesChanged: lambda event: ("phone", PhoneNews(phone=event.phone)),
    **dict.fromkeys(
        (e.ToolAdded, e.ToolChanged, e.ToolRemoved),
        lambda event: ("tool", ToolNews(tool=event.tool)),
    ),
    **dict.fromkeys(
        (e.TokenMade, e.TokenRevoked), lambda event: ("tool", ToolNews(tool=event.program))
    ),
    **dict.fromkeys(
        (
            e.SettingsTakenUp, e.SettingsChanged, e.SettingsRefused, e.LinkTroubled, e.LinkWell,
            e.WritingFailed, e.WritingResumed, PartFailed, PartRecovered, e.BatteryLow,
            e.AutomationStopped, e.NetworkChosen,
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
