"""The numbers that a person gives to a step or to a method, and how they are read."""

from __future__ import annotations

import math
from dataclasses import dataclass

from hombi.core.errors import ValueTextError
from hombi.core.values import parse_span_ms, show_span

LONGEST_MS = 86_400_000
# With larger numbers a value would run out of what a number can be.
LARGEST = 1e12
NO_TIME = "0 s"
LONGEST_TEXT = 500

Given = float | str


class ParameterError(ValueError):
    """A parameter that cannot be; the message says where, what, and what to do."""


@dataclass(frozen=True, slots=True)
class Parameter:
    """One number: what it is unless it is given (`default` None: it must be), whether
    it is a length of time or a text, or which words it can be."""

    name: str
    about: str
    default: Given | None = None
    time: bool = False
    choices: tuple[str, ...] = ()
    text: bool = False
    longest_ms: int = LONGEST_MS

    def read(self, given: object, where: str) -> Given:
        """It as it is kept: a number, a time as "2 min", a word, a text. Raises
        ParameterError."""
        value = self.default if given is None or given == "" else given
        if value is None:
            raise ParameterError(f"{where} is missing: {self.about}")
        if self.choices:
            if value not in self.choices:
                known = ", ".join(self.choices)
                raise ParameterError(f"{where}: {str(value)[:40]!r} is none of {known}")
            return str(value)
        if self.text:
            return _text(value, where)
        return _time(value, where, self.longest_ms) if self.time else _number(value, where)

    def value(self, kept: Given) -> float | str:
        """What is computed with: a number, a time in ms, a word, a text."""
        if self.choices or self.text:
            return str(kept)
        if self.time:
            return 0.0 if kept == NO_TIME else parse_span_ms(str(kept))
        return float(kept)


def _text(value: object, where: str) -> str:
    if not isinstance(value, str) or len(value) > LONGEST_TEXT:
        raise ParameterError(f"{where} is a text of {LONGEST_TEXT} characters at most")
    return value.strip()


def _number(value: object, where: str) -> float:
    try:
        number = float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError) as error:
        raise ParameterError(f"{where}: {str(value)[:40]!r} is not a number") from error
    if isinstance(value, bool) or not math.isfinite(number):
        raise ParameterError(f"{where}: {str(value)[:40]!r} is not a number")
    if abs(number) > LARGEST:
        raise ParameterError(f"{where}: {str(value)[:40]!r} is more than anything measures")
    return number


def _time(value: object, where: str, longest_ms: int) -> str:
    if value == NO_TIME:
        return NO_TIME
    try:
        ms = parse_span_ms(str(value))
    except (ValueTextError, OverflowError) as error:
        raise ParameterError(f"{where}: {error}") from error
    if ms > longest_ms:
        raise ParameterError(
            f"{where}: {show_span(longest_ms)} is the longest, not {str(value)[:40]!r}"
        )
    shown = show_span(ms)
    return shown if parse_span_ms(shown) == ms else f"{ms:.0f} ms"
