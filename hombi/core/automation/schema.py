"""The language of automations as a JSON Schema (2020-12), for editors: every key, what
it means, and what it can be. Whether a text is sound in this house, the check says.
"""

from __future__ import annotations

from typing import Any

from hombi.core.automation.actions import ACTIONS
from hombi.core.automation.comparisons import COMPARISONS
from hombi.core.automation.only import DAY_NAMES
from hombi.core.automation.program import Again
from hombi.core.automation.watch import Lost
from hombi.core.sun import SUN

# Raised when a text of before would mean something else.
LANGUAGE = 1

Schema = dict[str, Any]


def _text(means: str, *examples: str, one_of: tuple[str, ...] = ()) -> Schema:
    made: Schema = {"type": "string", "description": means}
    if examples:
        made["examples"] = list(examples)
    if one_of:
        made["enum"] = list(one_of)
    return made


def _table(means: str, properties: Schema, **more: Any) -> Schema:
    return {
        "type": "object",
        "description": means,
        "properties": properties,
        "additionalProperties": False,
        **more,
    }


def _list(means: str, of: Schema) -> Schema:
    return {"type": "array", "description": means, "items": of}


_LIMITS = {"type": "array", "items": {"type": "string"}, "minItems": 2, "maxItems": 2}
_COMPARED: Schema = {
    "over": _text("above this value, or a formula", "28 °C", "= terrace-mast/temperature + 2 K"),
    "under": _text("below this value, or a formula", "82 %"),
    "within": {**_LIMITS, "description": "between these two values"},
    "outside": {**_LIMITS, "description": "beyond one of these two values"},
    "is": _text("exactly this", "open", "on"),
    "is_not": _text("anything but this", "closed"),
    "rising": _text("it has gone up so far within a time", "2 K in 10 min"),
    "falling": _text("it has gone down so far within a time", "5 % in 1 h"),
    "changes": _text("it has changed within the last", "5 min"),
    "silent": _text("it was not heard for", "30 min", "usual"),
}
_ENTITY = _text("the value to look at, node/entity", "cellar-rack/humidity")
_ASKED: Schema = {"entity": _ENTITY, **_COMPARED}
_HOLDS: Schema = {
    "held": _text("so long before it starts", "10 min"),
    "until": _text("it ends when it is back at this value, or a formula", "86 %"),
    "until_held": _text("so long back before it ends", "5 min"),
    "lost": _text("when the value is not heard any more", one_of=tuple(Lost)),
}
_PART = _table("one that is watched", {**_ASKED, **_HOLDS}, required=["entity"])
_STATE = _table("what must be so", _ASKED, required=["entity"])
_TIME = _text("a time of the day", "06:45", *SUN[:2], "sunset - 20 min")
_HOME = _text("who is home: nobody, anyone, or a person", "nobody", "anyone")

_WATCH = _table(
    "what to look at: one value, several, who is home, or a moment",
    {
        **_ASKED,
        **_HOLDS,
        "all": _list("all of these", _PART),
        "any": _list("one of these", _PART),
        "at_least": {"type": "integer", "minimum": 1, "description": "so many of those in `of`"},
        "of": _list("those of which so many must be so", _PART),
        "home": _HOME,
        "at": _TIME,
        "every": _text("again and again, from midnight on", "15 min"),
        "rule": _text("a rule of the calendar (RFC 5545)", "FREQ=MONTHLY;BYDAY=1SU;BYHOUR=9"),
        "from": {
            "description": "the day from which a rule counts",
            "examples": ["2026-12-01"],
        },
        "lasts": _text("so long after a moment it ends", "20 min"),
    },
)

_ONLY = _table(
    "when it may act",
    {
        "between": {
            "description": "from when to when",
            "examples": ["06:00-22:00", ["sunset", "23:30"]],
            "anyOf": [{"type": "string"}, {"type": "array", "items": _TIME}],
        },
        "days": _list("on these days", {"type": "string", "enum": list(DAY_NAMES)}),
        "dates": _list("on these dates", _text("a day, or two", "12-24..12-26", "05-01")),
        "when": _list("only while all of these are so", _STATE),
        "home": _HOME,
    },
)

_ACTION: Schema = _table(
    "one action",
    {
        "switch": _text("switch this", "cellar-mister/switch"),
        "set": _text("set this to a value, or a node's own setting", "loft-lamp/level"),
        "do": _text("have a node do this, node/action", "drying-vent/open"),
        "scene": _text("recall this scene", "evening"),
        "run": _text("run this sequence", "close-up"),
        "notify": _text("send a notice to everyone, or to a person", "everyone"),
        "mail": _text("send a mail to everyone, or to a person", "ada"),
        "post": _text("post to the addresses of everyone, or of a person", "everyone"),
        "announce": _text("have loudspeakers say it", "everyone"),
        "picture": _text("a camera's picture with it", "http://192.0.2.30/snapshot.jpg"),
        "urgent": {"type": "boolean", "description": "it comes in quiet hours too"},
        "wait": _text("what follows comes so much later", "10 min"),
        "wait_until": {**_STATE, "description": "what follows comes once this is so"},
        "branch": _list("the first of these whose `when` is so", {"type": "object"}),
        "together": _list("these side by side", {"type": "object"}),
        "duty": _text("put this automation on duty, or take it off", "cellar-too-dry"),
        "to": _text("the state or value; or the other state", "on", "off", "other", "40 %"),
        "for": _text("so long, and then back", "5 min"),
        "taking": _text("it goes there slowly, within this time", "3 s"),
        "with": {
            "type": "object",
            "description": "what the sequence takes, or the node wants to know",
            "additionalProperties": {"type": "string"},
        },
        "title": _text("the notice's title; {value}, {room} and others stand for values"),
        "text": _text("the notice's text", "{value} for {held}"),
        "confirmed": _text("what follows comes once the node has done it, within", "30 s"),
        "at_most": _text("wait no longer than this", "1 h"),
        "otherwise": _text("when it never was", one_of=("go on", "stop")),
    },
)

_NOTICE = ("notify", "title", "text", "picture", "urgent")
_REMIND = _table(
    "a notice again and again while it lasts",
    {
        "every": _text("so often", "15 min"),
        "at_most": {"type": "integer", "minimum": 1, "description": "so many of them"},
        **{key: _ACTION["properties"][key] for key in _NOTICE},
    },
    required=["every", "notify", "title"],
)


def schema() -> Schema:
    """The schema of the text of an automation, once it is read from TOML."""
    assert set(COMPARISONS) <= set(_COMPARED), "each comparison is described"
    assert set(ACTIONS) <= set(_ACTION["properties"]), "each action is described"
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "An automation of Hombi",
        "version": LANGUAGE,
        **_table(
            "What the house does by itself.",
            {
                "name": _text("what it does, in a few words", "Cellar too dry"),
                "about": _text("a note for people"),
                "again": _text("a start while its actions still wait", one_of=tuple(Again)),
                "pause": _text("so long between two starts", "1 h"),
                "watch": _WATCH,
                "only": _ONLY,
                "starts": _list("when it starts, in this order", _ACTION),
                "ends": _list("when it ends, in this order", _ACTION),
                "remind": _list("notices while it lasts", _REMIND),
            },
            required=["name", "watch"],
        ),
    }
