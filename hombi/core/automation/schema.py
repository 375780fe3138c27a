"""The language of automations as a JSON Schema (2020-12), for editors: every key, what
it means, and what it can be. Whether a text is sound in this house, the check says.
"""

from __future__ import annotations

import json
import sys

from hombi.core.automation.actions import ACTIONS
from hombi.core.automation.comparisons import COMPARISONS
from hombi.core.automation.describing import HOME, LIMIT, Schema
from hombi.core.automation.describing import listed as _list
from hombi.core.automation.describing import table as _table
from hombi.core.automation.describing import text as _text
from hombi.core.automation.only import DAY_NAMES
from hombi.core.automation.program import Again
from hombi.core.automation.watch import Lost
from hombi.core.automation.watching import ENTITY, STATE
from hombi.core.sun import SUN

# Raised when a text of before would mean something else.
LANGUAGE = 1

_WATCHED: Schema = {
    "entity": ENTITY,
    **{word: compared.schema() for word, compared in COMPARISONS.items()},
}
_HOLDS: Schema = {
    "held": _text("so long before it starts", "10 min"),
    "until": _text("it ends when it is back at this value, or a formula", "86 %", takes=LIMIT),
    "until_held": _text("so long back before it ends", "5 min"),
    "lost": _text("when the value is not heard any more", one_of=tuple(Lost)),
    "times": _text("a press or the like must come so often within a time", "3 in 10 s"),
    "lasts": _text("so long after a moment, or a press, it ends", "20 min"),
}
_PART = _table("one that is watched", {**_WATCHED, **_HOLDS}, required=["entity"])
_TIME = _text("a time of the day", "06:45", *SUN[:2], "sunset - 20 min")
_HOME = _text("who is home: nobody, anyone, or a person", "nobody", "anyone", takes=HOME)

_WATCH = _table(
    "what to look at: one value, several, who is home, or a moment",
    {
        **_WATCHED,
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
        "when": _list("only while all of these are so", STATE),
        "home": _HOME,
    },
)

# The keys of all actions: an editor offers them beside one another.
_ACTION: Schema = _table(
    "one action",
    {key: schema for each in ACTIONS.values() for key, schema in each.keys.items()},
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
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "An automation of Hombi",
        "version": LANGUAGE,
        **_table(
            "What the house does by itself.",
            {
                "name": _text("what it does, in a few words"),
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


if __name__ == "__main__":
    sys.stdout.write(json.dumps(schema(), indent=2) + "\n")
