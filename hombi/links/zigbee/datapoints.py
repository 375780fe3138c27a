"""Numbered datapoints that some nodes tunnel through a manufacturer-specific cluster.
No I/O.

The cluster's commands: 00 the hub writes, 01 the node answers, 02 the node tells, 03
the hub asks for all of them. Payload: a sequence number (2 bytes), then one or more of:
number, type, length (2 bytes), value. All of it big-endian, unlike the rest of Zigbee.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from typing import Any

import msgspec

from hombi.links.zigbee.errors import CodecError

WRITE, ANSWER, TELL, ASK_ALL = 0x00, 0x01, 0x02, 0x03
RAW, BOOL, VALUE, TEXT, ENUM, BITMAP = range(6)
DATAPOINT_TYPES = {"bool": BOOL, "value": VALUE, "enum": ENUM, "bitmap": BITMAP}


class Datapoint(msgspec.Struct, frozen=True):
    """One datapoint: its number, its type, and its value."""

    id: int
    type: int
    value: Any


def encode(sequence: int, points: Sequence[Datapoint]) -> bytes:
    """The payload of a command with these datapoints. Raises CodecError."""
    parts = [struct.pack(">H", sequence & 0xFFFF)]
    for one in points:
        content = _content(one)
        parts.append(struct.pack(">BBH", one.id, one.type, len(content)) + content)
    return b"".join(parts)


def decode(payload: bytes) -> tuple[int, list[Datapoint]]:
    """The sequence number and the datapoints of a payload. Raises CodecError."""
    if len(payload) < 2:
        raise CodecError("datapoints begin with a sequence number of 2 bytes")
    at, found = 2, []
    while at < len(payload):
        if at + 4 > len(payload):
            raise CodecError("a datapoint ends within its head")
        number, kind, length = struct.unpack_from(">BBH", payload, at)
        at += 4
        content = payload[at : at + length]
        if len(content) < length:
            raise CodecError(f"datapoint {number} ends after {len(content)} of its {length} bytes")
        found.append(Datapoint(number, kind, _value(number, kind, content)))
        at += length
    return payload[0] << 8 | payload[1], found


def _content(one: Datapoint) -> bytes:
    try:
        if one.type == BOOL:
            return bytes((bool(one.value),))
        if one.type == VALUE:
            return int(one.value).to_bytes(4, "big", signed=True)
        if one.type == ENUM:
            return int(one.value).to_bytes(1, "big")
        if one.type == BITMAP:
            return int(one.value).to_bytes(4, "big")
        return one.value.encode() if isinstance(one.value, str) else bytes(one.value)
    except (TypeError, ValueError, OverflowError) as error:
        raise CodecError(
            f"{one.value!r} is not a value for datapoint {one.id} of type {one.type}"
        ) from error


def _value(number: int, kind: int, content: bytes) -> Any:
    if kind == BOOL and len(content) == 1:
        return bool(content[0])
    if kind == VALUE and len(content) == 4:
        return int.from_bytes(content, "big", signed=True)
    if kind == ENUM and len(content) == 1:
        return content[0]
    if kind == BITMAP and len(content) in (1, 2, 4):
        return int.from_bytes(content, "big")
    if kind == TEXT:
        return content.decode(errors="replace")
    if kind == RAW:
        return content
    raise CodecError(f"datapoint {number} is of type {kind} with {len(content)} bytes")
