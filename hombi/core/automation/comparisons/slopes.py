"""`rising` and `falling`: how far a value has moved within a time."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import Any, ClassVar, Self

from hombi.core.automation.comparisons.base import Comparison
from hombi.core.automation.text import text
from hombi.core.errors import UnitError, ValueTextError
from hombi.core.kinds import Kind, Seen
from hombi.core.toml_text import Path, TomlText
from hombi.core.units import conversion
from hombi.core.values import parse_span_ms, show_limit, show_span, show_value

SHORTEST_MS, LONGEST_MS = 60_000, 86_400_000
# So many points of the time within which it moves are kept.
POINTS = 60
_WRITTEN = re.compile(r"\s*(\d+(?:[.,]\d+)?)\s*(\S+)\s+in\s+(.+)", re.IGNORECASE)
_AMOUNT = re.compile(r"\s*(\d+(?:[.,]\d+)?)\s*(\S+)\s*")

Past = tuple[tuple[int, float], ...]


def difference_of(kind: Kind) -> Kind:
    """The kind of a difference of two values: K for °C, without an addend."""
    seen = kind.as_seen
    unit = "K" if kind.unit == "°C" else kind.unit
    seen_unit = "K" if seen.unit == "°C" else seen.unit
    span = kind.high - kind.low
    own = Seen(seen_unit, seen.decimals, seen.factor)
    return replace(kind, unit=unit, low=-span, high=span, seen=own)


@dataclass(frozen=True, slots=True)
class Slope(Comparison):
    """It has moved by more than `limit` (in the kind's unit, above 0) within
    `window_ms`, until by no more than `until`."""

    limit: float
    window_ms: int
    until: float | None = None

    so_while = "that much higher (lower) than its lowest (highest) value within that time"
    is_state = False
    takes = ""
    sign: ClassVar[int]

    @classmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> Self | None:
        """Understand it from the table that watches."""
        written, own = table[cls.word], (*path, cls.word)
        if not kind.a_number:
            why = "it has two states" if kind.two_states else "it is no measurement"
            toml.blame(own, f"a {kind.name} is not {cls.word}", why)
            return None
        if not kind.arithmetic.ordered:
            hint = "compute its change, and watch whether that is outside of two limits"
            toml.blame(own, f"a {kind.shown} turns, and is not {cls.word}", hint)
            return None
        match = _WRITTEN.fullmatch(written) if isinstance(written, str) else None
        if match is None:
            hint = f'write {cls.word} = "2 {difference_of(kind).unit} in 10 min"'
            toml.blame(own, f"{written!r} does not say how far and within what time", hint)
            return None
        limit = _amount(toml, own, (match[1], match[2]), kind)
        try:
            window_ms = parse_span_ms(match[3])
        except ValueTextError as error:
            toml.blame(own, str(error))
            return None
        if not SHORTEST_MS <= window_ms <= LONGEST_MS:
            toml.blame(own, "the time is from 1 min to 24 h")
            return None
        until = None
        if "until" in table:
            back = _AMOUNT.fullmatch(text(toml, path, table, "until"))
            until = _amount(toml, (*path, "until"), back.groups(), kind) if back else None
            if until is None or limit is None or until > limit:
                hint = "how little it moves then"
                toml.blame((*path, "until"), "until is an amount under the limit", hint)
                return None
        return None if limit is None else cls(limit, window_ms, until)

    def moved(self, past: Past, at_ms: int, value: float) -> tuple[Past, float]:
        """What is to be kept with a new value, and how far it has moved."""
        every = self.window_ms // POINTS
        kept = [one for one in past if one[0] > at_ms - self.window_ms]
        if kept and kept[-1][0] // every == at_ms // every:
            # Of each stretch of time, the value from which it has moved farthest
            # counts. The stretches lie on a grid: measured from one kept value to the
            # next, all would become one.
            last = kept.pop()
            nearer = last[1] * self.sign < value * self.sign
            kept.append(last if nearer else (at_ms, value))
        else:
            kept.append((at_ms, value))
        lowest = min(one * self.sign for _, one in kept)
        return tuple(kept), value * self.sign - lowest

    def starts_with(self, value: float) -> bool:
        return value > self.limit

    def ends_with(self, value: float) -> bool:
        return value <= (self.limit if self.until is None else self.until)

    def sentence(self, kind: Kind) -> str:
        return f"{self.word} by {show_limit(self.limit, kind)} in {show_span(self.window_ms)}"

    def sentence_until(self, kind: Kind) -> str:
        return "" if self.until is None else f"by {show_limit(self.until, kind)} only"

    def seen(self, value: float, kind: Kind) -> str:
        did = "rose" if self.sign > 0 else "fell"
        return f"it {did} by {show_value(value, kind)} in {show_span(self.window_ms)}"


def _amount(toml: TomlText, path: Path, written: tuple[str, ...], kind: Kind) -> float | None:
    number, unit = written
    try:
        # Of a difference, the addend between two scales is nothing.
        factor, _ = conversion(unit, kind.unit)
    except UnitError as error:
        toml.blame(path, str(error))
        return None
    amount = float(number.replace(",", ".")) * factor
    if amount <= 0:
        toml.blame(path, "it moves by more than 0")
        return None
    return amount


class Rising(Slope):
    """It has gone up so far."""

    __slots__ = ()
    word = "rising"
    means = "it has gone up so far within a time"
    examples = ("2 K in 10 min",)
    place = 40.0
    sign = 1


class Falling(Slope):
    """It has gone down so far."""

    __slots__ = ()
    word = "falling"
    means = "it has gone down so far within a time"
    examples = ("5 % in 1 h",)
    place = 41.0
    sign = -1
