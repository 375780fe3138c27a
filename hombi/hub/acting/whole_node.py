"""Setting a node as a whole, or several of its values at once."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping
from types import MappingProxyType

from hombi.core.colours import colour_of
from hombi.core.errors import ValueTextError
from hombi.core.roles import COVERING_WORDS, SET_FIRST
from hombi.core.values import parse_span_ms
from hombi.hub.acting.actuation import Actuation, Command, outcome
from hombi.hub.errors import Invalid
from hombi.hub.house import Entity, Node
from hombi.hub.kernel import Actor, Change, Done, Right

# What is not one of a lamp's values, and sets several of them.
COLOUR = "colour"


class CommandNode(Change[Actuation, list[Command]], frozen=True):
    """Ask a node to take several values, each by its name ("level": "40 %") or as its
    "colour" ("teal", "#008080", "2700 K"), or as a whole (`to`: "on", "60 %", "teal"),
    and wait for it; it goes there within the time of `taking`. All that is asked is
    checked first. Raises NotFound, Invalid."""

    node: str
    to: str = ""
    values: Mapping[str, str] = MappingProxyType({})
    taking: str = ""

    feature = Actuation
    # Not for guests and walls, whose rights the API looks up by entity.
    right = Right.USE

    async def do(self, feature: Actuation, by: Actor) -> Done[list[Command]]:
        node = feature.house.node(self.node)
        wanted: list[tuple[Entity, float]] = []
        for name, to in self.values.items():
            if name == COLOUR and COLOUR not in (entity.name for entity in node.entities.values()):
                wanted += coloured(feature, node, to)
            else:
                wanted.append(feature.check(f"{node.address}/{name}", to))
        if self.to:
            wanted += meant(feature, node, self.to)
        if not wanted:
            raise Invalid("say what the node is to take, like level = 40 %")
        entities = [entity.address for entity, _ in wanted]
        if twice := next((one for one in entities if entities.count(one) > 1), ""):
            raise Invalid(f"{twice} cannot be two values at once")
        try:
            taking_ms = parse_span_ms(self.taking) if self.taking else 0
        except ValueTextError as error:
            raise Invalid(str(error)) from error
        asked = []
        for entity, value in wanted:
            feature.by_hand(entity, by)
            slowly = taking_ms if entity.kind.a_number else 0
            asked.append(feature.begin(entity, value, str(by), taking_ms=slowly))
        commands = list(await asyncio.gather(*asked))
        first, *rest = map(outcome, commands)
        return Done(commands, first, also=tuple(rest))


def coloured(feature: Actuation, node: Node, text: str) -> list[tuple[Entity, float]]:
    """What a colour comes to: a hue and a saturation, or a white in kelvin. Raises
    Invalid."""
    try:
        colour = colour_of(text)
    except ValueTextError as error:
        raise Invalid(str(error)) from error
    # Of several lamps on one node it is the first, as for "on".
    entities = reversed(list(node.entities.values()))
    settable = {e.kind.name: e.address for e in entities if e.writable}
    if colour is None:
        if "white" in settable and text.strip()[:1].isdigit():
            return [feature.check(settable["white"], text)]
        what = 'write a name of CSS like "teal", or "#008080", or "2700 K"'
        raise Invalid(f"{text!r} is no colour; {what}")
    if not {"hue", "saturation"} <= settable.keys():
        raise Invalid(f"{node.address} has no colours, only what `hombi now --node` shows")
    return [
        feature.check(settable["hue"], f"{colour.hue} °"),
        feature.check(settable["saturation"], f"{colour.saturation} %"),
    ]


def meant(feature: Actuation, node: Node, text: str) -> list[tuple[Entity, float]]:
    """What is meant where a node is to be something as a whole: "on" is its switch,
    "60 %" its position or its level, "teal" its colour. Raises Invalid."""
    writable = [entity for entity in node.entities.values() if entity.writable]
    kinds = {entity.kind.name for entity in writable}
    problems: list[str] = []
    if {"hue", "saturation"} <= kinds and _is_colour(text):
        return coloured(feature, node, text)
    for kind in SET_FIRST:
        for entity in (entity for entity in writable if entity.kind.name == kind):
            covers = kind == "position"
            written = COVERING_WORDS.get(text.strip().lower(), text) if covers else text
            try:
                return [feature.check(entity.address, written)]
            except Invalid as error:
                problems.append(str(error))
    if not problems:
        raise Invalid(f"{node.address} has nothing that can be set as a whole")
    names = ", ".join(entity.name for entity in writable)
    raise Invalid(problems[0] if len(problems) == 1 else f"{text!r} is none of its {names}")


def _is_colour(text: str) -> bool:
    try:
        return colour_of(text) is not None
    except ValueTextError:
        return True
