"""Picking a value out of a message of a node that does not know Hombi, and writing one
that it understands.

Topics here are MQTT topic filters with at most one placeholder, `{node}`, which stands
for one whole level. A pointer is a JSON Pointer (RFC 6901); the empty one is the whole
payload, and a payload that is not JSON is a text.
"""

from __future__ import annotations

import contextlib
import json
import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from itertools import islice
from typing import Any

import msgspec
from jsonpointer import JsonPointer, JsonPointerException
from msgspec.structs import replace

from hombi.core.errors import CoreError
from hombi.core.kinds import Kind
from hombi.core.senml import Resolved
from hombi.core.values import either

PLACEHOLDER = "{node}"
MAX_CANDIDATES = 64
# A time in ms since 1970 is a number beyond this; one in seconds lies below it for
# three thousand years.
_MILLISECONDS_FROM = 1e11
_TRUE = frozenset(
    {"on", "true", "yes", "open", "opened", "occupied", "detected", "1", "active", "wet", "alarm"}
)
_FALSE = frozenset(
    {"off", "false", "no", "closed", "close", "clear", "none", "0", "inactive", "dry", "ok"}
)
# The unit begins with none of what a number is made of: "1,234.5" and "21;22" are no
# numbers with odd units.
_QUANTITY = re.compile(
    r"\s*([-+]?\d+(?:[.,]\d+)?(?:[eE][-+]?\d+)?)(?:\s*([^\d\s.,;:+*=xX_-]\S*)|\s+(\S*[^\d\s.,;:]\S*))?\s*"
)
_NO_VALUE = frozenset({"nan", "null", "none", "n/a", "unavailable", "-"})
# Nodes say this, too, when a press is over.
_NOTHING = _NO_VALUE | {""}
# In ms since 1970 this is January 1970; a small number of seconds counts from the
# node's own start.
_BOOT_BELOW_S = 1e8
_WRITER = json.JSONEncoder(ensure_ascii=False)
_BLANK = re.compile(r"\{value\}|\{([^{}|\"]*)\|([^{}|\"]*)\}")


class PickError(CoreError):
    """No value is there; the message says what is there instead."""


@dataclass(frozen=True, slots=True)
class Pick:
    """Where a value stands in a message, and where its time does ("" when the message
    has none)."""

    pointer: str = ""
    at: str = ""


@dataclass(frozen=True, slots=True)
class Candidate:
    """A value that could be picked: its pointer, and how it reads."""

    pointer: str
    shown: str


def check_pointer(text: str) -> None:
    """Raises PickError when this is not a JSON Pointer."""
    try:
        JsonPointer(text)
    except JsonPointerException as error:
        raise PickError(
            f"{text!r} is not a JSON Pointer (RFC 6901); write it like "
            f"/climate/temperature, or leave it empty"
        ) from error


def read_payload(payload: bytes) -> Any:
    """A payload as JSON, or as a text when it is none. Raises PickError for bytes that
    are not text."""
    try:
        return msgspec.json.decode(payload)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        pass
    if b"NaN" in payload:  # what small boards print for a sensor that does not answer
        with contextlib.suppress(ValueError, RecursionError):
            return json.loads(payload, parse_constant=lambda _: None)
    try:
        return payload.decode()
    except UnicodeDecodeError as error:
        raise PickError(f"the payload is {len(payload)} bytes that are not text") from error


def pick_value(payload: bytes, pick: Pick, kind: Kind, now_ms: int, name: str = "") -> Resolved:
    """The value that a message holds for an entity of this kind, with the unit that
    stands beside it ("" for none).

    Raises PickError.
    """
    return pick_in(read_payload(payload), pick, kind, now_ms, name)


def pick_in(content: Any, pick: Pick, kind: Kind, now_ms: int, name: str = "") -> Resolved:
    """The same of a message that is read already, as `read_payload` reads it."""
    result = _at(content, pick.pointer)
    at = None if not pick.at else _time(_at(content, pick.at), pick.at)
    stamped, at_ms = at is None, now_ms if at is None else at
    if result is None or (
        isinstance(result, str)
        and result.strip().lower() in (_NOTHING if kind.moment else _NO_VALUE)
        and not _is_word(result, kind)
    ):
        return Resolved(name, "", at_ms, None, stamped)
    if kind.words is not None:
        return Resolved(name, "", at_ms, _state(result, kind), stamped)
    if isinstance(result, bool):
        raise PickError(f"{_where(pick.pointer)} is {json.dumps(result)}, no number")
    if isinstance(result, int | float):
        return Resolved(name, "", at_ms, float(result), stamped)
    if isinstance(result, str) and (match := _QUANTITY.fullmatch(result)):
        return Resolved(
            name, match[2] or match[3] or "", at_ms, float(match[1].replace(",", ".")), stamped
        )
    raise PickError(
        f"{_where(pick.pointer)} is {_short(result)}, no number; write one like 21.5, "
        f"perhaps with its unit"
    )


def pick_posted(payload: bytes, pointer: str, kind: Kind, now_ms: int) -> Resolved:
    """The value that was posted for one entity: a bare value, or an object with `value`
    (and perhaps `unit` and `at`) in it, or one where it stands at `pointer`. Raises
    PickError."""
    content = read_payload(payload)
    if pointer or not isinstance(content, dict):
        return pick_in(content, Pick(pointer), kind, now_ms)
    resolved = pick_in(content, Pick("/value", "/at" if "at" in content else ""), kind, now_ms)
    unit = content.get("unit", resolved.unit)
    return replace(resolved, unit=unit if isinstance(unit, str) else "")


def candidates(payload: bytes) -> list[Candidate]:
    """All single values in a message, by their pointers, in the order in which they
    stand there."""
    try:
        content = read_payload(payload)
    except PickError:
        return []
    result: list[Candidate] = []
    for pointer, value in _leaves(content, ""):
        if len(result) == MAX_CANDIDATES:
            break
        result.append(Candidate(pointer, _short(value)))
    return result


def node_in(pattern: str, topic: str) -> str | None:
    """What stands in a topic where the pattern has its placeholder; "" for a pattern
    without; None when it does not fit."""
    wanted, levels = pattern.split("/"), topic.split("/")
    node = ""
    for place, level in enumerate(wanted):
        if level == "#":
            return node
        if place >= len(levels):
            return None
        if level == PLACEHOLDER:
            node = levels[place]
        elif level not in ("+", levels[place]):
            return None
    return node if len(wanted) == len(levels) else None


def filter_of(pattern: str, node: str = "") -> str:
    """The MQTT topic filter of a pattern: for one node, or for all of them."""
    return "/".join(
        (node or "+") if level == PLACEHOLDER else level for level in pattern.split("/")
    )


def render(template: str, value: float, kind: Kind) -> str:
    """The payload that asks for a value.

    `{value}` stands for the number (1 or 0 for a kind with two states) or the word of
    a choice, `{1|0}` for one of two words.
    """
    on = value >= 0.5

    def fill(match: re.Match[str]) -> str:
        if match[1] is not None:
            return match[1] if on else match[2]
        if kind.words is None:
            return f"{value:.10g}"
        return f"{int(on)}" if kind.two_states else kind.word(value)

    return _BLANK.sub(fill, template)


def check_template(template: str) -> None:
    """Raises PickError for a template that would say the same whatever the value."""
    if not _BLANK.search(template):
        raise PickError(
            "the payload to send has no {value} and no {1|0}: it would say the same for every value"
        )


@lru_cache(maxsize=1024)
def _parsed(pointer: str) -> JsonPointer:
    return JsonPointer(pointer)


def _at(content: Any, pointer: str) -> Any:
    parsed, result = _parsed(pointer), content
    try:
        for part in parsed.parts:
            # Objects are nearly all there is; the library takes twenty times as long
            # over them, and knows the rest.
            result = (
                result[part]
                if type(result) is dict and part in result
                else parsed.walk(result, part)
            )
    except JsonPointerException as error:
        raise PickError(f"nothing stands at {pointer}") from error
    return result


def _where(pointer: str) -> str:
    return f"what stands at {pointer}" if pointer else "the payload"


def _short(value: Any) -> str:
    # Only as much of it is written as is shown.
    pieces = [value] if isinstance(value, str) else islice(_WRITER.iterencode(value), 61)
    text = "".join(pieces)
    if not text.strip():
        return "empty"
    return text if len(text) <= 60 else text[:57] + "…"


def _state(value: Any, kind: Kind) -> bool | float:
    assert kind.words is not None
    if not kind.two_states:
        # A node's word may be a number, like 1, 2 and 3 for the speeds of a fan.
        counted = isinstance(value, int | float) and not isinstance(value, bool)
        word = f"{value:.10g}" if counted else value.strip() if isinstance(value, str) else None
        if word is not None and (state := kind.state(word)) is not None:
            return state
        # A bell has one word, and most nodes say no more than that it is true.
        if len(kind.words) == 1 and (value is True or value == 1):
            return 0.0
        raise PickError(f"{_short(value)} is not {either(kind.words)}")
    if isinstance(value, bool):
        return value
    if isinstance(value, int | float) and value in (0, 1):
        return bool(value)
    if isinstance(value, str):
        word = value.strip().lower()
        if (state := kind.state(word)) is not None:
            return state == 1.0
        if word in _TRUE:
            return True
        if word in _FALSE:
            return False
    raise PickError(f"{_short(value)} is neither {kind.words[1]} nor {kind.words[0]}")


def _is_word(found: str, kind: Kind) -> bool:
    word = found.strip().lower()
    return kind.state(word) is not None or (kind.two_states and word in (*_TRUE, *_FALSE))


def _time(value: Any, pointer: str) -> int | None:
    """The time that stands there in ms since 1970; None for one that counts from the
    node's own start."""
    if (
        isinstance(value, int | float)
        and not isinstance(value, bool)
        and 0 <= value < _BOOT_BELOW_S
    ):
        return None
    if isinstance(value, int | float) and not isinstance(value, bool) and 0 < value < 1e14:
        return round(value if value >= _MILLISECONDS_FROM else value * 1000)
    if isinstance(value, str):
        try:
            at = datetime.fromisoformat(value)
        except ValueError as error:
            raise PickError(
                f"the time at {pointer} is {_short(value)}, no RFC 3339 time"
            ) from error
        if at.tzinfo is not None:
            return round(at.timestamp() * 1000)
    raise PickError(
        f"the time at {pointer} is {_short(value)}; expected seconds or ms since 1970, "
        f"or RFC 3339 with its zone"
    )


def _leaves(value: Any, pointer: str) -> Iterator[tuple[str, Any]]:
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from _leaves(inner, f"{pointer}/{str(key).replace('~', '~0').replace('/', '~1')}")
    elif isinstance(value, list):
        for place, inner in enumerate(value):
            yield from _leaves(inner, f"{pointer}/{place}")
    elif value is not None:
        yield pointer, value
