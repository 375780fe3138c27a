"""The pieces of a JSON Schema in which the words of the language are described."""

from __future__ import annotations

from typing import Any

Schema = dict[str, Any]


# What a text names, or stands for: an editor completes it from what is in the house.
TAKES = "x-takes"
LIMIT, ENTITY, SWITCH, SETTABLE = "limit", "entity", "switch", "settable"
SCENE, SEQUENCE, AUTOMATION, PERSON, HOME = "scene", "sequence", "automation", "person", "home"


def text(means: str, *examples: str, one_of: tuple[str, ...] = (), takes: str = "") -> Schema:
    """A text in quotes."""
    schema: Schema = {"type": "string", "description": means}
    if takes:
        schema[TAKES] = takes
    if examples:
        schema["examples"] = list(examples)
    if one_of:
        schema["enum"] = list(one_of)
    return schema


def table(means: str, properties: Schema, **more: Any) -> Schema:
    """A table with these keys and no others."""
    return {
        "type": "object",
        "description": means,
        "properties": properties,
        "additionalProperties": False,
        **more,
    }


def listed(means: str, of: Schema) -> Schema:
    """A list of such."""
    return {"type": "array", "description": means, "items": of}


def yes_or_no(means: str) -> Schema:
    """true or false."""
    return {"type": "boolean", "description": means}


def texts(means: str) -> Schema:
    """A table of texts by names of the writer's own."""
    return {
        "type": "object",
        "description": means,
        "additionalProperties": {"type": "string"},
    }
