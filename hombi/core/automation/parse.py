"""From the text of an automation to its program, or to every mistake in it with its
line and column."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from hombi.core.automation.actions import ACTIONS, Action, Switch
from hombi.core.automation.comparisons import COMPARISONS
from hombi.core.automation.only import read_only
from hombi.core.automation.program import Lost, Program, Watch
from hombi.core.automation.text import entity, only_keys, span_ms, table, text
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Mistake, Path, TomlText, read_toml

_WORDS = ", ".join(COMPARISONS)


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


def parse(source: str, facts: HouseFacts) -> Parsed:
    """Understand the text of an automation against the entities and people of a house.

    Never raises for what stands in the text: all that is wrong is in `mistakes`.
    """
    toml = read_toml(source)
    if toml.mistakes:
        return Parsed(None, tuple(toml.mistakes))
    only_keys(toml, (), toml.data, {"name", "about", "watch", "only", "starts", "ends"})
    name = text(toml, (), toml.data, "name", required=True)
    about = text(toml, (), toml.data, "about")
    watch = _watch(toml, facts)
    only = read_only(toml)
    if "starts" not in toml.data:
        what = "an automation without [[starts]] does nothing"
        toml.blame((), what, 'add a [[starts]] with switch = "…" or notify = "everyone"')
    elsewhere = len(toml.mistakes)
    starts, ends = _actions(toml, "starts", facts), _actions(toml, "ends", facts)
    mistakes = tuple(sorted(toml.mistakes, key=lambda m: (m.place.line, m.place.column)))
    if watch is None:
        return Parsed(None, mistakes)
    program = Program(name, about, watch, only, starts, ends)
    if mistakes:
        return Parsed(None, mistakes, partly=program if not elsewhere else None)
    return Parsed(program, (), _warnings(toml, program))


def _warnings(toml: TomlText, program: Program) -> tuple[Mistake, ...]:
    """What is allowed and hardly meant: it switches what it watches, back and forth
    without end."""
    watch, known = program.watch, len(toml.mistakes)
    compared = watch.comparison
    back = any(
        isinstance(a, Switch) and a.entity == watch.entity and compared.starts_with(a.to)
        for a in program.ends
    )
    for number, action in enumerate(program.starts):
        if not isinstance(action, Switch) or action.entity != watch.entity:
            continue
        if back and compared.ends_with(action.to):
            toml.blame(
                ("starts", number, "switch"),
                "it switches what it watches, and its end switches that back: it would start "
                "itself again and again",
                "the hub stops it after a few rounds; leave one of the two out, or give it a "
                "time to hold",
            )
    warnings = tuple(toml.mistakes[known:])
    del toml.mistakes[known:]
    return warnings


def _watch(toml: TomlText, facts: HouseFacts) -> Watch | None:
    found = table(toml, "watch")
    if found is None:
        if "watch" not in toml.data:
            toml.blame((), "there is no [watch]", "an automation looks at one entity")
        return None
    words = [word for word in COMPARISONS if word in found]
    only_keys(toml, ("watch",), found, {"entity", "held", "until", "lost", *COMPARISONS})
    address = text(toml, ("watch",), found, "entity", required=True)
    known = entity(toml, ("watch", "entity"), address, facts)
    if len(words) != 1:
        what = f"[watch] has {' and '.join(words)}" if words else "[watch] names no limit"
        toml.blame(("watch",), what, f"give one of {_WORDS}")
        return None
    held_ms = span_ms(toml, ("watch",), found, "held")
    lost = _lost(toml, found)
    if known is None:
        return None
    comparison = COMPARISONS[words[0]].parse(toml, found, known.kind)
    if comparison is None:
        return None
    return Watch(address, known.kind, comparison, held_ms, lost)


def _lost(toml: TomlText, found: dict[str, Any]) -> Lost:
    word = text(toml, ("watch",), found, "lost")
    if word and word not in tuple(Lost):
        toml.blame(("watch", "lost"), f"{word!r} is neither end nor stay", 'write lost = "end"')
        return Lost.END
    return Lost(word) if word else Lost.END


def _actions(toml: TomlText, edge: str, facts: HouseFacts) -> tuple[Action, ...]:
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


def _action(toml: TomlText, path: Path, found: dict[str, Any], facts: HouseFacts) -> Action | None:
    words = [word for word in ACTIONS if word in found]
    if len(words) != 1:
        what = f"an action is one of {', '.join(ACTIONS)}"
        toml.blame(path, what, 'give either switch = "node/entity" or notify = "everyone"')
        return None
    return ACTIONS[words[0]].parse(toml, path, found, facts)
