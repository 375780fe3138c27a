"""From the text of an automation to its meaning, or to every mistake in it with its
line and column."""

from __future__ import annotations

import re
import string
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from hombi.core.automation.model import (
    DAY_NAMES,
    Action,
    Automation,
    Condition,
    Lost,
    Notify,
    Only,
    Switch,
    Watch,
)
from hombi.core.errors import ValueTextError
from hombi.core.house_facts import EntityFacts, HouseFacts, did_you_mean
from hombi.core.kinds import KINDS, Kind
from hombi.core.toml_text import Mistake, Path, TomlText, read_toml
from hombi.core.values import parse_span_ms, parse_value, show_limit

TEXT_FIELDS = ("name", "entity", "room", "value", "limit", "held")
_NOT_EMPTY = frozenset({"held", "until", "between", "lost"})
_HOURS = re.compile(r"\s*(\d{1,2}):(\d{2})\s*-\s*(\d{1,2}):(\d{2})\s*")
_DAYS = dict(zip(DAY_NAMES, range(7), strict=True))


@dataclass(frozen=True, slots=True)
class Parsed:
    """What came of a text: the automation, or the mistakes that stand in its way (in
    the order of the text).

    `partly` is what can be done of it where only some of its actions cannot (a node is
    gone, a person has left). `warnings` do not stand in its way.
    """

    automation: Automation | None
    mistakes: tuple[Mistake, ...]
    warnings: tuple[Mistake, ...] = ()
    partly: Automation | None = None


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
    if "starts" not in toml.data:
        toml.blame(
            (),
            "an automation without [[starts]] does nothing",
            'add a [[starts]] with switch = "…" or notify = "everyone"',
        )
    elsewhere = len(toml.mistakes)
    starts, ends = _actions(toml, "starts", facts), _actions(toml, "ends", facts)
    mistakes = tuple(sorted(toml.mistakes, key=lambda m: (m.place.line, m.place.column)))
    if watch is None:
        return Parsed(None, mistakes)
    automation = Automation(name, about, watch, only, starts, ends)
    if mistakes:
        return Parsed(None, mistakes, partly=automation if not elsewhere else None)
    return Parsed(automation, (), _warnings(toml, automation))


def _warnings(toml: TomlText, automation: Automation) -> tuple[Mistake, ...]:
    """What is allowed and hardly meant: it switches what it watches, back and forth
    without end."""
    watch, known = automation.watch, len(toml.mistakes)
    for number, action in enumerate(automation.starts):
        if (
            not isinstance(action, Switch)
            or action.entity != watch.entity
            or not watch.ends_with(action.to)
        ):
            continue
        if any(
            isinstance(a, Switch) and a.entity == watch.entity and watch.starts_with(a.to)
            for a in automation.ends
        ):
            toml.blame(
                ("starts", number, "switch"),
                "it switches what it watches, and its end switches that back: it would "
                "start itself again and again",
                "the hub stops it after a few rounds; leave one of the two out, or give "
                "it a time to hold",
            )
    warnings = tuple(toml.mistakes[known:])
    del toml.mistakes[known:]
    return warnings


def _only_keys(toml: TomlText, path: Path, table: dict[str, Any], known: set[str]) -> None:
    for key in table:
        if key not in known:
            hint = did_you_mean(key, known) or f"known here: {', '.join(sorted(known))}"
            toml.blame((*path, key), f"{key!r} means nothing here", hint, at_value=False)


def _text(
    toml: TomlText, path: Path, table: dict[str, Any], key: str, *, required: bool = False
) -> str:
    value = table.get(key)
    if value is None:
        if required:
            toml.blame(path, f"{key} is missing", f'add {key} = "…"')
        return ""
    if not isinstance(value, str):
        toml.blame(
            (*path, key),
            f"{key} must be a text in quotes",
            f'write {key} = "{_instead(key, value)}"',
        )
        return ""
    if not value.strip() and (required or key in _NOT_EMPTY):
        toml.blame((*path, key), f"{key} is empty", "" if required else f"leave {key} out")
        return ""
    if odd := next(
        (sign for sign in value if unicodedata.category(sign) == "Cc" and sign not in "\n\r\t"),
        None,
    ):
        toml.blame((*path, key), f"{key} holds a control character (U+{ord(odd):04X})", "delete it")
        return ""
    return value


def _instead(key: str, value: object) -> str:
    """What a person who wrote this probably meant."""
    if isinstance(value, bool):
        return ("off", "on")[value] if key == "to" else str(value).lower()
    return f"{value} min" if key == "held" else str(value)


def _table(toml: TomlText, key: str) -> dict[str, Any] | None:
    table = toml.data.get(key)
    if table is None:
        return None
    if not isinstance(table, dict):
        toml.blame(
            (key,), f"{key} must be a table", f"write [{key}] on a line of its own", at_value=False
        )
        return None
    return table


def _entity(toml: TomlText, path: Path, address: str, facts: HouseFacts) -> EntityFacts | None:
    found = facts.entities.get(address)
    if found is None and address:
        toml.blame(
            path,
            f"no entity {address}",
            did_you_mean(address, facts.entities) or "`hombi entities` lists them",
        )
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
    _only_keys(toml, ("watch",), table, {"entity", "held", "until", "lost", *Condition})
    address = _text(toml, ("watch",), table, "entity", required=True)
    entity = _entity(toml, ("watch", "entity"), address, facts)
    if len(conditions) != 1:
        what = (
            "[watch] names no limit"
            if not conditions
            else f"[watch] has {' and '.join(conditions)}"
        )
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
        toml.blame(
            ("watch", condition),
            f"a {entity.kind.name} is not over or under",
            f'write is = "{entity.kind.words[1]}"',
        )
    until = None
    if "until" in table:
        until = _quantity(toml, ("watch", "until"), table["until"], entity.kind)
        if condition is Condition.IS:
            toml.blame(
                ("watch", "until"),
                "until goes with over and under",
                "with is, it ends when the value is another one",
            )
        elif (
            limit is not None
            and until is not None
            and (until > limit if condition is Condition.OVER else until < limit)
        ):
            side = "below" if condition is Condition.OVER else "above"
            toml.blame(
                ("watch", "until"),
                f"until must lie {side} the limit, {show_limit(limit, entity.kind)}",
            )
    if limit is None:
        return None
    kind, shown = entity.kind, show_limit(limit, entity.kind)
    if condition is Condition.OVER and limit >= kind.high and kind.words is None:
        toml.blame(
            ("watch", "over"),
            f"a {kind.name} is never over {shown}",
            f"it goes up to {show_limit(kind.high, kind)}",
        )
    elif condition is Condition.UNDER and limit <= kind.low and kind.words is None:
        toml.blame(
            ("watch", "under"),
            f"a {kind.name} is never under {shown}",
            f"it goes down to {show_limit(kind.low, kind)}",
        )
    return Watch(address, kind, condition, limit, until, held_ms, _lost(toml, table))


def _lost(toml: TomlText, table: dict[str, Any]) -> Lost:
    word = _text(toml, ("watch",), table, "lost")
    if word and word not in tuple(Lost):
        toml.blame(("watch", "lost"), f"{word!r} is neither end nor stay", 'write lost = "end"')
        return Lost.END
    return Lost(word) if word else Lost.END


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
            toml.blame(
                ("only", "between"), f"{hours!r} are no hours", 'write between = "06:00-22:00"'
            )
        elif minutes[0] == minutes[1]:
            toml.blame(
                ("only", "between"),
                "these hours begin and end at the same time",
                "leave between out for the whole day",
            )
        else:
            between = (minutes[0], minutes[1])
    days = table.get("days", [])
    if not isinstance(days, list):
        toml.blame(("only", "days"), "days is a list", 'write days = ["mon", "tue"]')
        days = []
    elif not days and "days" in table:
        toml.blame(("only", "days"), "days is empty", "leave days out for every day")
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
        toml.blame(
            (edge,),
            f"{edge} is a list of actions",
            f"write [[{edge}]] with two brackets",
            at_value=False,
        )
        return ()
    if not tables and edge in toml.data:
        what = "does nothing" if edge == "starts" else "is empty"
        toml.blame(
            (edge,),
            f"{edge} = [] {what}",
            f"add a [[{edge}]] with an action" + (", or leave it out" if edge == "ends" else ""),
        )
    actions = (_action(toml, (edge, number), table, facts) for number, table in enumerate(tables))
    return tuple(action for action in actions if action is not None)


def _action(toml: TomlText, path: Path, table: dict[str, Any], facts: HouseFacts) -> Action | None:
    if ("switch" in table) == ("notify" in table):
        toml.blame(
            path,
            "an action is one of switch, notify",
            'give either switch = "node/entity" or notify = "everyone"',
        )
        return None
    if "switch" in table:
        _only_keys(toml, path, table, {"switch", "to"})
        address = _text(toml, path, table, "switch", required=True)
        entity = _entity(toml, (*path, "switch"), address, facts)
        if entity is not None and not (entity.writable and entity.kind.name == "switch"):
            toml.blame(
                (*path, "switch"), f"{address} cannot be switched", _switchable(address, facts)
            )
        to = _text(toml, path, table, "to", required=True)
        value = _quantity(toml, (*path, "to"), to, KINDS["switch"]) if to else None
        if entity is None or value is None or not entity.writable:
            return None
        return Switch(address, value)
    _only_keys(toml, path, table, {"notify", "title", "text"})
    to = _text(toml, path, table, "notify", required=True)
    unknown = bool(to) and to != "everyone" and to not in facts.people
    if unknown:
        known = {"everyone", *facts.people}
        toml.blame(
            (*path, "notify"),
            f"nobody here is called {to}",
            did_you_mean(to, known) or f"use {', '.join(sorted(known))}",
        )
    title = _text(toml, path, table, "title", required=True)
    text = _text(toml, path, table, "text")
    for key, template in (("title", title), ("text", text)):
        _check_template(toml, (*path, key), template)
    return None if unknown or not title else Notify(to, title, text)


def _switchable(address: str, facts: HouseFacts) -> str:
    switches = [a for a, f in facts.entities.items() if f.writable and f.kind.name == "switch"]
    return did_you_mean(address, switches) or (
        f"these can: {', '.join(sorted(switches)[:4])}" if switches else "nothing here can yet"
    )


def _check_template(toml: TomlText, path: Path, template: str) -> None:
    try:
        fields = [found for found in string.Formatter().parse(template) if found[1] is not None]
    except ValueError:
        toml.blame(path, "a brace stands alone in this text", "write {{ or }} for a brace itself")
        return
    for _, name, form, conversion in fields:
        if form or conversion:
            sign = f":{form}" if form else f"!{conversion}"
            toml.blame(
                path, f"{{{name}{sign}}} has a format, and there are none here", f"write {{{name}}}"
            )
        elif name and name not in TEXT_FIELDS:
            hint = did_you_mean(name, TEXT_FIELDS) or f"known: {', '.join(TEXT_FIELDS)}"
            toml.blame(path, f"{{{name}}} stands for nothing", hint)
        elif not name:
            toml.blame(path, "{} stands for nothing", f"known: {', '.join(TEXT_FIELDS)}")


def fill(template: str, fields: Mapping[str, str]) -> str:
    """The text of a notice: each {field} replaced by what it stands for. Never raises
    for a template that was checked."""
    parts = []
    for plain, name, _, _ in string.Formatter().parse(template):
        parts.append(plain)
        if name is not None:
            parts.append(fields.get(name, f"{{{name}}}"))
    return "".join(parts)
