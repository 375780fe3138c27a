"""From the text of an automation to its program, or to every mistake in it with its
line and column."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from hombi.core.automation.actions import ACTIONS, Action, Notify, Wait
from hombi.core.automation.comparisons import COMPARISONS, Comparison
from hombi.core.automation.conflicts import warned
from hombi.core.automation.moments import Moment
from hombi.core.automation.moving import SIDES, Moving, read_moving
from hombi.core.automation.only import read_only
from hombi.core.automation.program import NOTHING, Lost, Program, Remind, Watch
from hombi.core.automation.text import entity, only_keys, quantity, span_ms, table, text
from hombi.core.house_facts import HouseFacts
from hombi.core.kinds import Kind
from hombi.core.names import slug
from hombi.core.toml_text import Mistake, Path, TomlText, read_toml
from hombi.core.values import show_span

_WORDS = ", ".join(COMPARISONS)
_TABLES = {"name", "about", "pause", "watch", "only", "starts", "ends", "remind"}
_CLOCK = re.compile(r"(\d{1,2}):(\d{2})")
SHORTEST_MS, DAY_MS = 60_000, 86_400_000
MOST_PARTS, MOST_REMINDERS, USUAL_REMINDERS, LEAST_EVERY_MS = 20, 100, 3, 10_000


@dataclass(frozen=True, slots=True)
class Parsed:
    """What came of a text: the program, or the mistakes that stand in its way (in the
    order of the text).

    `partly` is what can be done of it where only some of its actions cannot (a node is
    gone, a person has left). `warnings` do not stand in its way.
    """

    program: Program | None
    mistakes: tuple[Mistake, ...]
    warnings: tuple[Mistake, ...] = ()
    partly: Program | None = None


NO_OTHERS: Mapping[str, Program] = {}


def parse(source: str, facts: HouseFacts, others: Mapping[str, Program] = NO_OTHERS) -> Parsed:
    """Understand the text of an automation against the entities and people of a house,
    and warn of what does not go with the others that are on duty, by their addresses.

    Never raises for what stands in the text: all that is wrong is in `mistakes`.
    """
    toml = read_toml(source)
    if toml.mistakes:
        return Parsed(None, tuple(toml.mistakes))
    only_keys(toml, (), toml.data, _TABLES)
    name = text(toml, (), toml.data, "name", required=True)
    about = text(toml, (), toml.data, "about")
    watched = _watched(toml, facts)
    only, when = read_only(toml), _when(toml, facts)
    pause_ms = span_ms(toml, (), toml.data, "pause")
    if not {"starts", "ends", "remind"} & set(toml.data):
        what = "an automation without [[starts]] does nothing"
        toml.blame((), what, 'add a [[starts]] with switch = "…" or notify = "everyone"')
    elsewhere = len(toml.mistakes)
    starts, ends = _actions(toml, "starts", facts), _actions(toml, "ends", facts)
    reminds = _reminds(toml, facts)
    mistakes = tuple(sorted(toml.mistakes, key=lambda m: (m.place.line, m.place.column)))
    if watched is None:
        return Parsed(None, mistakes)
    first, *more = watched.parts
    program = Program(
        name, about, first, only, starts, ends, tuple(more), watched.need, when, pause_ms, reminds,
        watched.moment,
    )  # fmt: skip
    if mistakes:
        return Parsed(None, mistakes, partly=program if not elsewhere else None)
    return Parsed(program, (), _warnings(toml, program, others))


def _warnings(
    toml: TomlText, program: Program, others: Mapping[str, Program]
) -> tuple[Mistake, ...]:
    known = len(toml.mistakes)
    beside = {one.name: one for name, one in others.items() if name != slug(program.name)}
    for one in warned(program, beside):
        toml.blame(one.path, one.what, one.hint)
    warnings = tuple(toml.mistakes[known:])
    del toml.mistakes[known:]
    return warnings


@dataclass(frozen=True, slots=True)
class _Watched:
    """What [watch] comes to: its parts, and how many of them must be so."""

    parts: tuple[Watch, ...]
    need: int
    moment: Moment | None = None


_SEVERAL = ("all", "any", "of")


def _watched(toml: TomlText, facts: HouseFacts) -> _Watched | None:
    found = table(toml, "watch")
    if found is None:
        if "watch" not in toml.data:
            toml.blame((), "there is no [watch]", "an automation looks at one entity or several")
        return None
    if "at" in found or "every" in found:
        moment = _moment(toml, found)
        return None if moment is None else _Watched((NOTHING,), 1, moment)
    several = [key for key in _SEVERAL if key in found]
    if not several:
        one = _part(toml, ("watch",), found, facts)
        return None if one is None else _Watched((one,), 1)
    only_keys(toml, ("watch",), found, {*_SEVERAL, "at_least"})
    key = several[0]
    path: Path = ("watch", key)
    if len(several) > 1 or ("at_least" in found) != (key == "of"):
        hint = "write all = [ … ], any = [ … ], or at_least = 2 with of = [ … ]"
        toml.blame(path, "[watch] watches several in one way", hint)
        return None
    parts = _parts(toml, path, found[key], facts)
    if parts is None:
        return None
    if len(parts) < 2:
        toml.blame(path, f"{key} needs two or more", 'for one, write entity = "…" in [watch]')
        return None
    need = {"all": len(parts), "any": 1}.get(key, found.get("at_least", 1))
    if not isinstance(need, int) or isinstance(need, bool) or not 1 <= need <= len(parts):
        toml.blame(("watch", "at_least"), f"at_least is a number from 1 to {len(parts)}")
        return None
    return _Watched(parts, need)


def _moment(toml: TomlText, found: dict[str, Any]) -> Moment | None:
    """A moment of the clock."""
    only_keys(toml, ("watch",), found, {"at", "every", "lasts"})
    lasts_ms = span_ms(toml, ("watch",), found, "lasts")
    if "at" in found and "every" in found:
        toml.blame(("watch", "every"), "[watch] has at and every", "keep one of them")
        return None
    if "every" in found:
        text(toml, ("watch",), found, "every", required=True)
        every_ms = span_ms(toml, ("watch",), found, "every")
        if every_ms and not SHORTEST_MS <= every_ms <= DAY_MS:
            toml.blame(("watch", "every"), "every is from 1 min to 24 h")
            return None
        if every_ms and lasts_ms >= every_ms:
            toml.blame(("watch", "lasts"), "it must be over before it begins again")
            return None
        return Moment(None, every_ms, lasts_ms) if every_ms else None
    clock = text(toml, ("watch",), found, "at", required=True)
    match = _CLOCK.fullmatch(clock)
    if match is None or int(match[1]) > 23 or int(match[2]) > 59:
        if clock:
            toml.blame(("watch", "at"), f"{clock!r} is no time of the day", 'write at = "06:45"')
        return None
    if lasts_ms >= DAY_MS:
        toml.blame(("watch", "lasts"), "it must be over before it begins again")
        return None
    return Moment(int(match[1]) * 60 + int(match[2]), 0, lasts_ms)


def _parts(
    toml: TomlText, path: Path, given: object, facts: HouseFacts, *, held: bool = True
) -> tuple[Watch, ...] | None:
    """Several that are watched, one table each."""
    if not isinstance(given, list) or not all(isinstance(one, dict) for one in given):
        hint = 'write [ { entity = "…", over = "…" }, … ]'
        toml.blame(path, f"{path[-1]} is a list of tables in braces", hint)
        return None
    if len(given) > MOST_PARTS:
        toml.blame(path, f"{path[-1]} has {MOST_PARTS} at most, not {len(given)}")
        return None
    found = [_part(toml, (*path, n), one, facts, held=held) for n, one in enumerate(given)]
    known = tuple(one for one in found if one is not None)
    return known if len(known) == len(found) else None


def _part(
    toml: TomlText, path: Path, found: dict[str, Any], facts: HouseFacts, *, held: bool = True
) -> Watch | None:
    words = [word for word in COMPARISONS if word in found]
    known_keys = {"entity", *COMPARISONS, *({"held", "until", "lost"} if held else ())}
    only_keys(toml, path, found, known_keys)
    address = text(toml, path, found, "entity", required=True)
    known = entity(toml, (*path, "entity"), address, facts)
    if len(words) != 1:
        named = f"[{path[0]}]" if len(path) == 1 else "this"
        what = f"{named} has {' and '.join(words)}" if words else f"{named} names no limit"
        toml.blame(path, what, f"give one of {_WORDS}")
        return None
    held_ms = span_ms(toml, path, found, "held")
    lost = _lost(toml, path, found)
    if known is None:
        return None
    plain, moving = read_moving(toml, path, found, words[0], known.kind, facts)
    if moving is None and words[0] not in plain:
        return None  # it was blamed
    if moving is None:
        comparison = COMPARISONS[words[0]].parse(toml, path, plain, known.kind)
    else:
        comparison = _sides(toml, path, plain, moving, known.kind)
    if comparison is None:
        return None
    return Watch(address, known.kind, comparison, held_ms, lost, moving)


def _sides(
    toml: TomlText, path: Path, plain: dict[str, Any], moving: Moving, kind: Kind
) -> Comparison | None:
    """A comparison whose limits follow other values; what is fixed of them is in it."""
    if kind.words is not None:
        toml.blame(path, f"a {kind.name} has two states, and follows no limit")
        return None
    until = quantity(toml, (*path, "until"), plain["until"], kind) if "until" in plain else None
    limit = math.nan
    if moving.limit is None and moving.word in plain:
        limit = quantity(toml, (*path, moving.word), plain[moving.word], kind) or math.nan
    return SIDES[moving.word](limit, until)


def _lost(toml: TomlText, path: Path, found: dict[str, Any]) -> Lost:
    word = text(toml, path, found, "lost")
    if word and word not in tuple(Lost):
        toml.blame((*path, "lost"), f"{word!r} is neither end nor stay", 'write lost = "end"')
        return Lost.END
    return Lost(word) if word else Lost.END


def _when(toml: TomlText, facts: HouseFacts) -> tuple[Watch, ...]:
    """What must be so beside the hours: [only] when = [ … ]."""
    found = toml.data.get("only")
    if not isinstance(found, dict) or "when" not in found:
        return ()
    return _parts(toml, ("only", "when"), found["when"], facts, held=False) or ()


def _reminds(toml: TomlText, facts: HouseFacts) -> tuple[Remind, ...]:
    tables = toml.data.get("remind", [])
    if not isinstance(tables, list) or not all(isinstance(one, dict) for one in tables):
        what, hint = "remind is a list of reminders", "write [[remind]] with two brackets"
        toml.blame(("remind",), what, hint, at_value=False)
        return ()
    made = []
    for number, found in enumerate(tables):
        path: Path = ("remind", number)
        text(toml, path, found, "every", required=True)
        every_ms = span_ms(toml, path, found, "every")
        most = found.get("at_most", USUAL_REMINDERS)
        if not isinstance(most, int) or isinstance(most, bool) or not 1 <= most <= MOST_REMINDERS:
            toml.blame((*path, "at_most"), f"at_most is a number from 1 to {MOST_REMINDERS}")
            most = 1
        rest = {key: one for key, one in found.items() if key not in ("every", "at_most")}
        notify = Notify.parse(toml, path, rest, facts)
        if every_ms and every_ms < LEAST_EVERY_MS:
            toml.blame((*path, "every"), f"{show_span(LEAST_EVERY_MS)} is the shortest")
        elif every_ms and notify is not None:
            made.append(Remind(every_ms, most, notify))
    return tuple(made)


def _actions(toml: TomlText, edge: str, facts: HouseFacts) -> tuple[Action | Wait, ...]:
    tables = toml.data.get(edge, [])
    if not isinstance(tables, list) or not all(isinstance(t, dict) for t in tables):
        what, hint = f"{edge} is a list of actions", f"write [[{edge}]] with two brackets"
        toml.blame((edge,), what, hint, at_value=False)
        return ()
    if not tables and edge in toml.data:
        starts = edge == "starts"
        what = f"{edge} = [] {'does nothing' if starts else 'is empty'}"
        hint = f"add a [[{edge}]] with an action" + ("" if starts else ", or leave it out")
        toml.blame((edge,), what, hint)
    actions = (_action(toml, (edge, n), found, facts) for n, found in enumerate(tables))
    return tuple(action for action in actions if action is not None)


def _action(
    toml: TomlText, path: Path, found: dict[str, Any], facts: HouseFacts
) -> Action | Wait | None:
    words = [word for word in ACTIONS if word in found]
    if len(words) != 1:
        what = f"an action is one of {', '.join(ACTIONS)}"
        toml.blame(path, what, 'give either switch = "node/entity" or notify = "everyone"')
        return None
    made: Action | Wait | None = ACTIONS[words[0]].parse(toml, path, found, facts)
    return made
