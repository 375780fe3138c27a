"""From the text of an automation to its meaning, or to every mistake in it with its line and column."""

from __future__ import annotations

import re
import string
from dataclasses import dataclass
from typing import Any

from hombi.core.automation.model import DAY_NAMES, Action, Automation, Condition, Notify, Only, Switch, Watch
from hombi.core.errors import ValueTextError
from hombi.core.house_facts import EntityFacts, HouseFacts, did_you_mean
from hombi.core.kinds import KINDS, Kind
from hombi.core.toml_text import Mistake, Path, TomlText, read_toml
from hombi.core.values import parse_span_ms, parse_value, show_limit

TEXT_FIELDS = ("name", "entity", "room", "value", "limit", "held")
_HOURS = re.compile(r"\s*(\d{1,2}):(\d{2})\s*-\s*(\d{1,2}):(\d{2})\s*")
_DAYS = dict(zip(DAY_NAMES, range(7), strict=True))


@dataclass(frozen=True, slots=True)
class Parsed:
    """What came of a text: the automation, or the mistakes that stand in its way (in the order of the text)."""

    automation: Automation | None
    mistakes: tuple[Mistake, ...]


def parse(text: str, facts: HouseFacts) -> Parsed:
    """Understand the text of an automation against the entities and people of a house.

    Never raises for what stands in the text: all that is wrong is in `mistakes`.
    """
    toml = read_toml(text)
    if toml.mistakes:
        return Parsed(None, tuple(toml.mistakes))
    _only_keys(toml, (), toml.data, {"name", "about", "watch", "only", "starts", "ends"})
    name = _text(toml, (), toml.data, "name", required=True)
    about = _text(toml, (), toml.data, "about")
    watch = _watch(toml, facts)
    only = _only(toml)
    starts, ends = _actions(toml, "starts", facts), _actions(toml, "ends", facts)
    if not starts and "starts" not in toml.data:
        toml.blame((), "an automation without [[starts]] does nothing", 'add a [[starts]] with switch = "…" or notify = "everyone"')
    mistakes = tuple(sorted(toml.mistakes, key=lambda m: (m.place.line, m.place.column)))
    if mistakes or watch is None:
        return Parsed(None, mistakes)
    return Parsed(Automation(name, about, watch, only, starts, ends), ())


def _only_keys(toml: TomlText, path: Path, table: dict[str, Any], known: set[str]) -> None:
    for key in table:
        if key not in known:
            hint = did_you_mean(key, known) or f"known here: {', '.join(sorted(known))}"
            toml.blame((*path, key), f"{key!r} means nothing here", hint, at_value=False)


def _text(toml: TomlText, path: Path, table: dict[str, Any], key: str, *, required: bool = False) -> str:
    value = table.get(key)
    if value is None:
        if required:
            toml.blame(path, f"{key} is missing", f'add {key} = "…"')
        return ""
    if not isinstance(value, str):
        toml.blame((*path, key), f"{key} must be a text in quotes", f'write {key} = "{value}"')
        return ""
    if required and not value.strip():
        toml.blame((*path, key), f"{key} is empty")
    return value


def _table(toml: TomlText, key: str) -> dict[str, Any] | None:
    table = toml.data.get(key)
    if table is None:
        return None
    if not isinstance(table, dict):
        toml.blame((key,), f"{key} must be a table", f"write [{key}] on a line of its own", at_value=False)
        return None
    return table


def _entity(toml: TomlText, path: Path, address: str, facts: HouseFacts) -> EntityFacts | None:
    found = facts.entities.get(address)
    if found is None and address:
        toml.blame(path, f"no entity {address}", did_you_mean(address, facts.entities) or "`hombi entities` lists them")
    return found


def _quantity(toml: TomlText, path: Path, value: object, kind: Kind) -> float | None:
    if not isinstance(value, str):
        shown = f"{value} {kind.unit}".strip()
        toml.blame(path, "a value is a text with its unit", f'write "{shown}"')
        return None
    try:
        return parse_value(value, kind)
    except ValueTextError as error:
        toml.blame(path, str(error))
        return None


def _watch(toml: TomlText, facts: HouseFacts) -> Watch | None:
    table = _table(toml, "watch")
    if table is None:
        if "watch" not in toml.data:
            toml.blame((), "there is no [watch]", "an automation looks at one entity")
        return None
    conditions = [c for c in Condition if c in table]
    _only_keys(toml, ("watch",), table, {"entity", "held", "until", *Condition})
    address = _text(toml, ("watch",), table, "entity", required=True)
    entity = _entity(toml, ("watch", "entity"), address, facts)
    if len(conditions) != 1:
        what = "[watch] names no limit" if not conditions else f"[watch] has {' and '.join(conditions)}"
        toml.blame(("watch",), what, "give one of over, under, is")
        return None
    condition = conditions[0]
    held_ms = 0
    if (held := _text(toml, ("watch",), table, "held")) != "":
        try:
            held_ms = parse_span_ms(held)
        except ValueTextError as error:
            toml.blame(("watch", "held"), str(error))
    if entity is None:
        return None
    limit = _quantity(toml, ("watch", condition), table[condition], entity.kind)
    if entity.kind.words is not None and condition is not Condition.IS:
        toml.blame(("watch", condition), f"a {entity.kind.name} is not over or under", f'write is = "{entity.kind.words[1]}"')
    until = None
    if "until" in table:
        until = _quantity(toml, ("watch", "until"), table["until"], entity.kind)
        if condition is Condition.IS:
            toml.blame(("watch", "until"), "until goes with over and under", "with is, it ends when the value is another one")
        elif limit is not None and until is not None and (until > limit if condition is Condition.OVER else until < limit):
            side = "below" if condition is Condition.OVER else "above"
            toml.blame(("watch", "until"), f"until must lie {side} the limit, {show_limit(limit, entity.kind)}")
    if limit is None:
        return None
    return Watch(address, entity.kind, condition, limit, until, held_ms)


def _only(toml: TomlText) -> Only:
    table = _table(toml, "only")
    if table is None:
        return Only()
    _only_keys(toml, ("only",), table, {"between", "days"})
    between = None
    if (hours := _text(toml, ("only",), table, "between")) != "":
        match = _HOURS.fullmatch(hours)
        minutes = [int(match[i]) * 60 + int(match[i + 1]) for i in (1, 3)] if match else []
        if match is None or int(match[2]) > 59 or int(match[4]) > 59 or max(minutes) > 24 * 60:
            toml.blame(("only", "between"), f"{hours!r} are no hours", 'write between = "06:00-22:00"')
        elif minutes[0] == minutes[1]:
            toml.blame(("only", "between"), "these hours begin and end at the same time", "leave between out for the whole day")
        else:
            between = (minutes[0], minutes[1])
    days = table.get("days", [])
    if not isinstance(days, list):
        toml.blame(("only", "days"), "days is a list", 'write days = ["mon", "tue"]')
        days = []
    chosen = set()
    for number, day in enumerate(days):
        if isinstance(day, str) and day.lower() in _DAYS:
            chosen.add(_DAYS[day.lower()])
        else:
            hint = did_you_mean(str(day).lower(), DAY_NAMES) or f"days are {', '.join(DAY_NAMES)}"
            toml.blame(("only", "days", number), f"{day!r} is no day", hint)
    return Only(between, frozenset(chosen))


def _actions(toml: TomlText, edge: str, facts: HouseFacts) -> tuple[Action, ...]:
    tables = toml.data.get(edge, [])
    if not isinstance(tables, list) or not all(isinstance(t, dict) for t in tables):
        toml.blame((edge,), f"{edge} is a list of actions", f"write [[{edge}]] with two brackets", at_value=False)
        return ()
    actions = (_action(toml, (edge, number), table, facts) for number, table in enumerate(tables))
    return tuple(action for action in actions if action is not None)


def _action(toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts) -> Action | None:
    if ("switch" in table) == ("notify" in table):
        toml.blame(path, "an action is one of switch, notify", 'give either switch = "node/entity" or notify = "everyone"')
        return None
    if "switch" in table:
        _only_keys(toml, path, table, {"switch", "to"})
        address = _text(toml, path, table, "switch", required=True)
        entity = _entity(toml, (*path, "switch"), address, facts)
        if entity is not None and not (entity.writable and entity.kind.name == "switch"):
            toml.blame((*path, "switch"), f"{address} cannot be switched", _switchable(address, facts))
        to = _text(toml, path, table, "to", required=True)
        value = _quantity(toml, (*path, "to"), to, KINDS["switch"]) if to else None
        return None if value is None else Switch(address, value)
    _only_keys(toml, path, table, {"notify", "title", "text"})
    to = _text(toml, path, table, "notify", required=True)
    if to and to != "everyone" and to not in facts.people:
        known = {"everyone", *facts.people}
        toml.blame((*path, "notify"), f"nobody here is called {to}", did_you_mean(to, known) or f"use {', '.join(sorted(known))}")
    title = _text(toml, path, table, "title", required=True)
    text = _text(toml, path, table, "text")
    for key, template in (("title", title), ("text", text)):
        _check_template(toml, (*path, key), template)
    return Notify(to, title, text)


def _switchable(address: str, facts: HouseFacts) -> str:
    switches = [a for a, f in facts.entities.items() if f.writable and f.kind.name == "switch"]
    return did_you_mean(address, switches) or (
        f"these can: {', '.join(sorted(switches)[:4])}" if switches else "nothing here can yet"
    )


def _check_template(toml: TomlText, path: Path, template: str) -> None:
    try:
        fields = [name for _, name, _, _ in string.Formatter().parse(template) if name is not None]
    except ValueError:
        toml.blame(path, "a brace stands alone in this text", "write {{ or }} for a brace itself")
        return
    for name in fields:
        if name not in TEXT_FIELDS:
            hint = did_you_mean(name, TEXT_FIELDS) or f"known: {', '.join(TEXT_FIELDS)}"
            toml.blame(path, f"{{{name}}} stands for nothing", hint)
