"""Limits that follow other values: a formula in place of a value.

over = "= terrace-mast/temperature + 2 K"
over = "= mean(7 d) + 5 %"
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from hombi.core.automation.comparisons import Comparison, Over, Under
from hombi.core.automation.state import World
from hombi.core.formula import (
    OWN,
    Formula,
    FormulaError,
    compile_formula,
    past_of,
    past_source,
    sources_of,
)
from hombi.core.house_facts import HouseFacts, did_you_mean
from hombi.core.kinds import Kind
from hombi.core.quality import Quality
from hombi.core.series.derived import LONGEST_MEAN_MS
from hombi.core.toml_text import Path, TomlText

SIDES = {"over": Over, "under": Under}
# How far back the mean of a past goes.
SHORTEST_MS, LONGEST_MS = 600_000, LONGEST_MEAN_MS


@dataclass(frozen=True, slots=True)
class Moving:
    """The formulas of a limit and of its `until`; None for one that is a value."""

    word: str
    limit: Formula | None
    until: Formula | None

    @property
    def sources(self) -> tuple[str, ...]:
        """The addresses that they name."""
        every = [one.sources for one in (self.limit, self.until) if one is not None]
        return tuple(dict.fromkeys(address for some in every for address in some))

    def at(self, comparison: Comparison, world: World) -> Comparison | None:
        """The comparison with its limits of this moment; None where one of their
        sources is bad or not heard."""
        made: dict[str, float] = {}
        for name, formula in (("limit", self.limit), ("until", self.until)):
            if formula is not None:
                value = _value(formula, world)
                if value is None:
                    return None
                made[name] = value
        moved: Comparison = replace(comparison, **made)  # type: ignore[type-var]
        return moved

    def sentence(self) -> str:
        """As in "When the humidity is …"; "" where the limit is a value."""
        return f"{self.word} {self.limit.text}" if self.limit is not None else ""


def _value(formula: Formula, world: World) -> float | None:
    sights = [world.sight(one) for one in formula.sources]
    values = [one.value for one in sights if one.known and one.quality < Quality.STUCK]
    known = [one for one in values if one is not None]
    if len(known) < len(sights) or any(one.silent for one in sights):
        return None
    try:
        found = formula.compute(known)
    except (ValueError, ArithmeticError):
        return None
    return found if math.isfinite(found) else None


def is_formula(value: object) -> bool:
    """Whether this is written as one."""
    return isinstance(value, str) and value.lstrip().startswith("=")


def read_moving(
    toml: TomlText, path: Path, table: Mapping[str, Any], word: str, kind: Kind, facts: HouseFacts
) -> tuple[dict[str, Any], Moving | None]:
    """The table of an entity of this kind with values in the place of formulas, so that
    the comparison can be understood, and the formulas; what is wrong is noted there."""
    found: dict[str, Formula | None] = {}
    plain = dict(table)
    for key in (word, "until"):
        if not is_formula(table.get(key)):
            continue
        if word not in SIDES:
            hint = f'write {word} = "…" with a value'
            toml.blame((*path, key), "only over and under take a formula", hint)
        else:
            about = str(table["entity"])
            found[key] = _formula(toml, (*path, key), str(table[key]), about, kind, facts)
        del plain[key]
    if not found:
        return plain, None
    return plain, Moving(word, found.get(word), found.get("until"))


def _formula(
    toml: TomlText, path: Path, text: str, about: str, kind: Kind, facts: HouseFacts
) -> Formula | None:
    own = text.lstrip().removeprefix("=").strip()
    addresses, kinds = [], []
    try:
        for one in sources_of(own, past=True):
            past = past_of(one)
            address = one if past is None else about if past[0] == OWN else past[0]
            if address not in facts.entities:
                hint = did_you_mean(address, facts.entities) or "`hombi entity list` names them"
                toml.blame(path, f"no entity {address}", hint)
                return None
            kinds.append(facts.entities[address].kind.name)
            if past is not None:
                if not SHORTEST_MS <= past[1] <= LONGEST_MS:
                    toml.blame(path, "a mean goes back for 10 min to 31 d")
                    return None
                # Before there is a value that says it, the past itself is asked.
                address = facts.means.get((address, past[1]), past_source(address, past[1]))
            addresses.append(address)
        return replace(compile_formula(own, tuple(kinds), kind.name), sources=tuple(addresses))
    except FormulaError as error:
        toml.blame(path, f"the formula: {error}")
        return None
