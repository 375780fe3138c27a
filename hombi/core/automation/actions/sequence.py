"""Sequences: lists of actions with a name of their own, which automations run.

name = "Close up"
[takes]
lamp = "loft-lamp/switch"      # what it takes, and what that is usually
[[steps]]
switch = "{lamp}"
to = "off"
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from hombi.core.automation.actions.base import read_action
from hombi.core.automation.actions.notify import TEXT_FIELDS
from hombi.core.automation.text import LONGEST_GIVEN, only_keys, table, text
from hombi.core.house_facts import HouseFacts
from hombi.core.toml_text import Mistake, TomlText, read_toml

MOST_STEPS, MOST_TAKEN, MOST_IN_ALL = 50, 20, 500
_WORD = re.compile(r"[a-z][a-z0-9_]*")
_NAMED = re.compile(r"\{([a-z][a-z0-9_]*)\}")
NOTHING: Mapping[str, str] = {}


@dataclass(frozen=True, slots=True)
class Sequence:
    """A sequence that was understood: what it takes, with what each is unless one says
    otherwise, and its steps (actions)."""

    name: str
    about: str
    takes: Mapping[str, str]
    steps: tuple[Any, ...]


def read_sequence(
    source: str,
    facts: HouseFacts,
    given: Mapping[str, str] = NOTHING,
    within: tuple[str, ...] = (),
) -> tuple[Sequence | None, tuple[Mistake, ...]]:
    """Understand the text of a sequence, with what it is given for what it takes; None
    with every mistake, in the order of the text. `within` are the sequences that run
    it, by address."""
    left = [MOST_IN_ALL] if facts.steps_left is None else facts.steps_left
    facts = replace(facts, within=within or facts.within, steps_left=left)
    toml = read_toml(source)
    if toml.mistakes:
        return None, tuple(toml.mistakes)
    only_keys(toml, (), toml.data, {"name", "about", "takes", "steps"})
    name = text(toml, (), toml.data, "name", required=True)
    about = text(toml, (), toml.data, "about")
    takes = _takes(toml)
    steps = toml.data.get("steps")
    if (
        not isinstance(steps, list)
        or not all(isinstance(step, dict) for step in steps)
        or not steps
    ):
        toml.blame((), "a sequence has steps", "add [[steps]] with an action")
        steps = []
    if len(steps) > MOST_STEPS:
        toml.blame(("steps",), f"a sequence has {MOST_STEPS} steps at most, not {len(steps)}")
        steps = []
    left[0] -= len(steps)
    if left[0] < 0:
        # Sequences that run sequences would come to millions.
        toml.blame(("steps",), f"with all that it runs, that is more than {MOST_IN_ALL} steps")
        steps = []
    put = {**takes, **given}
    read = [
        read_action(toml, ("steps", n), _filled(one, put), facts) for n, one in enumerate(steps)
    ]
    mistakes = tuple(sorted(toml.mistakes, key=lambda m: (m.place.line, m.place.column)))
    return (None if mistakes else Sequence(name, about, takes, tuple(read))), mistakes


def _takes(toml: TomlText) -> dict[str, str]:
    result = table(toml, "takes") or {}
    if len(result) > MOST_TAKEN:
        toml.blame(("takes",), f"a sequence takes {MOST_TAKEN} at most, not {len(result)}")
        return {}
    for key, value in result.items():
        if not _WORD.fullmatch(key) or key in TEXT_FIELDS:
            hint = "use small letters, and none of " + ", ".join(TEXT_FIELDS)
            toml.blame(("takes", key), f"{key!r} cannot be a name here", hint, at_value=False)
        elif not isinstance(value, str):
            toml.blame(("takes", key), f"{key} must be a text in quotes", "what it is usually")
        elif len(value) > LONGEST_GIVEN:
            toml.blame(("takes", key), f"{key} has {LONGEST_GIVEN} characters at most")
    return {key: value for key, value in result.items() if isinstance(value, str)}


def _filled(data: Any, put: Mapping[str, str]) -> Any:
    """With what it takes in the place of its names in braces; other braces stay, also
    those in what is put there."""
    if isinstance(data, str):
        return _NAMED.sub(lambda match: put.get(match[1], match[0]), data)
    if isinstance(data, dict):
        return {key: _filled(value, put) for key, value in data.items()}
    return [_filled(one, put) for one in data] if isinstance(data, list) else data
