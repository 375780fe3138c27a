"""Numbered values that some nodes tunnel through one cluster of their maker's. No I/O.

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
BYTES, BOOL, S32, TEXT, U8, BITS = range(6)
TYPES = {"bool": BOOL, "u8": U8, "s32": S32, "bits": BITS, "text": TEXT, "bytes": BYTES}
# Those that an entity or a setting can be made of.
GIVEN_TYPES = {name: TYPES[name] for name in ("bool", "u8", "s32", "bits")}


class Tunnelled(msgspec.Struct, frozen=True):
    """One value: its number, its type, and its value."""

    id: int
    type: int
    value: Any


def encode(sequence: int, points: Sequence[Tunnelled]) -> bytes:
    """The payload of a command with these values. Raises CodecError."""
    parts = [struct.pack(">H", sequence & 0xFFFF)]
    for point in points:
        content = _content(point)
        parts.append(struct.pack(">BBH", point.id, point.type, len(content)) + content)
    return b"".join(parts)


def decode(payload: bytes) -> tuple[int, list[Tunnelled]]:
    """The sequence number and the values of a payload. Raises CodecError."""
    if len(payload) < 2:
        raise CodecError("tunnelled values begin with a sequence number of 2 bytes")
    at, result = 2, []
    while at < len(payload):
        if at + 4 > len(payload):
            raise CodecError("a tunnelled value ends within its head")
        number, kind, length = struct.unpack_from(">BBH", payload, at)
        at += 4
        content = payload[at : at + length]
        if len(content) < length:
            raise CodecError(
                f"tunnelled value {number} ends after {len(content)} of its {length} bytes"
            )
        result.append(Tunnelled(number, kind, _value(number, kind, content)))
        at += length
    return payload[0] << 8 | payload[1], result


def _content(tunnelled: Tunnelled) -> bytes:
    try:
        if tunnelled.type == BOOL:
            return bytes((bool(tunnelled.value),))
        if tunnelled.type == S32:
            return int(tunnelled.value).to_bytes(4, "big", signed=True)
        if tunnelled.type == U8:
            return int(tunnelled.value).to_bytes(1, "big")
        if tunnelled.type == BITS:
            return int(tunnelled.value).to_bytes(4, "big")
        text_or_bytes = tunnelled.value
        return text_or_bytes.encode() if isinstance(text_or_bytes, str) else bytes(text_or_bytes)
    except (TypeError, ValueError, OverflowError) as error:
        raise CodecError(
            f"{tunnelled.value!r} is not a value for tunnelled value {tunnelled.id} "
            f"of type {tunnelled.type}"
        ) from error


def _value(number: int, kind: int, content: bytes) -> Any:
    if kind == BOOL and len(content) == 1:
        return bool(content[0])
    if kind == S32 and len(content) == 4:
        return int.from_bytes(content, "big", signed=True)
    if kind == U8 and len(content) == 1:
        return content[0]
    if kind == BITS and len(content) in (1, 2, 4):
        return int.from_bytes(content, "big")
    if kind == TEXT:
        return content.decode(errors="replace")
    if kind == BYTES:
        return content
    raise CodecError(f"tunnelled value {number} is of type {kind} with {len(content)} bytes")
