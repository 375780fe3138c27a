"""What `hombi now` shows: each value, and the parts of nodes that a household operates
(a lamp, a blind, a thermostat, a remote) as one line each."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text

from hombi.cli.drawing import ago, since, value
from hombi.wire.entities import Entity, Role

HEADINGS = ("ROOM", "ENTITY", "VALUE", "SINCE", "HEARD")
RIGHT = ("VALUE", "HEARD")
# The kinds of values that are shown together, in their order. The first stands for all.
TOGETHER: dict[Role, tuple[str, ...]] = {
    "lamp": ("switch", "level", "white", "hue", "saturation"),
    "covering": ("position", "tilt"),
    "thermostat": ("temperature", "choice", "activity", "level"),
    "remote": ("press", "turn"),
    "fan": ("choice", "level", "switch"),
}
Cells = tuple[str, str, Text, str, str]


def rows(entities: Sequence[Entity], *, apart: bool) -> list[Cells]:
    """The lines of the table; with `apart` each value has one of its own."""
    parts: dict[str, list[Entity]] = {}
    for entity in entities:
        key = "" if apart else _part(entity)
        parts.setdefault(key or entity.entity, []).append(entity)
    several = {key.partition(" ")[0] for key, part in parts.items() if len(part) > 1}
    alone = {node: sum(key.startswith(f"{node} ") for key in parts) == 1 for node in several}
    lines = [
        _line(part[0]) if len(part) == 1 else _joined(part, whole_node=alone[key.partition(" ")[0]])
        for key, part in parts.items()
    ]
    return sorted(lines, key=lambda cells: (cells[0], cells[1]))


def _part(entity: Entity) -> str:
    """The part of a node that a value is shown with: its node, a blank, its endpoint;
    "" for one that is shown by itself."""
    if not entity.endpoint or entity.kind not in TOGETHER.get(entity.role, ()):
        return ""
    return f"{entity.node} " if entity.role == "remote" else f"{entity.node} {entity.endpoint}"


def _line(entity: Entity) -> Cells:
    begun = since(entity.since)
    return entity.room or "–", entity.entity, value(entity), begun, ago(entity.heard_at)


def _joined(part: Sequence[Entity], *, whole_node: bool) -> Cells:
    """One line for a part: its main value, then the others with their names. Of a
    remote only what happened last."""
    kinds = TOGETHER[part[0].role]
    ordered = sorted(part, key=lambda one: (kinds.index(one.kind), one.writable))
    main = ordered[0]
    if main.role == "remote":
        main = max(part, key=lambda one: one.at or 0)
        text = Text.assemble(main.title.lower(), " ", value(main)) if main.at else value(main)
    else:
        named = [Text.assemble(", ", one.title.lower(), " ", value(one)) for one in ordered[1:]]
        text = Text.assemble(value(main), *named)
    address = main.node if whole_node else f"{main.node} {main.endpoint}"
    heard = max(one.heard_at or 0 for one in part)
    return main.room or "–", address, text, since(main.since), ago(heard or None)
