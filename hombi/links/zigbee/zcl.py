"""The Zigbee Cluster Library: its frames, its global commands and its data types. No
I/O.

Frame: frame control, [manufacturer code], sequence number, command, payload (ZCL
specification, 2.4.1). Little-endian.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from enum import IntEnum, IntFlag
from typing import Any

import msgspec

from hombi.links.zigbee.datatypes import analog, decode_value, encode_value, within
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
    for attribute in attributes:
        parts.append(struct.pack("<HB", attribute.id, attribute.status))
        if not attribute.status:
            parts.append(bytes((attribute.type,)) + encode_value(attribute.type, attribute.value))
    return b"".join(parts)


def configure(reports: Sequence[Reporting]) -> bytes:
    """Payload of "configure reporting"."""
    parts = []
    for report in reports:
        parts.append(
            struct.pack(
                "<BHBHH", 0, report.attribute, report.type, report.shortest_s, report.longest_s
            )
        )
        if analog(report.type):
            parts.append(encode_value(report.type, within(report.type, report.change)))
    return b"".join(parts)


def parse_read(payload: bytes) -> list[int]:
    """The attribute ids of a "read attributes". Raises CodecError."""
    if len(payload) % 2:
        raise CodecError("a read of attributes ends within an id")
    return list(struct.unpack(f"<{len(payload) // 2}H", payload))


def discover(first: int, most: int) -> bytes:
    """Payload of "discover attributes": those from a number on (ZCL, 2.5.13)."""
    return struct.pack("<HB", first, most)


def parse_discovered(payload: bytes) -> tuple[bool, list[tuple[int, int]]]:
    """The answer to it: whether these are all, and the number and type of each. Raises
    CodecError."""
    if not payload or (len(payload) - 1) % 3:
        raise CodecError("an answer to a discovery of attributes ends within a record")
    rows = struct.iter_unpack("<HB", payload[1:])
    return bool(payload[0]), [(number, kind) for number, kind in rows]


def read_records(payload: bytes, *, answers: bool) -> tuple[list[Attribute], Broken | None]:
    """The records of an answer to a read (`answers`), or of a report or a write, and
    where they end too early, if they do."""
    attributes: list[Attribute] = []
    at = 0
    while at < len(payload):
        try:
            attribute, at = _record(payload, at, answers=answers)
        except CodecError as error:
            return attributes, Broken(str(error))
        attributes.append(attribute)
    return attributes, None


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
    attributes, broken = read
    if broken is not None and not attributes:
        raise CodecError(broken.what)
    return attributes


def parse_configure(payload: bytes) -> list[Reporting]:
    """The records of a "configure reporting". Raises CodecError."""
    reportings, at = [], 0
    while at < len(payload):
        if at + 8 > len(payload):
            raise CodecError("a configuration of reports ends within a record")
        _, number, kind, shortest, longest = struct.unpack_from("<BHBHH", payload, at)
        at, change = at + 8, 0
        if analog(kind):
            change, at = decode_value(payload, at, kind)
        reportings.append(Reporting(number, kind, shortest, longest, change))
    return reportings


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
