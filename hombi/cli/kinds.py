"""`hombi kinds`: what a value can be."""

from __future__ import annotations

from hombi.cli.drawing import as_json, table
from hombi.cli.run import Json, hub
from hombi.wire.entities import KindOfEntity


def kinds(json: Json = False) -> None:
    """The kinds of values there are: their units or words, and what nodes call them."""
    with hub() as h:
        entities = h.kinds()
    if json:
        as_json(k.as_dict() for k in entities)
        return
    rows = [(k.kind, k.title, _said_in(k), _believed(k), ", ".join(k.called)) for k in entities]
    table(("KIND", "NAME", "UNITS OR WORDS", "BELIEVED", "NODES ALSO CALL IT"), rows, "")


def _said_in(kind: KindOfEntity) -> str:
    if kind.own_words:
        return f"words of its own, or {', '.join(kind.words)}" if kind.words else "words of its own"
    if kind.words:
        return " or ".join(kind.words)
    if kind.kind == "turn":
        return "% to the right, or to the left"
    others = [unit for unit in kind.units if unit != kind.unit]
    return ", ".join(filter(None, (kind.unit, *others))) or "no unit"


def _believed(kind: KindOfEntity) -> str:
    if kind.words or kind.own_words:
        return ""
    return f"{kind.low:g} to {kind.high:g} {kind.unit}".rstrip()
