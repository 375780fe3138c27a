"""Limits that follow other values: a formula in place of a value.

over = "= terrace-mast/temperature + 2 K"
over = "= mean(7 d) + 5 %"
within = ["= terrace-mast/temperature - 1 K", "= terrace-mast/temperature + 1 K"]
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from hombi.core.automation.comparisons import COMPARISONS, Comparison
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
from hombi.core.series.methods import LONGEST_MEAN_MS
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_limit

# How far back the mean of a past goes.
SHORTEST_MS, LONGEST_MS = 600_000, LONGEST_MEAN_MS


@dataclass(frozen=True, slots=True)
class Moving:
    """The formulas of a comparison, in the place of its own numbers: each with the name
    that the comparison has for it (`limit` and `until`, or `low` and `high`)."""

    word: str
    formulas: tuple[tuple[str, Formula], ...]

    def of(self, name: str) -> Formula | None:
        """The formula in the place of a number; None for one that is a value."""
        return dict(self.formulas).get(name)

    @property
    def sources(self) -> tuple[str, ...]:
        """The addresses that they name."""
        return tuple(dict.fromkeys(source for _, each in self.formulas for source in each.sources))

    def at(self, comparison: Comparison, world: World) -> Comparison | None:
        """The comparison with its limits of this moment; None where one of their
        sources is bad or not heard, or nothing lies between them."""
        made: dict[str, float] = {}
        for name, formula in self.formulas:
            value = _value(formula, world)
            if value is None:
                return None
            made[name] = value
        moved: Comparison = replace(comparison, **made)  # type: ignore[type-var]
        return moved if moved.possible else None

    def fades_ms(self, world: World) -> int | None:
        """From when on a limit is not known any more if nothing is heard."""
        sources = {source for _, formula in self.formulas for source in formula.sources}
        moments = [world.sight(source).fades_ms for source in sources]
        return min((moment for moment in moments if moment is not None), default=None)

    def unknown(self, comparison: Comparison) -> Comparison:
        """The comparison while nothing is known of what its limits follow."""
        return replace(comparison, **{name: math.nan for name, _ in self.formulas})  # type: ignore[type-var]

    def then(self, comparison: Comparison, kind: Kind) -> str:
        """Its limits of a moment, as in "12.0 °C then"; "" where only `until`
        follows."""
        limits = comparison.numbers
        if not any(self.of(name) for name in limits):
            return ""
        if not all(map(math.isfinite, limits.values())):
            return "not known then"
        return f"{' to '.join(show_limit(limit, kind) for limit in limits.values())} then"

    def sentence(self, comparison: Comparison, kind: Kind) -> str:
        """As in "When the humidity is …"; "" where only `until` follows."""
        limits = comparison.numbers
        if not any(self.of(name) for name in limits):
            return ""
        shown = (
            show_limit(value, kind) if (of := self.of(name)) is None else of.text
            for name, value in limits.items()
        )
        return f"{self.word} {' to '.join(shown)}"


def _value(formula: Formula, world: World) -> float | None:
    sights = [world.sight(source) for source in formula.sources]
    values = [sight.value for sight in sights if sight.known and sight.quality < Quality.STUCK]
    known = [value for value in values if value is not None]
    if len(known) < len(sights) or any(sight.unheard(world.now_ms) for sight in sights):
        return None
    try:
        result = formula.compute(known)
    except (ValueError, ArithmeticError):
        return None
    return result if math.isfinite(result) else None


def is_formula(value: object) -> bool:
    """Whether this is written as one."""
    return isinstance(value, str) and value.lstrip().startswith("=")


def read_moving(
    toml: TomlText,
    path: Path,
    table: Mapping[str, Any],
    compared: type[Comparison],
    kind: Kind,
    facts: HouseFacts,
) -> tuple[dict[str, Any], Moving | None]:
    """The table of an entity of this kind without its formulas, so that the comparison
    can be understood, and the formulas; what is wrong is noted there. Where one of
    several limits is a formula, the end of the kind stands in its place."""
    formulas: list[tuple[str, Formula | None]] = []
    plain = {key: list(value) if isinstance(value, list) else value for key, value in table.items()}
    ends = {"low": kind.low, "high": kind.high}
    for name, place in compared.formulas.items():
        key, *inner = place
        value = plain.get(str(key))
        if inner and isinstance(value, list) and len(value) == len(ends):
            if is_formula(value[int(inner[0])]):
                text = value[int(inner[0])]
                formulas.append((name, _formula(toml, (*path, *place), text, table, kind, facts)))
                value[int(inner[0])] = f"{ends[name]:f} {kind.unit}"
        elif not inner and is_formula(value):
            formulas.append((name, _formula(toml, (*path, *place), str(value), table, kind, facts)))
            del plain[str(key)]
    for key in (compared.word, "until"):
        if is_formula(plain.get(key)):
            *most, last = (word for word, each in COMPARISONS.items() if each.formulas)
            what = f"only {', '.join(most)} and {last} take a formula"
            toml.blame((*path, key), what, f'write {compared.word} = "…" with a value')
            del plain[key]
    if not formulas:
        return plain, None
    return plain, Moving(
        compared.word, tuple((name, formula) for name, formula in formulas if formula is not None)
    )


def _formula(
    toml: TomlText,
    path: Path,
    text: str,
    table: Mapping[str, Any],
    kind: Kind,
    facts: HouseFacts,
) -> Formula | None:
    about = str(table["entity"])
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
