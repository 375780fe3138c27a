"""From the text of a formula to plain arithmetic.

Each part becomes a function of the values of its sources, in base units. The dimensions
are checked once, here. Nothing in a formula can call, name or change anything else.
"""

from __future__ import annotations

import difflib
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from hombi.core.arithmetic import LINE, Arithmetic
from hombi.core.errors import UnitError
from hombi.core.formula.dimensions import PLAIN, Dimension, measured, multiplied, named
from hombi.core.formula.grammar import FormulaError, parsed
from hombi.core.kinds import KINDS, Kind

if TYPE_CHECKING:
    from lark import Tree

Values = Sequence[float]
Compute = Callable[[Values], float]
# What a source is called where the formula is a step: the value itself.
OWN = "value"
MOST_SOURCES = 20
# Functions that keep the dimension of what they are given, and those of plain numbers.
ANY: dict[str, Callable[..., float]] = {
    # Given one number alone, the bare ones would take it for a row of them.
    "min": lambda *given: min(given),
    "max": lambda *given: max(given),
    "mean": lambda *given: math.fsum(given) / len(given),
    "abs": abs,
}
NUMBERS: dict[str, Callable[..., float]] = {
    "ln": math.log,
    "log10": math.log10,
    "exp": math.exp,
}
FUNCTIONS = (*ANY, *NUMBERS, "sqrt", "if")


@dataclass(frozen=True, slots=True)
class Formula:
    """A formula that was checked. `sources` are the addresses that it names, in the
    order in which `compute` takes their values, each in the unit of its kind; what it
    gives is in the unit of `kind`. ArithmeticError and ValueError are those of numbers
    that cannot be."""

    text: str
    sources: tuple[str, ...]
    kind: Kind
    compute: Compute


@dataclass(frozen=True, slots=True)
class _Part:
    dimension: Dimension
    compute: Compute
    # The number itself, where it is one: exponents must be.
    constant: float | None = None
    # How it is calculated with, where that is otherwise: a direction.
    arithmetic: Arithmetic = LINE


@lru_cache(maxsize=256)
def sources_of(text: str, *, past: bool = False) -> tuple[str, ...]:
    """The addresses that a formula names, each once, in their order; with `past`, also
    means of their past (`past_of`). Raises FormulaError."""
    result: dict[str, None] = {}
    for token in _named(parsed(text)):
        if past_of(token) and not past:
            raise FormulaError(
                "a mean of a past belongs into the limit of an automation; elsewhere, name "
                "a moving mean, which is a value of its own"
            )
        result[token] = None
    if len(result) > MOST_SOURCES:
        raise FormulaError(f"a formula names {MOST_SOURCES} values at most, not {len(result)}")
    return tuple(result)


def past_of(source: str) -> tuple[str, int] | None:
    """(the value, ms) for the mean of a past: the value is an address, or OWN for what
    the formula is about; None for any other source."""
    value, sign, ms = source.partition("~")
    return (value, int(ms)) if sign else None


def past_source(value: str, ms: int) -> str:
    """How the mean of a past is called among the sources."""
    return f"{value}~{ms}"


def _named(tree: Tree[Any]) -> list[str]:
    if tree.data in ("source", "quoted"):
        return [str(tree.children[0]).strip('"')]
    if tree.data == "own":
        return [OWN]
    if tree.data == "call" and (past := _past(*tree.children)):
        return [past]
    return [name for child in tree.children if hasattr(child, "data") for name in _named(child)]


def _past(name: Any, *given: Any) -> str:
    """The source for a mean over a time, as in mean(7 d) and mean(loft/humidity, 1 d);
    "" for anything else."""
    last = given[-1]
    if name != "mean" or last.data != "quantity" or len(given) > 2:
        return ""
    number, unit = last.children
    try:
        dimension, factor, _ = measured(str(unit))
    except UnitError:
        return ""
    if dimension != measured("s")[0]:
        return ""
    if len(given) == 1:
        return past_source(OWN, round(float(number) * factor * 1000))
    if given[0].data in ("source", "quoted"):
        return past_source(_named(given[0])[0], round(float(number) * factor * 1000))
    return ""


@lru_cache(maxsize=256)
def compile_formula(text: str, kinds: tuple[str, ...], wanted: str = "") -> Formula:
    """A formula whose sources are of these kinds, in the order of `sources_of`. It
    gives the kind `wanted`, or the one that its dimension says. Raises FormulaError."""
    tree, sources = parsed(text), sources_of(text, past=True)
    if len(sources) != len(kinds):
        raise FormulaError(f"it names {len(sources)} values, and {len(kinds)} kinds are given")
    result = _Reader({name: (n, KINDS[kinds[n]]) for n, name in enumerate(sources)}).part(tree)
    kind = _kind_of(result.dimension, kinds, wanted)
    _, factor, addend = measured(kind.unit)
    compute = result.compute
    settled = kind.arithmetic.settled
    return Formula(text, sources, kind, lambda values: settled((compute(values) - addend) / factor))


def _kind_of(dimension: Dimension, kinds: Sequence[str], wanted: str) -> Kind:
    if wanted:
        kind = KINDS.get(wanted)
        if kind is None:
            near = difflib.get_close_matches(wanted, KINDS, 1)
            raise FormulaError(
                f"there is no kind {wanted[:40]!r}" + (f"; did you mean {near[0]}?" if near else "")
            )
        if kind.words is not None:
            has = "has two states" if kind.two_states else "is a word"
            raise FormulaError(f"a formula gives a number, and a {kind.shown} {has}")
        if measured(kind.unit)[0] != dimension:
            raise FormulaError(
                f"it gives {named(dimension)}, and a {kind.shown} is "
                f"{named(measured(kind.unit)[0])}"
            )
        return kind
    # The kinds of its sources first: a mean of two humidities is not moisture.
    own = [KINDS[name] for name in kinds]
    for kind in (*own, *([KINDS["number"]] if not dimension else []), *KINDS.values()):
        if kind.a_number and kind.unit and measured(kind.unit)[0] == dimension:
            return kind
        if kind.name == "number" and not dimension:
            return kind
    raise FormulaError(f"it gives {named(dimension)}, and no kind measures that")


def _known(value: float | None) -> float:
    if value is None:
        raise ValueError("directions that cancel out have no mean")
    return value


class _Reader:
    """Makes the parts of a formula, from its leaves up."""

    def __init__(self, known: dict[str, tuple[int, Kind]]) -> None:
        self._known = known

    def part(self, tree: Tree[Any]) -> _Part:
        """One part, with all below it. Raises FormulaError."""
        made: _Part = getattr(self, f"_{tree.data}")(tree, *tree.children)
        return made

    def _number(self, _: Tree[Any], number: Any) -> _Part:
        value = float(number)
        return _Part(PLAIN, lambda _: value, value)

    def _quantity(self, _: Tree[Any], number: Any, unit: Any) -> _Part:
        try:
            dimension, factor, addend = measured(str(unit))
        except UnitError as error:
            raise FormulaError(str(error), unit.column) from error
        value = float(number) * factor + addend
        return _Part(dimension, lambda _: value, value)

    def _source(self, _: Tree[Any], name: Any) -> _Part:
        place, kind = self._known[str(name).strip('"')]
        if kind.words is not None and not kind.two_states:
            raise FormulaError(f"a formula takes numbers, and a {kind.shown} is a word")
        if not kind.unit:
            return _Part(PLAIN, lambda values: values[place])
        dimension, factor, addend = measured(kind.unit)
        if addend:
            return _Part(dimension, lambda values: values[place] * factor + addend)
        return _Part(dimension, lambda values: values[place] * factor, arithmetic=kind.arithmetic)

    _quoted = _own = _source

    def _neg(self, _: Tree[Any], inner: Tree[Any]) -> _Part:
        a = self.part(inner)
        f = a.compute
        constant = None if a.constant is None else -a.constant
        return _Part(a.dimension, lambda values: -f(values), constant)

    def _alike(self, tree: Tree[Any], what: str, *parts: Tree[Any]) -> list[_Part]:
        made = [self.part(part) for part in parts]
        for one in made[1:]:
            if one.dimension != made[0].dimension:
                raise FormulaError(
                    f"{named(made[0].dimension)} {what} {named(one.dimension)} does not fit; "
                    f"both must measure the same",
                    tree.meta.column,
                )
        return made

    def _ordered(self, tree: Tree[Any], *parts: Tree[Any]) -> list[_Part]:
        made = self._alike(tree, "under", *parts)
        if not all(part.arithmetic.ordered for part in made):
            raise FormulaError(
                "no direction is under or over another; compare the difference of two",
                tree.meta.column,
            )
        return made

    def _add(self, tree: Tree[Any], left: Tree[Any], right: Tree[Any]) -> _Part:
        a, b = self._alike(tree, "plus", left, right)
        f, g = a.compute, b.compute
        # A direction and an angle are a direction.
        turned = b.arithmetic if a.arithmetic.ordered else a.arithmetic
        return _Part(a.dimension, lambda values: f(values) + g(values), arithmetic=turned)

    def _sub(self, tree: Tree[Any], left: Tree[Any], right: Tree[Any]) -> _Part:
        a, b = self._alike(tree, "minus", left, right)
        f, g = a.compute, b.compute
        if not a.arithmetic.ordered:
            if b.arithmetic.ordered:
                return _Part(
                    a.dimension, lambda values: f(values) - g(values), arithmetic=a.arithmetic
                )
            _, degree, _ = measured("°")
            apart = a.arithmetic.difference
            return _Part(a.dimension, lambda v: apart(f(v) / degree, g(v) / degree) * degree)
        return _Part(a.dimension, lambda values: f(values) - g(values))

    def _mul(self, _: Tree[Any], left: Tree[Any], right: Tree[Any]) -> _Part:
        a, b = self.part(left), self.part(right)
        f, g = a.compute, b.compute
        return _Part(multiplied(a.dimension, b.dimension), lambda values: f(values) * g(values))

    def _div(self, tree: Tree[Any], left: Tree[Any], right: Tree[Any]) -> _Part:
        a, b = self.part(left), self.part(right)
        if b.constant == 0:
            raise FormulaError("it divides by zero", tree.meta.column)
        f, g = a.compute, b.compute
        dimension = multiplied(a.dimension, b.dimension, -1.0)
        return _Part(dimension, lambda values: f(values) / g(values))

    def _pow(self, tree: Tree[Any], base: Tree[Any], exponent: Tree[Any]) -> _Part:
        a, b = self.part(base), self.part(exponent)
        if b.dimension:
            raise FormulaError(
                f"an exponent is a plain number, not {named(b.dimension)}", tree.meta.column
            )
        if a.dimension and b.constant is None:
            raise FormulaError(
                f"{named(a.dimension)} needs an exponent that is written as a number",
                tree.meta.column,
            )
        f, g = a.compute, b.compute
        dimension = multiplied(PLAIN, a.dimension, b.constant or 0.0)
        return _Part(dimension, lambda values: math.pow(f(values), g(values)))

    def _call(self, tree: Tree[Any], name: Any, *given: Tree[Any]) -> _Part:
        if past := _past(name, *given):
            return self._source(tree, past)
        if name == "sqrt" and len(given) == 1:
            a = self.part(given[0])
            f = a.compute
            dimension = multiplied(PLAIN, a.dimension, 0.5)
            return _Part(dimension, lambda values: math.sqrt(f(values)))
        if name in ANY:
            if name == "abs" and len(given) > 1:
                raise FormulaError("abs takes one value", name.column)
            made = self._alike(tree, "beside", *given)
            computes, of = tuple(one.compute for one in made), ANY[name]
            turned = next((one.arithmetic for one in made if not one.arithmetic.ordered), None)
            if turned is not None and name != "mean":
                raise FormulaError(
                    f"{name} takes values of which one is higher than another, and directions "
                    f"are not; take their mean, or the difference of two",
                    name.column,
                )
            if turned is not None:
                _, degree, _ = measured("°")
                mean = turned.mean
                return _Part(
                    made[0].dimension,
                    lambda v: _known(mean((f(v) / degree, 1.0) for f in computes)) * degree,
                    arithmetic=turned,
                )
            return _Part(made[0].dimension, lambda values: of(*(f(values) for f in computes)))
        if name in NUMBERS and len(given) == 1:
            a = self.part(given[0])
            if a.dimension:
                raise FormulaError(
                    f"{name} takes a plain number, not {named(a.dimension)}; divide it by a unit",
                    name.column,
                )
            f, function = a.compute, NUMBERS[name]
            return _Part(PLAIN, lambda values: function(f(values)))
        if name in FUNCTIONS:
            raise FormulaError(f"{name} takes another number of values", name.column)
        near = difflib.get_close_matches(str(name), FUNCTIONS, 1)
        hint = f"did you mean {near[0]}?" if near else f"there are {', '.join(FUNCTIONS)}"
        raise FormulaError(f"there is no function {str(name)!r}; {hint}", name.column)

    def _choice(
        self, tree: Tree[Any], condition: Tree[Any], first: Tree[Any], second: Tree[Any]
    ) -> _Part:
        is_so = self.part(condition).compute
        a, b = self._alike(tree, "or", first, second)
        f, g = a.compute, b.compute
        return _Part(
            a.dimension,
            lambda values: f(values) if is_so(values) else g(values),
            arithmetic=b.arithmetic if a.arithmetic.ordered else a.arithmetic,
        )

    def _or_(self, _: Tree[Any], left: Tree[Any], right: Tree[Any]) -> _Part:
        f, g = self.part(left).compute, self.part(right).compute
        return _Part(PLAIN, lambda values: float(bool(f(values)) or bool(g(values))))

    def _and_(self, _: Tree[Any], left: Tree[Any], right: Tree[Any]) -> _Part:
        f, g = self.part(left).compute, self.part(right).compute
        return _Part(PLAIN, lambda values: float(bool(f(values)) and bool(g(values))))

    def _not_(self, _: Tree[Any], inner: Tree[Any]) -> _Part:
        f = self.part(inner).compute
        return _Part(PLAIN, lambda values: float(not f(values)))

    def _lt(self, tree: Tree[Any], left: Tree[Any], right: Tree[Any]) -> _Part:
        a, b = self._ordered(tree, left, right)
        f, g = a.compute, b.compute
        return _Part(PLAIN, lambda values: float(f(values) < g(values)))

    def _gt(self, tree: Tree[Any], left: Tree[Any], right: Tree[Any]) -> _Part:
        return self._lt(tree, right, left)

    def _le(self, tree: Tree[Any], left: Tree[Any], right: Tree[Any]) -> _Part:
        a, b = self._ordered(tree, left, right)
        f, g = a.compute, b.compute
        return _Part(PLAIN, lambda values: float(f(values) <= g(values)))

    def _ge(self, tree: Tree[Any], left: Tree[Any], right: Tree[Any]) -> _Part:
        return self._le(tree, right, left)
