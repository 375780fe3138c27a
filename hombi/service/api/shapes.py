"""The shapes of what the API takes and gives, made from the hub's own objects."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s
from rest_framework.request import Request

from hombi.core.automation import Automation
from hombi.core.values import show_limit, show_value
from hombi.hub.engine import Runner, mistake_data
from hombi.hub.house import Entity, Node
from hombi.hub.intake import clock_said
from hombi.hub.pairing import Arrival
from hombi.links.thing_description import Action, Setting
from hombi.service.bridge import hub


class Shape(s.Serializer[Any]):
    """A serializer that only gives or only takes. In the schema it goes by its name
    without "Shape"."""

    def __init_subclass__(cls) -> None:
        super().__init_subclass__()
        cls._spectacular_annotation = {"component_name": cls.__name__.removesuffix("Shape")}  # type: ignore[attr-defined]

    def create(self, validated_data: Any) -> Any:
        raise TypeError("shapes are not stored")

    def update(self, instance: Any, validated_data: Any) -> Any:
        raise TypeError("shapes are not stored")


def checked(request: Request, shape: type[Shape]) -> dict[str, Any]:
    """The body of a request in this shape. Raises ValidationError."""
    given = shape(data=request.data)
    given.is_valid(raise_exception=True)
    return dict(given.validated_data)


class WishShape(Shape):
    """What an entity is wanted to be: by whom and since when, why it is not yet, and
    all of that in words."""

    value = s.FloatField()
    by = s.CharField()
    since = s.IntegerField()
    problem = s.CharField(allow_blank=True)
    shown = s.CharField()


class EntityShape(Shape):
    """An entity with its latest reading. `value` is in `unit`, `raw` in the node's own;
    `shown` is the value as people read it."""

    entity = s.CharField()
    node = s.CharField()
    link = s.CharField()
    title = s.CharField()
    spoken = s.CharField(help_text="its name as it is said, with its node")
    kind = s.CharField()
    unit = s.CharField(allow_blank=True)
    decimals = s.IntegerField()
    words = s.ListField(
        child=s.CharField(),
        allow_null=True,
        help_text="the names of 0 and 1, for a kind with two states",
    )
    room = s.CharField(allow_null=True)
    writable = s.BooleanField()
    low = s.FloatField()
    high = s.FloatField()
    wire_name = s.CharField()
    wire_unit = s.CharField(allow_blank=True)
    hidden = s.BooleanField(help_text="kept, but not shown in its room")
    picked = s.CharField(
        allow_blank=True,
        help_text="where it is picked from, for one of a node that does not know Hombi",
    )
    value = s.FloatField(allow_null=True)
    raw = s.FloatField(allow_null=True)
    shown = s.CharField(allow_blank=True)
    quality = s.ChoiceField(["good", "uncertain", "bad", "none"])
    reason = s.CharField(allow_blank=True)
    at = s.IntegerField(allow_null=True, help_text="time of the latest reading, ms")
    heard_at = s.IntegerField(allow_null=True, help_text="when this value was last heard, ms")
    wanted = WishShape(
        allow_null=True, help_text="what it is wanted to be, while its node has not confirmed it"
    )


def _wish_data(entity: Entity) -> dict[str, Any] | None:
    wishes = hub().actuation.wishes
    wish = wishes.get(entity.address)
    if wish is None:
        return None
    return {
        "value": wish.value,
        "by": wish.by,
        "since": wish.since_ms,
        "problem": wish.problem,
        "shown": wishes.shown(wish),
    }


def entity_data(entity: Entity) -> dict[str, Any]:
    """An entity as programs see it. One that is silent, or whose node is, is bad,
    whatever it said last."""
    latest, node, kind = entity.latest, entity.node, entity.kind
    quality, reason = (
        (latest.quality.level, latest.quality.reason)
        if latest
        else ("none", "nothing was heard yet")
    )
    if latest is not None and (entity.silent or node.silent):
        quality, reason = "bad", "silent"
    return {
        "entity": entity.address,
        "node": node.address,
        "link": node.link,
        "title": entity.title,
        "spoken": entity.spoken,
        "kind": kind.name,
        "unit": kind.unit,
        "decimals": kind.decimals,
        "words": list(kind.words) if kind.words else None,
        "room": node.room.slug if node.room else None,
        "writable": entity.writable,
        "low": entity.low,
        "high": entity.high,
        "wire_name": entity.wire_name,
        "wire_unit": entity.wire_unit,
        "hidden": entity.hidden,
        "picked": picked_from(entity),
        "value": latest.known_value if latest else None,
        "raw": latest.known_raw if latest else None,
        "shown": show_value(latest.value, kind)
        if latest and latest.known_value is not None
        else "",
        "quality": quality,
        "reason": reason,
        "at": latest.at_ms if latest else None,
        "heard_at": entity.heard_ms or None,
        "wanted": _wish_data(entity),
    }


def picked_from(entity: Entity) -> str:
    """Where an entity's value is picked from, in words; "" for one that its node
    describes itself."""
    source = entity.source
    if not source:
        return ""
    where = source.get("topic") or f"/api/intake/{entity.address}"
    return where + (f" at {source['pointer']}" if source.get("pointer") else "")


class SettingShape(Shape):
    """One of a node's own settings, or one input of an action. `value` is what the node
    told last, null for nothing yet."""

    name = s.CharField(allow_blank=True)
    title = s.CharField(allow_blank=True)
    type = s.ChoiceField(["number", "integer", "boolean", "string"])
    unit = s.CharField(allow_blank=True)
    low = s.FloatField(allow_null=True)
    high = s.FloatField(allow_null=True)
    choices = s.ListField(child=s.JSONField())
    value = s.JSONField(allow_null=True)


class ActionShape(Shape):
    """Something that a node can be asked to do."""

    name = s.CharField()
    title = s.CharField()
    about = s.CharField(allow_blank=True)
    inputs = SettingShape(many=True)


def setting_data(setting: Setting, value: Any = None) -> dict[str, Any]:
    """A setting as programs see it."""
    return {
        "name": setting.name or "input",
        "title": setting.title or "input",
        "type": setting.type,
        "unit": setting.unit,
        "low": setting.low,
        "high": setting.high,
        "choices": list(setting.choices),
        "value": value,
    }


def action_data(action: Action) -> dict[str, Any]:
    """An action as programs see it."""
    inputs = [setting_data(one) for one in action.inputs]
    return {"name": action.name, "title": action.title, "about": action.about, "inputs": inputs}


class NodeShape(Shape):
    """A node. `here` is whether it is connected; `heard_at` moves with everything it
    sends.

    `way` is how it speaks: `senml` by itself, `described` as its Thing Description
    says, `foreign` as it likes, `paired` over a radio of its own.
    """

    node = s.CharField()
    title = s.CharField()
    link = s.CharField()
    room = s.CharField(allow_null=True)
    here = s.BooleanField()
    silent = s.BooleanField()
    heard_at = s.IntegerField()
    admitted_at = s.IntegerField()
    refused = s.IntegerField(
        help_text="how many of its values or messages could not be taken since the hub started"
    )
    entities = s.ListField(child=s.CharField())
    way = s.ChoiceField(["senml", "described", "foreign", "paired"])
    left = s.BooleanField(
        help_text="whether it has left by itself, by a reset or into another house"
    )
    make = s.CharField(allow_blank=True, help_text="what it says of itself: make, model, software")
    url = s.CharField(
        allow_blank=True, help_text="where its description is, for one that the hub reaches"
    )
    has_key = s.BooleanField()
    clock = s.CharField(
        allow_blank=True, help_text="how its own clock is wrong, in words; empty when it is right"
    )
    settings = SettingShape(many=True)
    actions = ActionShape(many=True)


def node_data(node: Node) -> dict[str, Any]:
    """A node as programs see it."""
    return {
        "node": node.address,
        "title": node.title,
        "link": node.link,
        "room": node.room.slug if node.room else None,
        "here": node.here,
        "silent": node.silent,
        "heard_at": node.heard_ms,
        "admitted_at": node.admitted_ms,
        "refused": node.refused,
        "entities": [e.address for e in node.entities.values()],
        "way": node.way,
        "left": node.left,
        "make": _make(node),
        "url": node.reach.get("url", ""),
        "has_key": bool(node.key_hash),
        "clock": clock_said(node.clock) if node.clock.wrong else "",
        "settings": [
            setting_data(one, node.told.get(one.wire_name)) for one in node.settings.values()
        ],
        "actions": [action_data(one) for one in node.actions.values()],
    }


def _make(node: Node) -> str:
    """What a node that was found says of itself."""
    told = node.reach.get("description", {})
    return ", ".join(filter(None, (str(told.get("title", "")), str(told.get("description", "")))))[
        :300
    ]


class PromisedShape(Shape):
    """An entity that an arrival says it has."""

    name = s.CharField()
    title = s.CharField()
    kind = s.CharField()
    unit = s.CharField(allow_blank=True)
    writable = s.BooleanField()
    hidden = s.BooleanField(help_text="whether it is hidden unless a person wants to see it")


class ArrivalShape(Shape):
    """A node that asks to join."""

    id = s.CharField()
    title = s.CharField()
    about = s.CharField(allow_blank=True)
    link = s.CharField()
    progress = s.CharField(
        allow_blank=True, help_text="while it is asking: how far the interview is"
    )
    state = s.ChoiceField(["asking", "waiting", "locked", "admitted", "admitting", "turned-away"])
    asked_at = s.IntegerField()
    heard_at = s.IntegerField()
    known_as = s.CharField(allow_null=True, help_text="the node it already is, when it joins again")
    wrong_codes = s.IntegerField()
    entities = PromisedShape(many=True)
    left_out = s.ListField(child=s.CharField(), help_text="what it has that the hub does not use")
    settings = s.ListField(
        child=s.CharField(), help_text="settings of its own that can be changed from the hub"
    )
    actions = s.ListField(child=s.CharField(), help_text="what it can be asked to do")
    thing = s.CharField(help_text="the id in its description")
    url = s.CharField(
        allow_blank=True, help_text="where it was found; one that asked by itself has none"
    )
    sender = s.CharField(allow_blank=True, help_text="the address that it spoke from")
    elsewhere = s.ListField(
        child=s.CharField(),
        help_text="origins beside its own that it sends the hub to; "
        "used only where they are ticked",
    )
    rivals = s.ListField(
        child=s.CharField(), help_text="arrivals that say that they are the same node"
    )
    needs_code = s.BooleanField(help_text="whether its setup code lets it in")
    asks = s.CharField(
        allow_blank=True,
        help_text='what it wants to hear before it answers, like "user and password"',
    )


def arrival_data(arrival: Arrival) -> dict[str, Any]:
    """An arrival as programs see it."""
    record = arrival.record
    return {
        "id": record.id,
        "title": record.title,
        "about": arrival.thing.about,
        "link": record.link,
        "progress": arrival.progress,
        "state": record.state,
        "asked_at": record.asked_ms,
        "heard_at": arrival.heard_ms,
        "known_as": arrival.known.address if arrival.known else None,
        "wrong_codes": record.wrong_codes,
        "entities": [
            {
                "name": p.name,
                "title": p.title,
                "kind": p.kind.name,
                "unit": p.kind.unit,
                "writable": p.writable,
                "hidden": p.hidden,
            }
            for p in arrival.thing.promised
        ],
        "left_out": list(arrival.left_out),
        "settings": [one.title for one in arrival.thing.settings],
        "actions": [one.title for one in arrival.thing.actions],
        "thing": record.thing_id,
        "url": record.reach.get("url", ""),
        "sender": record.sender,
        "elsewhere": list(record.reach.get("elsewhere", ())),
        "rivals": [one.record.id for one in hub().pairing.rivals(arrival)],
        "needs_code": bool(record.proof),
        "asks": record.asks,
    }


class MistakeShape(Shape):
    """One thing that is wrong in a text; line and column count from 1."""

    line = s.IntegerField()
    column = s.IntegerField()
    what = s.CharField()
    hint = s.CharField(allow_blank=True)
    source_line = s.CharField(allow_blank=True)


class LimitShape(Shape):
    """What an automation watches for, for drawing it. Values in the kind's unit."""

    entity = s.CharField()
    condition = s.CharField()
    limit = s.FloatField()
    until = s.FloatField(allow_null=True)


class AutomationShape(Shape):
    """An automation: its text word for word, as a sentence, and where it stands."""

    automation = s.CharField()
    name = s.CharField()
    about = s.CharField(allow_blank=True)
    text = s.CharField()
    sentence = s.CharField(allow_blank=True)
    enabled = s.BooleanField()
    phase = s.ChoiceField(["idle", "holding", "waiting", "on"])
    since = s.IntegerField(allow_null=True)
    due = s.IntegerField(allow_null=True)
    watch = LimitShape(allow_null=True)
    limit_shown = s.CharField(allow_blank=True)
    stopped = s.CharField(
        allow_blank=True,
        help_text="why the hub stopped it; it goes on when its text or its duty is changed",
    )
    mistakes = MistakeShape(many=True)


def limit_data(automation: Automation) -> dict[str, Any]:
    """The watched limit."""
    watch = automation.watch
    return {
        "entity": watch.entity,
        "condition": watch.condition.value,
        "limit": watch.limit,
        "until": watch.until,
    }


def runner_data(runner: Runner) -> dict[str, Any]:
    """An automation as programs see it."""
    automation, record = runner.automation, runner.record
    return {
        "automation": record.slug,
        "name": automation.name if automation else record.slug,
        "about": automation.about if automation else "",
        "text": record.text,
        "sentence": hub().engine.spoken(automation) if automation else "",
        "enabled": record.enabled,
        "phase": runner.state.phase.value,
        "since": runner.state.since_ms or None,
        "due": runner.due,
        "watch": limit_data(automation) if automation else None,
        "limit_shown": show_limit(automation.watch.limit, automation.watch.kind)
        if automation
        else "",
        "stopped": runner.broken,
        "mistakes": [mistake_data(m) for m in runner.mistakes],
    }


class CommandShape(Shape):
    """A command and what became of it."""

    id = s.IntegerField()
    entity = s.CharField()
    value = s.FloatField()
    by = s.CharField()
    state = s.ChoiceField(["asked", "confirmed", "unanswered", "unreachable"])
    problem = s.CharField(allow_blank=True)
    asked_at = s.IntegerField()
    answered_at = s.IntegerField(allow_null=True)


class JournalShape(Shape):
    """An entry of the journal."""

    id = s.IntegerField()
    at = s.IntegerField(source="at_ms")
    event = s.CharField()
    text = s.CharField()
    node = s.CharField(allow_blank=True)
    entity = s.CharField(allow_blank=True)
    automation = s.CharField(allow_blank=True)
    data = s.DictField()  # type: ignore[assignment]


class PhoneShape(Shape):
    """A phone that takes notifications."""

    id = s.IntegerField()
    name = s.CharField()
    person = s.CharField()
    added_at = s.IntegerField(source="added_ms")
    service = s.SerializerMethodField(help_text="the host of its push service")

    def get_service(self, phone: Any) -> str:
        """The host part of the endpoint; the rest of it is a secret."""
        return str(phone.endpoint).split("/")[2]
