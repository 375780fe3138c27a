"""What the hub's own objects look like on the wire. All of it is made in the hub's
loop."""

from __future__ import annotations

from typing import Any

from hombi.core.automation import Program, Watch, reminds
from hombi.core.automation.fields import fields_of
from hombi.core.kinds import Seen
from hombi.core.series import Derivation
from hombi.core.series.methods import METHODS
from hombi.core.series.parameters import Parameter
from hombi.core.units import conversion, units_for
from hombi.core.values import show_limit, show_value
from hombi.hub.acting.actuation import Command
from hombi.hub.automations.runner import Runner
from hombi.hub.house import Entity, Floor, MqttAccount, Node, Room
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
from hombi.wire.automations import Automation, TextField
from hombi.wire.conditioning import StepNumber
from hombi.wire.entities import Command as CommandShape
from hombi.wire.entities import Entity as EntityShape
from hombi.wire.entities import EntityDetail, HowComputed, KeptIn, Limit, Watcher, Wish
from hombi.wire.house import Floor as FloorShape
from hombi.wire.house import Room as RoomShape
from hombi.wire.messages import Message as MessageShape
from hombi.wire.nodes import Node as NodeShape
from hombi.wire.nodes import NodeAction
from hombi.wire.nodes import Setting as SettingShape
from hombi.wire.pairing import Arrival as ArrivalShape
from hombi.wire.pairing import Promised, Window
from hombi.wire.people import Contact, NewContact, NewMqttAccount, Notice
from hombi.wire.people import JournalEntry as JournalEntryShape
from hombi.wire.people import MqttAccount as MqttAccountShape


def room(room: Room) -> RoomShape:
    """A room."""
    return RoomShape(room=room.slug, name=room.name, floor=room.floor.name, position=room.position)


def floor(hub: Hub, floor: Floor) -> FloorShape:
    """A floor with its rooms."""
    rooms = [r for r in hub.house.rooms.values() if r.floor is floor]
    rooms.sort(key=lambda r: r.position)
    return FloorShape(
        id=floor.id,
        name=floor.name,
        position=floor.position,
        rooms=[room(r) for r in rooms],
    )


def _wish(hub: Hub, entity: Entity) -> Wish | None:
    wishes = hub.actuation.wishes
    wish = wishes.get(entity.address)
    if wish is None:
        return None
    return Wish(
        value=hub.house.seen(entity).as_seen.of(wish.value) or 0.0,
        by=wish.by,
        since=wish.since_ms,
        due=wish.due_ms if wish.due_ms > hub.context.clock.now_ms() else None,
        problem=wish.problem,
        shown=wishes.shown(wish),
    )


def entity(hub: Hub, entity: Entity) -> EntityShape:
    """An entity. One that is silent, or whose node is, is bad, whatever it said
    last."""
    return EntityShape(**_entity(hub, entity))


def _entity(hub: Hub, entity: Entity) -> dict[str, Any]:
    latest, node, kind = entity.latest, entity.node, hub.house.seen(entity)
    value, seen = latest.value if latest else None, kind.as_seen
    quality, reason = "none", "nothing was heard yet"
    if latest is not None:
        quality, reason = latest.quality.level, latest.quality.reason
        if entity.unheard:
            quality, reason = "bad", "silent"
    return {
        "entity": entity.address,
        "node": node.address if node else "",
        "link": node.link if node else "",
        "title": entity.title,
        "spoken": entity.spoken,
        "kind": kind.name,
        "unit": seen.unit,
        "decimals": seen.decimals,
        "words": list(kind.words) if kind.words else None,
        "drawn": kind.arithmetic.drawn,
        "endpoint": node.endpoint_of(entity) if node else "",
        "role": node.role_of(node.endpoint_of(entity)) if node else "sensor",
        "room": entity.room.slug if entity.room else None,
        "writable": entity.writable,
        "low": min(_both(seen, entity)),
        "high": max(_both(seen, entity)),
        "wire_name": entity.wire_name,
        "wire_unit": entity.sent_unit,
        "hidden": entity.hidden,
        "picked": picked_from(entity),
        "value": seen.of(value),
        "raw": latest.sent if latest else None,
        "shown": "" if value is None else show_value(value, kind),
        "quality": quality,
        "reason": reason,
        "at": latest.at_ms if latest else None,
        "heard_at": entity.heard_ms or None,
        "since": entity.since_ms or None if entity.stands and latest else None,
        "wanted": _wish(hub, entity),
        "left_alone": hub.automations.left_alone(entity.address),
    }


def _both(seen: Seen, entity: Entity) -> list[float]:
    return [seen.limit(one) for one in (entity.low, entity.high)]


def entity_detail(hub: Hub, entity: Entity) -> EntityDetail:
    """An entity with the automations that look at it."""
    watchers = []
    for name, runner in hub.automations.runners.items():
        program = runner.program
        if program is None or not runner.record.enabled:
            continue
        for part in program.parts:
            watch = part.now(hub.automations.world())
            if watch is not None and watch.entity == entity.address and watch.of_value:
                limit = _limit(watch)
                watchers.append(Watcher(automation=name, name=program.name, **limit))
    unit = entity.kind.unit
    sent = entity.sent_unit
    converted = bool(unit and sent) and conversion(sent, unit) != (1.0, 0.0)
    how = entity.origin if isinstance(entity.origin, Derivation) else None
    return EntityDetail(
        **_entity(hub, entity),
        watchers=watchers,
        kept_in=KeptIn(
            unit=entity.kind.unit,
            decimals=entity.kind.decimals,
            low=entity.low,
            high=entity.high,
            seen_in=entity.own.get("unit", ""),
            seen_decimals=entity.own.get("decimals", -1),
            keep=entity.own.get("keep", ""),
            choices=units_for(entity.kind.unit),
        ),
        converted=converted,
        computed=HowComputed(
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


def parameter(parameter: Parameter) -> StepNumber:
    """A number of a step or a method."""
    return StepNumber(
        name=parameter.name,
        about=parameter.about,
        default=parameter.default,
        time=parameter.time,
        choices=list(parameter.choices),
        text=parameter.text,
    )


def picked_from(entity: Entity) -> str:
    """Where an entity's value is picked from, in words; "" for one that its node
    describes itself."""
    source = entity.source
    if not source:
        return ""
    where = source.get("topic") or f"/api/intake/{entity.address}"
    return where + (f" at {source['pointer']}" if source.get("pointer") else "")


def setting(setting: Setting, value: Any = None) -> SettingShape:
    """A setting, or an input of an action."""
    return SettingShape(
        name=setting.name or "input",
        title=setting.title or "input",
        type=setting.type,  # type: ignore[arg-type]
        unit=setting.unit,
        low=setting.low,
        high=setting.high,
        choices=list(setting.choices),
        value=value,
    )


def _action(action: Action) -> NodeAction:
    return NodeAction(
        name=action.name,
        title=action.title,
        about=action.about,
        inputs=[setting(one) for one in action.inputs],
    )


def node(hub: Hub, node: Node) -> NodeShape:
    """A node."""
    return NodeShape(
        node=node.address,
        title=node.title,
        link=node.link,
        room=node.room.slug if node.room else None,
        here=node.here,
        silent=node.silent,
        heard_at=node.heard_ms,
        admitted_at=node.admitted_ms,
        refused=node.refused,
        entities=[e.address for e in node.entities.values()],
        way=hub.links.way(node),  # type: ignore[arg-type]
        left=node.left,
        make=node.make,
        url=node.reach.get("url", ""),
        has_key=bool(node.key_hash),
        shut_out=node.shut_out,
        clock=clock_said(node.clock) if node.clock.wrong else "",
        settings=[setting(one, node.told.get(one.wire_name)) for one in node.offer.settings],
        actions=[_action(action) for action in node.offer.actions],
        left_out=list(node.offer.left_out),
        unit_notes=node.offer.unit_notes(node.reach.get(CHOSEN, {})),
    )


def arrival(hub: Hub, arrival: Arrival) -> ArrivalShape:
    """An arrival."""
    record, offer = arrival.record, arrival.offer
    return ArrivalShape(
        id=record.id,
        title=record.title,
        about=offer.about,
        link=record.link,
        progress=arrival.progress,
        state=record.state,  # type: ignore[arg-type]
        asked_at=record.asked_ms,
        heard_at=arrival.heard_ms,
        known_as=arrival.known.address if arrival.known else None,
        wrong_codes=record.wrong_codes,
        entities=[
            Promised(
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
        rivals=[rival.record.id for rival in hub.pairing.rivals(arrival)],
        needs_code=bool(record.proof),
        asks=record.asks,
    )


def window(hub: Hub) -> Window:
    """The pairing window."""
    pairing = hub.pairing
    return Window(
        open=pairing.left_ms > 0,
        until=pairing.until_ms or None,
        left_ms=pairing.left_ms,
        listening={d.link: d.listening() for d in hub.links.drivers.values()},
    )


def _present_limit(hub: Hub, program: Program | None) -> Limit | None:
    if program is None or program.moment is not None or not program.watch.of_value:
        return None
    watch = program.watch.now(hub.automations.world())
    return None if watch is None else Limit(**_limit(watch))


def _limit(watch: Watch) -> dict[str, Any]:
    seen, compared = watch.kind.as_seen, watch.comparison
    limit, *others = compared.numbers.values()
    high = seen.limit(others[0]) if others else None
    return {
        "entity": watch.entity,
        "condition": compared.word,
        "limit": seen.limit(limit),
        "until": None if compared.until is None else seen.limit(compared.until),
        "high": high,
    }


def automation(hub: Hub, runner: Runner) -> Automation:
    """An automation."""
    program, record = runner.program, runner.record
    shown = ""
    if program is not None and program.moment is None:
        watch = program.watch
        plain = watch.of_value and watch.moving is None
        shown = show_limit(watch.comparison.limit, watch.kind) if plain else watch.wanted
    return Automation(
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
            TextField(path=list(field.path), label=field.label, value=field.value)
            for field in fields_of(text)
        ],
    }


def command(command: Command) -> CommandShape:
    """A command."""
    return CommandShape(
        id=command.id,
        entity=command.entity.address,
        value=command.value,
        by=command.by,
        state=command.state.value,
        problem=command.problem,
        asked_at=command.asked_ms,
        answered_at=command.answered_ms or None,
    )


def entry(entry: JournalEntry) -> JournalEntryShape:
    """An entry of the journal."""
    return JournalEntryShape(
        id=entry.id,
        at=entry.at_ms,
        event=entry.event,
        text=entry.text,
        by=entry.by,
        node=entry.node,
        entity=entry.entity,
        automation=entry.automation,
        data=entry.data,
    )


def contact(phone: PhoneRecord) -> Contact:
    """A contact of somebody. What a phone or a post is sent to may hold a secret:
    only its host is told."""
    return Contact(**_contact(phone))


def new_contact(made: PhoneRecord) -> NewContact:
    """A contact with the secret that signs what is posted there."""
    return NewContact(**_contact(made), secret=made.auth if made.sort == "post" else "")


def _contact(phone: PhoneRecord) -> dict[str, Any]:
    hosted = phone.sort in ("phone", "post")
    return {
        "id": phone.id,
        "contact": address_of(phone),
        "sort": phone.sort,
        "name": phone.name,
        "person": phone.person,
        "address": phone.endpoint.split("/")[2] if hosted else phone.endpoint,
        "added_at": phone.added_ms,
    }


def notice(h: Hub, delivery: DeliveryRecord) -> Notice:
    """A notice on its way to somebody."""
    seen = h.outbox.pictures.has(delivery.identity)
    return Notice(
        id=delivery.id,
        phone=delivery.phone,
        person=delivery.person,
        title=delivery.title,
        text=delivery.text,
        path=delivery.path,
        subject=delivery.subject,
        urgent=delivery.urgent,
        quiet=delivery.quiet,
        state=delivery.state,  # type: ignore[arg-type]
        attempts=delivery.attempts,
        problem=delivery.problem,
        at=delivery.created_ms,
        settled_at=delivery.settled_ms or None,
        picture=h.contacts.buttons.to_see(delivery) if seen else "",
    )


def account(account: MqttAccount) -> MqttAccountShape:
    """An account."""
    return MqttAccountShape(**_mqtt_account(account))


def new_mqtt_account(made: tuple[MqttAccount, str]) -> NewMqttAccount:
    """An MQTT account with its key."""
    result, key = made
    return NewMqttAccount(**_mqtt_account(result), key=key)


def _mqtt_account(account: MqttAccount) -> dict[str, Any]:
    return {
        "account": account.name,
        "publish": list(account.publish),
        "subscribe": list(account.subscribe),
        "added_at": account.added_ms,
    }


def message(message: Message) -> MessageShape:
    """A message as it came."""
    return MessageShape(**message_fields(message))


def message_fields(message: Message) -> dict[str, Any]:
    """All that a message has."""
    heard = message.heard
    try:
        payload, binary = message.payload.decode(), False
    except UnicodeDecodeError as error:
        cut = message.size > len(message.payload) and error.start >= len(message.payload) - 4
        payload = message.payload[: error.start].decode() if cut else message.payload.hex()
        binary = not cut
    return {
        "number": message.number,
        "at": message.at_ms,
        "via": heard.via,
        "topic": heard.topic,
        "sender": heard.sender,
        "node": heard.node,
        "payload": payload,
        "binary": binary,
        "size": message.size,
        "qos": heard.qos,
        "retained": heard.retained,
    }
