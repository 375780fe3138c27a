"""What the hub's own objects look like on the wire. All of it is made in the hub's
loop."""

from __future__ import annotations

from typing import Any

from hombi import wire
from hombi.core.automation import Program, Watch, reminds
from hombi.core.automation.fields import fields_of
from hombi.core.automation.moving import RANGES
from hombi.core.kinds import Seen
from hombi.core.series import Derivation
from hombi.core.series.derived import METHODS
from hombi.core.series.parameters import Parameter
from hombi.core.units import conversion, units_for
from hombi.core.values import show_limit, show_value
from hombi.hub.acting.actuation import Command
from hombi.hub.automations.runner import Runner
from hombi.hub.house import Entity, Floor, Node, Room, Tool
from hombi.hub.hub import Hub
from hombi.hub.kernel.journal_port import JournalEntry
from hombi.hub.nodes.described import CHOSEN
from hombi.hub.nodes.messages import Message
from hombi.hub.nodes.pairing import Arrival
from hombi.hub.notices.outbox import address_of
from hombi.hub.notices.port import DeliveryRecord, PhoneRecord
from hombi.hub.readings.intake import clock_said
from hombi.links.offer import Action, Setting
from hombi.service.api.mistakes import mistake


def room(found: Room) -> wire.Room:
    """A room."""
    return wire.Room(
        room=found.slug, name=found.name, floor=found.floor.name, position=found.position
    )


def floor(hub: Hub, found: Floor) -> wire.Floor:
    """A floor with its rooms."""
    rooms = [r for r in hub.house.rooms.values() if r.floor is found]
    rooms.sort(key=lambda r: r.position)
    return wire.Floor(
        id=found.id,
        name=found.name,
        position=found.position,
        rooms=[room(r) for r in rooms],
    )


def _wish(hub: Hub, found: Entity) -> wire.Wish | None:
    wishes = hub.actuation.wishes
    wish = wishes.get(found.address)
    if wish is None:
        return None
    return wire.Wish(
        value=hub.house.seen(found).as_seen.of(wish.value) or 0.0,
        by=wish.by,
        since=wish.since_ms,
        due=wish.due_ms if wish.due_ms > hub.context.clock.now_ms() else None,
        problem=wish.problem,
        shown=wishes.shown(wish),
    )


def entity(hub: Hub, found: Entity) -> wire.Entity:
    """An entity. One that is silent, or whose node is, is bad, whatever it said
    last."""
    return wire.Entity(**_entity(hub, found))


def _entity(hub: Hub, found: Entity) -> dict[str, Any]:
    latest, node, kind = found.latest, found.node, hub.house.seen(found)
    value, seen = latest.value if latest else None, kind.as_seen
    quality, reason = "none", "nothing was heard yet"
    if latest is not None:
        quality, reason = latest.quality.level, latest.quality.reason
        if found.unheard:
            quality, reason = "bad", "silent"
    return {
        "entity": found.address,
        "node": node.address if node else "",
        "link": node.link if node else "",
        "title": found.title,
        "spoken": found.spoken,
        "kind": kind.name,
        "unit": seen.unit,
        "decimals": seen.decimals,
        "words": list(kind.words) if kind.words else None,
        "room": found.room.slug if found.room else None,
        "writable": found.writable,
        "low": min(_both(seen, found)),
        "high": max(_both(seen, found)),
        "wire_name": found.wire_name,
        "wire_unit": found.sent_unit,
        "hidden": found.hidden,
        "picked": picked_from(found),
        "value": seen.of(value),
        "raw": latest.sent if latest else None,
        "shown": "" if value is None else show_value(value, kind),
        "quality": quality,
        "reason": reason,
        "at": latest.at_ms if latest else None,
        "heard_at": found.heard_ms or None,
        "wanted": _wish(hub, found),
        "left_alone": hub.automations.left_alone(found.address),
    }


def _both(seen: Seen, found: Entity) -> list[float]:
    return [seen.limit(one) for one in (found.low, found.high)]


def entity_detail(hub: Hub, found: Entity) -> wire.EntityDetail:
    """An entity with the automations that look at it."""
    watchers = []
    for name, runner in hub.automations.runners.items():
        program = runner.program
        if program is None or not runner.record.enabled:
            continue
        for part in program.parts:
            watch = part.now(hub.automations.world())
            if watch is not None and watch.entity == found.address and watch.of_value:
                limit = _limit(watch)
                watchers.append(wire.Watcher(automation=name, name=program.name, **limit))
    unit = found.kind.unit
    sent = found.sent_unit
    converted = bool(unit and sent) and conversion(sent, unit) != (1.0, 0.0)
    how = found.origin if isinstance(found.origin, Derivation) else None
    return wire.EntityDetail(
        **_entity(hub, found),
        watchers=watchers,
        kept_in=wire.KeptIn(
            unit=found.kind.unit,
            decimals=found.kind.decimals,
            low=found.low,
            high=found.high,
            seen_in=found.own.get("unit", ""),
            seen_decimals=found.own.get("decimals", -1),
            keep=found.own.get("keep", ""),
            choices=units_for(found.kind.unit),
        ),
        converted=converted,
        derived=wire.HowDerived(
            method=how.method,
            title=METHODS[how.method].title,
            about=METHODS[how.method].about,
            source=METHODS[how.method].source,
            sources=list(how.sources),
            parameters=dict(how.parameters),
        )
        if how
        else None,
    )


def parameter(found: Parameter) -> wire.StepNumber:
    """A number of a step or a method."""
    return wire.StepNumber(
        name=found.name,
        about=found.about,
        default=found.default,
        time=found.time,
        choices=list(found.choices),
        text=found.text,
    )


def picked_from(found: Entity) -> str:
    """Where an entity's value is picked from, in words; "" for one that its node
    describes itself."""
    source = found.source
    if not source:
        return ""
    where = source.get("topic") or f"/api/intake/{found.address}"
    return where + (f" at {source['pointer']}" if source.get("pointer") else "")


def setting(found: Setting, value: Any = None) -> wire.Setting:
    """A setting, or an input of an action."""
    return wire.Setting(
        name=found.name or "input",
        title=found.title or "input",
        type=found.type,  # type: ignore[arg-type]
        unit=found.unit,
        low=found.low,
        high=found.high,
        choices=list(found.choices),
        value=value,
    )


def _action(found: Action) -> wire.NodeAction:
    return wire.NodeAction(
        name=found.name,
        title=found.title,
        about=found.about,
        inputs=[setting(one) for one in found.inputs],
    )


def node(hub: Hub, found: Node) -> wire.Node:
    """A node."""
    return wire.Node(
        node=found.address,
        title=found.title,
        link=found.link,
        room=found.room.slug if found.room else None,
        here=found.here,
        silent=found.silent,
        heard_at=found.heard_ms,
        admitted_at=found.admitted_ms,
        refused=found.refused,
        entities=[e.address for e in found.entities.values()],
        way=hub.links.way(found),  # type: ignore[arg-type]
        left=found.left,
        make=found.make,
        url=found.reach.get("url", ""),
        has_key=bool(found.key_hash),
        shut_out=found.shut_out,
        clock=clock_said(found.clock) if found.clock.wrong else "",
        settings=[setting(one, found.told.get(one.wire_name)) for one in found.offer.settings],
        actions=[_action(action) for action in found.offer.actions],
        left_out=list(found.offer.left_out),
        unit_notes=found.offer.unit_notes(found.reach.get(CHOSEN, {})),
    )


def arrival(hub: Hub, found: Arrival) -> wire.Arrival:
    """An arrival."""
    record, offer = found.record, found.offer
    return wire.Arrival(
        id=record.id,
        title=record.title,
        about=offer.about,
        link=record.link,
        progress=found.progress,
        state=record.state,  # type: ignore[arg-type]
        asked_at=record.asked_ms,
        heard_at=found.heard_ms,
        known_as=found.known.address if found.known else None,
        wrong_codes=record.wrong_codes,
        entities=[
            wire.Promised(
                name=value.name,
                title=value.title,
                kind=value.kind.name,
                unit=value.kind.unit,
                writable=value.writable,
                hidden=value.hidden,
            )
            for value in offer.values
        ],
        left_out=list(offer.left_out),
        unit_notes=offer.unit_notes(),
        settings=[one.title for one in offer.settings],
        actions=[action.title for action in offer.actions],
        thing=record.thing_id,
        url=record.reach.get("url", ""),
        sender=record.sender,
        elsewhere=list(record.reach.get("elsewhere", ())),
        rivals=[rival.record.id for rival in hub.pairing.rivals(found)],
        needs_code=bool(record.proof),
        asks=record.asks,
    )


def window(hub: Hub) -> wire.Window:
    """The pairing window."""
    pairing = hub.pairing
    return wire.Window(
        open=pairing.left_ms > 0,
        until=pairing.until_ms or None,
        left_ms=pairing.left_ms,
        listening={d.link: d.listening() for d in hub.links.drivers.values()},
    )


def _present_limit(hub: Hub, program: Program | None) -> wire.Limit | None:
    if program is None or program.moment is not None or not program.watch.of_value:
        return None
    watch = program.watch.now(hub.automations.world())
    return None if watch is None else wire.Limit(**_limit(watch))


def _limit(watch: Watch) -> dict[str, Any]:
    seen, compared = watch.kind.as_seen, watch.comparison
    limit, high = compared.limit, None
    if isinstance(compared, RANGES):
        limit, high = compared.low, seen.limit(compared.high)
    return {
        "entity": watch.entity,
        "condition": compared.word,
        "limit": seen.limit(limit),
        "until": None if compared.until is None else seen.limit(compared.until),
        "high": high,
    }


def automation(hub: Hub, runner: Runner) -> wire.Automation:
    """An automation."""
    program, record = runner.program, runner.record
    shown = ""
    if program is not None and program.moment is None:
        watch = program.watch
        plain = watch.of_value and watch.moving is None
        shown = show_limit(watch.comparison.limit, watch.kind) if plain else watch.wanted
    return wire.Automation(
        automation=record.slug,
        name=program.name if program else record.slug,
        about=program.about if program else "",
        text=record.text,
        sentence=hub.automations.spoken(program) if program else "",
        enabled=record.enabled,
        phase=runner.state.phase.value,
        since=runner.state.since_ms or None,
        due=runner.due,
        started_at=hub.automations.starts.last(record.slug),
        started_lately=hub.automations.starts.lately(record.slug, hub.context.clock.now_ms()),
        watch=_present_limit(hub, program),
        limit_shown=shown,
        reminds=program is not None and reminds(program, runner.state),
        left_alone=list(runner.state.by_hand),
        room=_room_of(hub, program),
        stopped=runner.broken,
        mistakes=[mistake(one) for one in runner.mistakes],
    )


def _room_of(hub: Hub, program: Program | None) -> str | None:
    """The room of the first of its entities that has one."""
    named = program.named if program is not None else ()
    result = (hub.house.entities.get(address) for address in named)
    return next((entity.room.name for entity in result if entity is not None and entity.room), None)


def checked(hub: Hub, text: str) -> dict[str, Any]:
    """What the text of an automation comes to."""
    parsed, sentence = hub.automations.check(text)
    return {
        "ok": parsed.program is not None,
        "sentence": sentence,
        "mistakes": [mistake(one) for one in parsed.mistakes],
        "warnings": [mistake(warning) for warning in parsed.warnings],
        "fields": [
            wire.TextField(path=list(field.path), label=field.label, value=field.value)
            for field in fields_of(text)
        ],
    }


def command(found: Command) -> wire.Command:
    """A command."""
    return wire.Command(
        id=found.id,
        entity=found.entity.address,
        value=found.value,
        by=found.by,
        state=found.state.value,
        problem=found.problem,
        asked_at=found.asked_ms,
        answered_at=found.answered_ms or None,
    )


def entry(found: JournalEntry) -> wire.JournalEntry:
    """An entry of the journal."""
    return wire.JournalEntry(
        id=found.id,
        at=found.at_ms,
        event=found.event,
        text=found.text,
        by=found.by,
        node=found.node,
        entity=found.entity,
        automation=found.automation,
        data=found.data,
    )


def way(found: PhoneRecord) -> wire.Way:
    """A way of reaching somebody. What a phone or a post is sent to may hold a secret:
    only its host is told."""
    return wire.Way(**_way(found))


def new_way(made: PhoneRecord) -> wire.NewWay:
    """A way with the secret that signs what is posted there."""
    return wire.NewWay(**_way(made), secret=made.auth if made.sort == "post" else "")


def _way(found: PhoneRecord) -> dict[str, Any]:
    hosted = found.sort in ("phone", "post")
    return {
        "id": found.id,
        "way": address_of(found),
        "sort": found.sort,
        "name": found.name,
        "person": found.person,
        "address": found.endpoint.split("/")[2] if hosted else found.endpoint,
        "added_at": found.added_ms,
    }


def notice(h: Hub, found: DeliveryRecord) -> wire.Notice:
    """A notice on its way to somebody."""
    seen = h.outbox.pictures.has(found.identity)
    return wire.Notice(
        id=found.id,
        phone=found.phone,
        person=found.person,
        title=found.title,
        text=found.text,
        path=found.path,
        subject=found.subject,
        urgent=found.urgent,
        quiet=found.quiet,
        state=found.state,  # type: ignore[arg-type]
        attempts=found.attempts,
        problem=found.problem,
        at=found.created_ms,
        settled_at=found.settled_ms or None,
        picture=h.ways.buttons.to_see(found) if seen else "",
    )


def tool(found: Tool) -> wire.Tool:
    """A tool."""
    return wire.Tool(**_tool(found))


def new_tool(made: tuple[Tool, str]) -> wire.NewTool:
    """A tool with its key."""
    result, key = made
    return wire.NewTool(**_tool(result), key=key)


def _tool(found: Tool) -> dict[str, Any]:
    return {
        "tool": found.name,
        "publish": list(found.publish),
        "subscribe": list(found.subscribe),
        "added_at": found.added_ms,
    }


def message(found: Message) -> wire.Message:
    """A message as it came."""
    return wire.Message(**message_fields(found))


def message_fields(found: Message) -> dict[str, Any]:
    """All that a message has."""
    heard = found.heard
    try:
        payload, binary = found.payload.decode(), False
    except UnicodeDecodeError as error:
        cut = found.size > len(found.payload) and error.start >= len(found.payload) - 4
        payload = found.payload[: error.start].decode() if cut else found.payload.hex()
        binary = not cut
    return {
        "number": found.number,
        "at": found.at_ms,
        "via": heard.via,
        "topic": heard.topic,
        "sender": heard.sender,
        "node": heard.node,
        "payload": payload,
        "binary": binary,
        "size": found.size,
        "qos": heard.qos,
        "retained": heard.retained,
    }
