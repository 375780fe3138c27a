"""Values as people write and read them: "82 %", "28 °C", "on", "10 min"."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import datetime, tzinfo
from decimal import Decimal

from hombi.core.errors import UnitError, ValueTextError
from hombi.core.kinds import Kind
from hombi.core.units import conversion

_QUANTITY = re.compile(r"\s*([+-]?\d+(?:\.\d+)?)\s*(.*?)\s*")
# A number with more digits is one of a machine.
LARGEST_WRITTEN = 1e15
_COMMA = re.compile(r"^(\s*[-+]?\d+),(\d+)")
_PLAIN = str.maketrans({"\u2212": "-", "\u2013": "-", "\u2014": "-", "\u2010": "-", "\u2011": "-"})
_SPAN_PART = re.compile(r"(\d+(?:\.\d+)?)\s*([a-z]+)")
# A length of time that can still be counted: some three thousand years.
LONGEST_MS = 1e14
_SPAN_UNITS_MS = {
    "ms": 1,
    **dict.fromkeys(("s", "sec", "second", "seconds"), 1_000),
    **dict.fromkeys(("m", "min", "minute", "minutes"), 60_000),
    **dict.fromkeys(("h", "hour", "hours"), 3_600_000),
    **dict.fromkeys(("d", "day", "days"), 86_400_000),
}


def split_unit(text: str) -> tuple[str, str]:
    """A number and the unit behind it: "1 min" is ("1", "min"), "40" is ("40", "");
    what is not a number with a unit is whole in the first."""
    match = _QUANTITY.fullmatch(text)
    return (match[1], match[2]) if match else (text.strip(), "")


def parse_value(text: str, kind: Kind, *, bare: bool = False) -> float:
    """A value written for an entity of this kind, in the kind's own unit.

    "82 %" for a humidity is 82.0; "82 °F" for a temperature is 27.78; "open" for a
    contact is 1.0. A number without its unit counts only where it may be `bare`. Raises
    ValueTextError when it cannot be read, has the wrong unit, or lies beyond the kind's
    limits.
    """
    if kind.words is not None:
        state = kind.state(text.strip())
        if state is None:
            which = either(map(repr, reversed(kind.words) if kind.two_states else kind.words))
            what = "something that happens with" if kind.moment else "a state of"
            raise ValueTextError(f"{text!r} is not {what} a {kind.shown}; use {which}")
        return state
    match = _QUANTITY.fullmatch(text)
    plain = text.translate(_PLAIN)
    plain = _COMMA.sub(r"\1.\2", plain)
    if plain != text and _QUANTITY.fullmatch(plain):
        # A comma, or one of the dashes that a word processor makes of a minus.
        raise ValueTextError(f"{text!r} is not written as a number here; write {plain!r}")
    seen = kind.as_seen
    example = (
        f"{kind.high:g} {kind.unit}".strip()
        if abs(kind.high) < 1000
        else f"21.5 {kind.unit}".strip()
    )
    if match is None:
        raise ValueTextError(f"{text!r} is not a number with a unit; write it like {example!r}")
    number, unit = float(match[1]), match[2] or (seen.unit if bare else "")
    if kind.unit and not unit and not bare:
        raise ValueTextError(
            f"{text!r} lacks its unit; write {text.strip()!r} with {kind.unit}, like {example!r}"
        )
    if unit and not kind.unit:
        raise ValueTextError(f"a {kind.shown} has no unit; write {match[1]!r} alone")
    try:
        value = _converted(number, unit, kind) if unit else number
    except UnitError as error:
        raise ValueTextError(f"{text!r} does not fit a {kind.shown}: {error}") from error
    if not kind.low <= value <= kind.high:
        raise ValueTextError(
            f"{text!r} is beyond what a {kind.shown} can be ({kind.low:g} to "
            f"{kind.high:g} {kind.unit})".replace(" )", ")")
        )
    return kind.arithmetic.settled(value)


def _converted(number: float, unit: str, kind: Kind) -> float:
    """A number in the unit of a kind. Raises UnitError."""
    factor, addend = conversion(unit, kind.unit)
    return number * factor + (0.0 if kind.difference else addend)


def show_value(value: float, kind: Kind) -> str:
    """A value with its unit, as people read it: "21.4 °C", "open"."""
    if kind.words is not None:
        return kind.word(value)
    if kind.name == "turn":
        return f"{abs(value):.0f} % {'left' if value < 0 else 'right'}"
    if kind.unit == "s" and abs(value) >= 60:
        return ("-" if value < 0 else "") + show_span(abs(value) * 1000)
    seen = kind.as_seen
    shown = kind.arithmetic.settled(round(seen.of(value) or 0.0, seen.decimals))
    return f"{shown:.{seen.decimals}f} {seen.unit}".strip()


def show_limit(value: float, kind: Kind) -> str:
    """A value that a person set, without needless zeros: "82 %", "27.5 °C", "open"."""
    return (
        show_value(value, kind)
        if kind.words is not None
        else f"{show_number(round(kind.as_seen.of(value) or 0.0, 2))} {kind.as_seen.unit}".strip()
    )


def either(words: Iterable[str]) -> str:
    """Words of which one is meant: "off, heat or auto"; "nothing" of none."""
    *first, last = [*words] or ["nothing"]
    return f"{', '.join(first)} or {last}" if first else last


def show_number(value: float) -> str:
    """A number as people write it: ten digits, without an exponent or needless
    zeros."""
    text = f"{value:.10g}"
    return f"{Decimal(text):f}" if "e" in text and abs(value) < LARGEST_WRITTEN else text


def parse_span_ms(text: str) -> int:
    """A length of time in milliseconds: "10 min", "90 s", "1 h 30 min", "2m". Raises
    ValueTextError."""
    total, rest = 0.0, text.strip().lower()
    while rest:
        part = _SPAN_PART.match(rest)
        if part is None or part[2] not in _SPAN_UNITS_MS:
            raise ValueTextError(
                f"{text!r} is not a length of time; write it like '10 min', '90 s' or '1 h 30 min'"
            )
        total += float(part[1]) * _SPAN_UNITS_MS[part[2]]
        rest = rest[part.end() :].lstrip(" ,")
    if not 0 < total <= LONGEST_MS:
        raise ValueTextError(
            f"{text!r} is not a length of time; write it like '10 min', '90 s' or '1 h 30 min'"
        )
    return round(total)


def show_since(at_ms: float, now_ms: float, zone: tzinfo) -> str:
    """Since when something is so: "12:21" today, "Mon 12:21" in the last days, else "3
    Nov 12:21"."""
    at, now = (datetime.fromtimestamp(ms / 1000, zone) for ms in (at_ms, now_ms))
    days = (now.date() - at.date()).days
    if days == 0:
        return f"{at:%H:%M}"
    return f"{at:%a %H:%M}" if 0 < days < 7 else f"{at.day} {at:%b %H:%M}"


def show_span(ms: float) -> str:
    """A length of time in its two largest units: "10 min", "1 h 30 min", "45 s"."""
    seconds = round(ms / 1000)
    parts: list[str] = []
    for name, size in (("d", 86_400), ("h", 3_600), ("min", 60), ("s", 1)):
        count, seconds = divmod(seconds, size)
        if count:
            parts.append(f"{count} {name}")
    return " ".join(parts[:2]) or "0 s"
