"""The Zigbee Cluster Library: its frames, its global commands and its data types. No
I/O.

Frame: frame control, [manufacturer code], sequence number, command, payload (ZCL
specification, 2.4.1). Little-endian.
"""

from __future__ import annotations

import math
import struct
from collections.abc import Sequence
from enum import IntEnum, IntFlag
from typing import Any

import msgspec

from hombi.links.zigbee.errors import CodecError


class Control(IntFlag):
    """The bits of the frame control byte."""

    CLUSTER = 0x01
    MANUFACTURER = 0x04
    FROM_SERVER = 0x08
    NO_DEFAULT_RESPONSE = 0x10


class Command(IntEnum):
    """The global commands that the hub speaks (ZCL, 2.5)."""

    READ = 0x00
    READ_RESPONSE = 0x01
    WRITE = 0x02
    WRITE_UNDIVIDED = 0x03
    WRITE_RESPONSE = 0x04
    WRITE_WITHOUT_RESPONSE = 0x05
    CONFIGURE_REPORTING = 0x06
    CONFIGURE_REPORTING_RESPONSE = 0x07
    READ_REPORTING = 0x08
    READ_REPORTING_RESPONSE = 0x09
    REPORT = 0x0A
    DEFAULT_RESPONSE = 0x0B
    DISCOVER = 0x0C
    DISCOVER_RESPONSE = 0x0D


class Status(IntEnum):
    """What a node answers (ZCL, 2.6.3)."""

    SUCCESS = 0x00
    FAILURE = 0x01
    NOT_AUTHORISED = 0x7E
    MALFORMED = 0x80
    UNSUPPORTED_COMMAND = 0x81
    UNSUPPORTED_ATTRIBUTE = 0x86
    INVALID_VALUE = 0x87
    READ_ONLY = 0x88
    UNREPORTABLE = 0x8C
    WRONG_TYPE = 0x8D


def said(status: int) -> str:
    """A status in words."""
    named = {int(one): one.name.lower().replace("_", " ") for one in Status}
    return named.get(status, f"status 0x{status:02X}")


class Zcl(msgspec.Struct, frozen=True):
    """One ZCL frame. `cluster_command` tells a cluster's own command from a global one;
    `manufacturer` is 0 for none."""

    sequence: int
    command: int
    payload: bytes = b""
    cluster_command: bool = False
    from_server: bool = False
    manufacturer: int = 0
    no_default_response: bool = False


class Attribute(msgspec.Struct, frozen=True):
    """One attribute as it is read, written or reported. `value` is None when it is
    invalid by its type's own mark."""

    id: int
    type: int
    value: Any
    status: int = 0


class Broken(msgspec.Struct, frozen=True):
    """Where a list of records ends too early: a type that is not known, or a value that
    is cut off. What stands before it is good."""

    what: str


class Reporting(msgspec.Struct, frozen=True):
    """How an attribute is to be reported: at least every `longest_s`, at most every
    `shortest_s`, when it moved by `change`."""

    attribute: int
    type: int
    shortest_s: int
    longest_s: int
    change: int | float = 0


def encode(frame: Zcl) -> bytes:
    """The frame as bytes."""
    control = (
        (Control.CLUSTER if frame.cluster_command else 0)
        | (Control.MANUFACTURER if frame.manufacturer else 0)
        | (Control.FROM_SERVER if frame.from_server else 0)
        | (Control.NO_DEFAULT_RESPONSE if frame.no_default_response else 0)
    )
    maker = struct.pack("<H", frame.manufacturer) if frame.manufacturer else b""
    return bytes((control,)) + maker + bytes((frame.sequence, frame.command)) + frame.payload


def decode(data: bytes) -> Zcl:
    """The frame in these bytes. Raises CodecError."""
    if len(data) < 3:
        raise CodecError(f"a ZCL frame has 3 bytes at least, not {len(data)}")
    control, at, maker = data[0], 1, 0
    if control & 3 > 1:
        raise CodecError(f"frame type {control & 3} is reserved")
    if control & Control.MANUFACTURER:
        if len(data) < 5:
            raise CodecError("the frame ends in its manufacturer code")
        maker, at = data[1] | data[2] << 8, 3
    return Zcl(
        data[at],
        data[at + 1],
        data[at + 2 :],
        bool(control & Control.CLUSTER),
        bool(control & Control.FROM_SERVER),
        maker,
        bool(control & Control.NO_DEFAULT_RESPONSE),
    )


# Data types (ZCL, 2.6.2)

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
        raise CodecError(f"{value!r} is no value of type 0x{kind:02X}") from error
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
    found = []
    for _ in range(0 if count == 0xFFFF else count):
        if kind == STRUCT:
            if at >= len(data):
                raise CodecError("a structure is cut off")
            element, at = data[at], at + 1
        begun = at
        value, at = decode_value(data, at, element, depth)
        if at == begun and kind != STRUCT:
            raise CodecError(f"an array of type 0x{element:02X} has no size")
        found.append(value)
    return found, at


# Global commands


def read(ids: Sequence[int]) -> bytes:
    """Payload of "read attributes"."""
    return struct.pack(f"<{len(ids)}H", *ids)


def write(attributes: Sequence[Attribute]) -> bytes:
    """Payload of "write attributes". Raises CodecError."""
    return b"".join(
        struct.pack("<HB", a.id, a.type) + encode_value(a.type, a.value) for a in attributes
    )


def read_response(attributes: Sequence[Attribute]) -> bytes:
    """Payload of the answer to a read."""
    parts = []
    for one in attributes:
        parts.append(struct.pack("<HB", one.id, one.status))
        if not one.status:
            parts.append(bytes((one.type,)) + encode_value(one.type, one.value))
    return b"".join(parts)


def configure(reports: Sequence[Reporting]) -> bytes:
    """Payload of "configure reporting"."""
    parts = []
    for one in reports:
        parts.append(
            struct.pack("<BHBHH", 0, one.attribute, one.type, one.shortest_s, one.longest_s)
        )
        if analog(one.type):
            parts.append(encode_value(one.type, _within(one.type, one.change)))
    return b"".join(parts)


def _within(kind: int, value: float) -> float:
    """A value, no larger than its type holds."""
    if kind not in _WHOLE:
        return value
    size, signed, _ = _WHOLE[kind]
    return min(value, (1 << (8 * size - signed)) - (1 if signed else 2))


def parse_read(payload: bytes) -> list[int]:
    """The attribute ids of a "read attributes". Raises CodecError."""
    if len(payload) % 2:
        raise CodecError("a read of attributes ends within an id")
    return list(struct.unpack(f"<{len(payload) // 2}H", payload))


def read_records(payload: bytes, *, answers: bool) -> tuple[list[Attribute], Broken | None]:
    """The records of an answer to a read (`answers`), or of a report or a write, and
    where they end too early, if they do."""
    found: list[Attribute] = []
    at = 0
    while at < len(payload):
        try:
            one, at = _record(payload, at, answers=answers)
        except CodecError as error:
            return found, Broken(str(error))
        found.append(one)
    return found, None


def _record(payload: bytes, at: int, *, answers: bool) -> tuple[Attribute, int]:
    what = "an answer to a read" if answers else "a report"
    if at + 3 > len(payload):
        raise CodecError(f"{what} ends within a record")
    number, at = payload[at] | payload[at + 1] << 8, at + 2
    if answers:
        status, at = payload[at], at + 1
        if status:
            return Attribute(number, 0, None, status), at
        if at >= len(payload):
            raise CodecError(f"{what} ends before a type")
    kind = payload[at]
    value, at = decode_value(payload, at + 1, kind)
    return Attribute(number, kind, value), at


def parse_read_response(payload: bytes) -> list[Attribute]:
    """The records of an answer to a read. Raises CodecError when not even one of them
    can be read."""
    return _whole_or_some(read_records(payload, answers=True))


def parse_report(payload: bytes) -> list[Attribute]:
    """The records of a report, or of a write. Raises CodecError when not even one of
    them can be read."""
    return _whole_or_some(read_records(payload, answers=False))


def _whole_or_some(read: tuple[list[Attribute], Broken | None]) -> list[Attribute]:
    found, broken = read
    if broken is not None and not found:
        raise CodecError(broken.what)
    return found


def parse_configure(payload: bytes) -> list[Reporting]:
    """The records of a "configure reporting". Raises CodecError."""
    found, at = [], 0
    while at < len(payload):
        if at + 8 > len(payload):
            raise CodecError("a configuration of reports ends within a record")
        _, number, kind, shortest, longest = struct.unpack_from("<BHBHH", payload, at)
        at, change = at + 8, 0
        if analog(kind):
            change, at = decode_value(payload, at, kind)
        found.append(Reporting(number, kind, shortest, longest, change))
    return found


EVERY = -1


def parse_statuses(payload: bytes, *, with_direction: bool = False) -> dict[int, int]:
    """What was not done of a write or a configuration, by attribute; nothing when all
    was, `EVERY` when none was.

    Raises CodecError.
    """
    if len(payload) == 1:
        return {EVERY: payload[0]} if payload[0] else {}
    size = 4 if with_direction else 3
    if len(payload) % size:
        raise CodecError("an answer ends within a record")
    rows = (payload[at : at + size] for at in range(0, len(payload), size))
    return {row[-2] | row[-1] << 8: row[0] for row in rows if row[0]}
