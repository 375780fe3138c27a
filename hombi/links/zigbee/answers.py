"""What the co-processor says, read from the data of its frames. No I/O."""

from __future__ import annotations

import struct
from collections.abc import Callable
from typing import Any

from hombi.links.zigbee.commands import (
    IDS,
    Address,
    Announced,
    Confirm,
    DeviceInfo,
    Endpoints,
    Id,
    Incoming,
    Joined,
    Left,
    NetworkInfo,
    NodeDescriptor,
    Outcome,
    Reset,
    SimpleDescriptor,
    StateChanged,
    Version,
)
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.frames import Frame


class _Reader:
    """Bytes read off one after the other. Raises CodecError at their end."""

    def __init__(self, data: bytes, what: Id) -> None:
        self._data, self._at, self._what = data, 0, what

    def take(self, form: str) -> Any:
        size = struct.calcsize("<" + form)
        if self._at + size > len(self._data):
            raise CodecError(f"{self._what.name} ends after {len(self._data)} bytes")
        result = struct.unpack_from("<" + form, self._data, self._at)
        self._at += size
        return result if len(result) != 1 else result[0]

    def many(self) -> tuple[int, ...]:
        """A count, and so many 16-bit numbers."""
        count = self.take("B")
        return tuple(self.take("H") for _ in range(count))

    def bytes(self, count: int) -> bytes:
        if self._at + count > len(self._data):
            raise CodecError(f"{self._what.name} ends within its data")
        self._at += count
        return self._data[self._at - count : self._at]

    @property
    def left(self) -> int:
        return len(self._data) - self._at


def _version(r: _Reader) -> Version:
    transport, product, major, minor, maintenance = r.take("BBBBB")
    return Version(transport, product, major, minor, maintenance, r.take("I") if r.left >= 4 else 0)


def _device_info(r: _Reader) -> DeviceInfo:
    _, ieee, short, _, state = r.take("BQHBB")
    return DeviceInfo(ieee, short, state)


def _network_info(r: _Reader) -> NetworkInfo:
    # Newer firmware has a byte for its state behind the short address: the whole is one
    # byte longer then.
    r.take("HB" if r.left >= 24 else "H")
    pan, _, extended, _, channel = r.take("HHQQB")
    return NetworkInfo(pan, extended, channel)


def _announced(r: _Reader) -> Announced:
    _, short, ieee, capability = r.take("HHQB")
    return Announced(short, ieee, capability)


def _left(r: _Reader) -> Left:
    short, ieee, _, _, rejoin = r.take("HQBBB")
    return Left(short, ieee, bool(rejoin))


def _node_descriptor(r: _Reader) -> NodeDescriptor:
    source, status = r.take("HB")
    if status:
        return NodeDescriptor(source, status)
    _, flags, _, capability, manufacturer = r.take("HBBBH")
    return NodeDescriptor(source, status, flags & 7, capability, manufacturer)


def _endpoints(r: _Reader) -> Endpoints:
    source, status = r.take("HB")
    if status:
        return Endpoints(source, status)
    _, count = r.take("HB")
    return Endpoints(source, status, tuple(r.bytes(count)))


def _simple_descriptor(r: _Reader) -> SimpleDescriptor:
    source, status = r.take("HB")
    if status:
        return SimpleDescriptor(source, status)
    _, length = r.take("HB")
    if not length:
        return SimpleDescriptor(source, status)
    endpoint, profile, device, _ = r.take("BHHB")
    return SimpleDescriptor(source, status, endpoint, profile, device, r.many(), r.many())


def _incoming(r: _Reader) -> Incoming:
    group, cluster, source, endpoint, to, broadcast, quality, *_, length = r.take("HHHBBBBBIBB")
    return Incoming(cluster, source, endpoint, quality, bool(broadcast), r.bytes(length), group, to)


_LONG_HEAD = struct.Struct("<HHBQBHBBBBIBH")
BY_SHORT = 2


def _incoming_long(r: _Reader) -> Incoming:
    """The extended form: the sender's address has a mode and eight bytes, and the
    length two. Firmware that says it in the form of 44 81 is understood too: only in
    one of the two does the length fit."""
    whole = r.bytes(r.left)
    if len(whole) >= _LONG_HEAD.size:
        head = _LONG_HEAD.unpack_from(whole)
        group, cluster, mode, address, endpoint, _, to, broadcast, quality, *_, length = head
        left = len(whole) - _LONG_HEAD.size - length
        if mode == BY_SHORT and 0 <= left <= 3:
            data = whole[_LONG_HEAD.size : _LONG_HEAD.size + length]
            return Incoming(
                cluster, address & 0xFFFF, endpoint, quality, bool(broadcast), data, group, to
            )
    return _incoming(_Reader(whole, Id.AF_INCOMING_LONG))


_PARSERS: dict[int, Callable[[_Reader], Any]] = {
    Id.RESET_DONE: lambda r: Reset(r.take("B")),
    Id.VERSION + 0x4000: _version,
    Id.DEVICE_INFO + 0x4000: _device_info,
    Id.NETWORK_INFO + 0x4000: _network_info,
    Id.JOINED: lambda r: Joined(*r.take("HQH")),
    Id.ANNOUNCED: _announced,
    Id.LEFT: _left,
    Id.IEEE_ADDRESS_CAME: lambda r: Address(*r.take("BQH")),
    Id.NODE_DESCRIPTOR_CAME: _node_descriptor,
    Id.ACTIVE_ENDPOINTS_CAME: _endpoints,
    Id.SIMPLE_DESCRIPTOR_CAME: _simple_descriptor,
    Id.BOUND: lambda r: Outcome(*r.take("HB")),
    Id.LEFT_ANSWER: lambda r: Outcome(*r.take("HB")),
    Id.PERMIT_JOIN_ANSWER: lambda r: Outcome(*r.take("HB")),
    Id.AF_DATA_CONFIRM: lambda r: Confirm(*r.take("BBB")),
    Id.AF_INCOMING: _incoming,
    Id.AF_INCOMING_LONG: _incoming_long,
    Id.SHORT_ADDRESS_CAME: lambda r: Address(*r.take("BQH")),
    Id.STATE_CHANGED: lambda r: StateChanged(r.take("B")),
}


def parse(frame: Frame) -> Any:
    """What a frame from the co-processor says, None for one that the hub has no use
    for. Raises CodecError."""
    parser = _PARSERS.get(frame.command)
    return None if parser is None else parser(_Reader(frame.data, _what(frame.command)))


def _what(command: int) -> Id:
    return Id(command if command in IDS else command - 0x4000)
