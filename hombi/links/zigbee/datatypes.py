"""The data types of the Zigbee Cluster Library (ZCL, 2.6.2): values to bytes and back.
No I/O."""

from __future__ import annotations

import math
import struct
from typing import Any

from hombi.links.zigbee.errors import CodecError

BOOL, BITMAP8, BITMAP16, BITMAP32 = 0x10, 0x18, 0x19, 0x1B
U8, U16, U24, U32, U48 = 0x20, 0x21, 0x22, 0x23, 0x25
S8, S16, S24, S32 = 0x28, 0x29, 0x2A, 0x2B
ENUM8, ENUM16, SINGLE, DOUBLE = 0x30, 0x31, 0x39, 0x3A
OCTETS, TEXT, LONG_OCTETS, LONG_TEXT = 0x41, 0x42, 0x43, 0x44
ARRAY, STRUCT, SET, BAG = 0x48, 0x4C, 0x50, 0x51
UTC, IEEE = 0xE2, 0xF0

# The bytes of the types that are whole numbers: (bytes, signed, whether the type has a
# mark for "invalid").
_WHOLE: dict[int, tuple[int, bool, bool]] = {
    **{0x08 + n: (n + 1, False, False) for n in range(8)},
    **{0x18 + n: (n + 1, False, False) for n in range(8)},
    **{0x20 + n: (n + 1, False, True) for n in range(8)},
    **{0x28 + n: (n + 1, True, True) for n in range(8)},
    BOOL: (1, False, True),
    ENUM8: (1, False, True),
    ENUM16: (2, False, True),
    0xE0: (4, False, True),
    0xE1: (4, False, True),
    UTC: (4, False, True),
    0xE8: (2, False, True),
    0xE9: (2, False, True),
    0xEA: (4, False, True),
    IEEE: (8, False, True),
    0xF1: (16, False, False),  # a key of 128 bits
}
_FLOATS = {0x38: "<e", SINGLE: "<f", DOUBLE: "<d"}
_TEXTS = {OCTETS: 1, TEXT: 1, LONG_OCTETS: 2, LONG_TEXT: 2}
_DEEPEST = 4
# So many states of a value that counts them are named.
MOST_STATES = 64
TYPE_NAMES: dict[str, int] = {
    "bool": BOOL, "bitmap8": BITMAP8, "bitmap16": BITMAP16, "bitmap32": BITMAP32, "u8": U8,
    "u16": U16, "u24": U24, "u32": U32,
    "u48": U48, "s8": S8, "s16": S16, "s24": S24, "s32": S32, "enum8": ENUM8, "enum16": ENUM16,
    "single": SINGLE, "text": TEXT,
}  # fmt: skip


def analog(kind: int) -> bool:
    """Whether the type has sizes to compare, so that a report can wait for a change of
    some size (ZCL, 2.6.2)."""
    return 0x20 <= kind <= 0x2F or kind in _FLOATS or 0xE0 <= kind <= 0xE2


def encode_value(kind: int, value: Any) -> bytes:
    """A value of this type; None is the type's own mark for "invalid". Raises
    CodecError."""
    try:
        if kind in _WHOLE:
            size, signed, marked = _WHOLE[kind]
            if value is None and marked:
                return bytes(size - 1) + b"\x80" if signed else b"\xff" * size
            return int(round(value)).to_bytes(size, "little", signed=signed)  # noqa: RUF046 - a bool rounds to itself
        if kind in _FLOATS:
            return struct.pack(_FLOATS[kind], math.nan if value is None else value)
        if kind in _TEXTS:
            head = _TEXTS[kind]
            if value is None:
                return b"\xff" * head
            content = value.encode() if isinstance(value, str) else bytes(value)
            return len(content).to_bytes(head, "little") + content
    except (TypeError, ValueError, OverflowError, struct.error) as error:
        raise CodecError(f"{value!r} is not a value of type 0x{kind:02X}") from error
    raise CodecError(f"values of type 0x{kind:02X} are not written")


def decode_value(data: bytes, at: int, kind: int, depth: int = 0) -> tuple[Any, int]:
    """The value of this type that begins at `at`, None for an invalid one, and where it
    ends. Raises CodecError."""
    if (whole := _WHOLE.get(kind)) is not None:
        size, signed, marked = whole
        piece = data[at : at + size]
        if len(piece) < size:
            raise CodecError(
                f"a value of type 0x{kind:02X} ends after {len(piece)} of its {size} bytes"
            )
        number = int.from_bytes(piece, "little", signed=signed)
        if marked and number == (-(1 << (8 * size - 1)) if signed else (1 << (8 * size)) - 1):
            return None, at + size
        return (bool(number) if kind == BOOL else number), at + size
    if kind in _FLOATS:
        form = _FLOATS[kind]
        if at + struct.calcsize(form) > len(data):
            raise CodecError(f"a value of type 0x{kind:02X} is cut off")
        (number,) = struct.unpack_from(form, data, at)
        return (number if math.isfinite(number) else None), at + struct.calcsize(form)
    if kind in _TEXTS:
        head = _TEXTS[kind]
        length, begin = int.from_bytes(data[at : at + head], "little"), at + head
        if begin > len(data):
            raise CodecError("a string ends in its length")
        if length == (1 << 8 * head) - 1:
            return None, begin
        if begin + length > len(data):
            raise CodecError(f"a string of {length} bytes ends after {len(data) - begin}")
        content = data[begin : begin + length]
        return (
            content.decode(errors="replace").strip("\0 ") if kind in (TEXT, LONG_TEXT) else content
        ), begin + length
    if kind in (ARRAY, SET, BAG, STRUCT) and depth < _DEEPEST:
        return _decode_many(data, at, kind, depth + 1)
    if kind in (0x00, 0xFF):
        return None, at
    raise CodecError(f"type 0x{kind:02X} is not known")


def _decode_many(data: bytes, at: int, kind: int, depth: int) -> tuple[list[Any], int]:
    """An array (all of one type) or a structure (each with its own)."""
    own = 0 if kind == STRUCT else 1
    if at + own + 2 > len(data):
        raise CodecError("an array or structure is cut off")
    count, element = int.from_bytes(data[at + own : at + own + 2], "little"), data[at] if own else 0
    at += own + 2
    result = []
    for _ in range(0 if count == 0xFFFF else count):
        if kind == STRUCT:
            if at >= len(data):
                raise CodecError("a structure is cut off")
            element, at = data[at], at + 1
        begun = at
        value, at = decode_value(data, at, element, depth)
        if at == begun and kind != STRUCT:
            raise CodecError(f"an array of type 0x{element:02X} has no size")
        result.append(value)
    return result, at


# Global commands


def within(kind: int, value: float) -> float:
    """A value, no larger than its type holds."""
    if kind not in _WHOLE:
        return value
    size, signed, _ = _WHOLE[kind]
    return min(value, (1 << (8 * size - signed)) - (1 if signed else 2))
