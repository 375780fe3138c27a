"""From the text of an automation to its program, or to every mistake in it with its
line and column."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from hombi.core.automation.actions import Notify, Step, read_action
from hombi.core.automation.actions.sequence import MOST_IN_ALL
from hombi.core.automation.conflicts import warned
from hombi.core.automation.homes import HOME_KEYS, read_home
from hombi.core.automation.moments import Moment
from hombi.core.automation.only import read_only
from hombi.core.automation.program import NOTHING, Again, Program, Remind
from hombi.core.automation.rules import read_rule
from hombi.core.automation.text import only_keys, span_ms, table, text
from hombi.core.automation.times import read_time
from hombi.core.automation.watch import Watch
from hombi.core.automation.watching import read_part, read_parts
from hombi.core.house_facts import HouseFacts
from hombi.core.names import slug
from hombi.core.toml_text import Mistake, Path, TomlText, read_toml
from hombi.core.values import show_span

_TABLES = {"name", "about", "again", "pause", "watch", "only", "starts", "ends", "remind"}
MOMENTS = ("at", "every", "rule")
SHORTEST_MS, DAY_MS = 60_000, 86_400_000
MOST_REMINDERS, USUAL_REMINDERS, LEAST_EVERY_MS = 100, 3, 10_000


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
    facts = replace(facts, steps_left=[MOST_IN_ALL])
    only_keys(toml, (), toml.data, _TABLES)
    name = text(toml, (), toml.data, "name", required=True)
    about = text(toml, (), toml.data, "about")
    watched = _watched(toml, facts)
    only, when = read_only(toml, facts), _when(toml, facts)
    home, anyone = _home(toml, facts)
    pause_ms = span_ms(toml, (), toml.data, "pause")
    again = _again(toml)
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
        name, about, first, only, starts, ends, tuple(more), watched.need, (*when, *home),
        pause_ms, reminds, watched.moment, again, anyone,
    )  # fmt: skip
    if mistakes:
        return Parsed(None, mistakes, partly=program if not elsewhere else None)
    return Parsed(program, (), _warnings(toml, program, facts, others))


def _warnings(
    toml: TomlText, program: Program, facts: HouseFacts, others: Mapping[str, Program]
) -> tuple[Mistake, ...]:
    beside = {one.name: one for name, one in others.items() if name != slug(program.name)}
    for one in warned(program, beside, facts):
        toml.warn(one.path, one.what, one.hint)
    return tuple(toml.warnings)


@dataclass(frozen=True, slots=True)
class _Watched:
    """What [watch] comes to: its parts, and how many of them must be so."""

    parts: tuple[Watch, ...]
    need: int
    moment: Moment | None = None


_SEVERAL = ("all", "any", "of")


def _watched(toml: TomlText, facts: HouseFacts) -> _Watched | None:
    result = table(toml, "watch")
    if result is None:
        if "watch" not in toml.data:
            toml.blame((), "there is no [watch]", "an automation looks at one entity or several")
        return None
    if any(word in result for word in MOMENTS):
        moment = _moment(toml, result, facts)
        return None if moment is None else _Watched((NOTHING,), 1, moment)
    if "home" in result:
        only_keys(toml, ("watch",), result, HOME_KEYS)
        home = read_home(toml, ("watch",), result, facts)
        return None if home is None else _Watched(*home)
    several = [key for key in _SEVERAL if key in result]
    if not several:
        watch = read_part(toml, ("watch",), result, facts)
        return None if watch is None else _Watched((watch,), 1)
    only_keys(toml, ("watch",), result, {*_SEVERAL, "at_least"})
    key = several[0]
    path: Path = ("watch", key)
    if len(several) > 1 or ("at_least" in result) != (key == "of"):
        hint = "write all = [ … ], any = [ … ], or at_least = 2 with of = [ … ]"
        toml.blame(path, "[watch] watches several in one way", hint)
        return None
    parts = read_parts(toml, path, result[key], facts)
    if parts is None:
        return None
    happen = [part.happens for part in parts]
    if any(happen) and not (key == "any" and all(happen)):
        hint = "watch it alone or with others that happen in any; ask for states in [only] when"
        toml.blame(path, "what happens, like a press, is not so beside others", hint)
        return None
    if len(parts) < 2:
        toml.blame(path, f"{key} needs two or more", 'for one, write entity = "…" in [watch]')
        return None
    need = {"all": len(parts), "any": 1}.get(key, result.get("at_least", 1))
    if not isinstance(need, int) or isinstance(need, bool) or not 1 <= need <= len(parts):
        toml.blame(("watch", "at_least"), f"at_least is a number from 1 to {len(parts)}")
        return None
    return _Watched(parts, need)


def _moment(toml: TomlText, table: dict[str, Any], facts: HouseFacts) -> Moment | None:
    """A moment of the clock, the sun or the calendar."""
    words = [word for word in MOMENTS if word in table]
    only_keys(toml, ("watch",), table, {*MOMENTS, "lasts", *(("from",) * ("rule" in table))})
    lasts_ms = span_ms(toml, ("watch",), table, "lasts")
    if len(words) > 1:
        toml.blame(("watch", words[1]), f"[watch] has {' and '.join(words)}", "keep one of them")
        return None
    if words[0] == "every":
        every_ms = span_ms(toml, ("watch",), table, "every", required=True)
        if every_ms and not SHORTEST_MS <= every_ms <= DAY_MS:
            toml.blame(("watch", "every"), "every is from 1 min to 24 h")
            return None
        if every_ms and lasts_ms >= every_ms:
            toml.blame(("watch", "lasts"), "it must be over before it begins again")
            return None
        return Moment(every_ms=every_ms, lasts_ms=lasts_ms) if every_ms else None
    if lasts_ms >= DAY_MS:
        toml.blame(("watch", "lasts"), "it must be over before it begins again")
        return None
    if words[0] == "rule":
        rule = read_rule(toml, ("watch",), table)
        return None if rule is None else Moment(rule=rule, lasts_ms=lasts_ms)
    if not text(toml, ("watch",), table, "at", required=True):
        return None
    at = read_time(toml, ("watch", "at"), table["at"], facts)
    return None if at is None else Moment(at, lasts_ms=lasts_ms)


def _again(toml: TomlText) -> Again:
    word = text(toml, (), toml.data, "again")
    if word and word not in tuple(Again):
        known = ", ".join(Again)
        toml.blame(("again",), f"{word!r} is none of {known}", 'write again = "skip"')
        return Again.AFRESH
    return Again(word) if word else Again.AFRESH


def _when(toml: TomlText, facts: HouseFacts) -> tuple[Watch, ...]:
    """What must be so beside the hours: [only] when = [ … ]."""
    result = toml.data.get("only")
    if not isinstance(result, dict) or "when" not in result:
        return ()
    return read_parts(toml, ("only", "when"), result["when"], facts, held=False) or ()


def _home(toml: TomlText, facts: HouseFacts) -> tuple[tuple[Watch, ...], tuple[Watch, ...]]:
    """Who must be home, or away, beside the hours: (all of these, one of these)."""
    result = toml.data.get("only")
    if not isinstance(result, dict) or "home" not in result:
        return (), ()
    read = read_home(toml, ("only",), {"home": result["home"]}, facts)
    if read is None:
        return (), ()
    watches, need = read
    return ((), watches) if need < len(watches) else (watches, ())


def _reminds(toml: TomlText, facts: HouseFacts) -> tuple[Remind, ...]:
    tables = toml.data.get("remind", [])
    if not isinstance(tables, list) or not all(isinstance(one, dict) for one in tables):
        what, hint = "remind is a list of reminders", "write [[remind]] with two brackets"
        toml.blame(("remind",), what, hint, at_value=False)
        return ()
    made = []
    for number, result in enumerate(tables):
        path: Path = ("remind", number)
        every_ms = span_ms(toml, path, result, "every", required=True)
        most = result.get("at_most", USUAL_REMINDERS)
        if not isinstance(most, int) or isinstance(most, bool) or not 1 <= most <= MOST_REMINDERS:
            toml.blame((*path, "at_most"), f"at_most is a number from 1 to {MOST_REMINDERS}")
            most = 1
        rest = {key: one for key, one in result.items() if key not in ("every", "at_most")}
        notify = Notify.parse(toml, path, rest, facts)
        if every_ms and every_ms < LEAST_EVERY_MS:
            toml.blame((*path, "every"), f"{show_span(LEAST_EVERY_MS)} is the shortest")
        elif every_ms and notify is not None:
            made.append(Remind(every_ms, most, notify))
    return tuple(made)


def _actions(toml: TomlText, edge: str, facts: HouseFacts) -> tuple[Step, ...]:
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
    actions = (read_action(toml, (edge, n), found, facts) for n, found in enumerate(tables))
    return tuple(action for action in actions if action is not None)
