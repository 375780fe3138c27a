"""MQTT 3.1.1 control packets: bytes to packets and back. Clause numbers are those of the OASIS standard of 2014."""

from __future__ import annotations

import struct
from dataclasses import dataclass

MAX_PACKET = 256 * 1024  # A reading is a hundred bytes; what is larger than this is no node of ours.

CONNECT, CONNACK, PUBLISH, PUBACK = 1, 2, 3, 4
SUBSCRIBE, SUBACK, UNSUBSCRIBE, UNSUBACK = 8, 9, 10, 11
PINGREQ, PINGRESP, DISCONNECT = 12, 13, 14

# 3.2.2.3
ACCEPTED, BAD_PROTOCOL, BAD_CLIENT_ID, UNAVAILABLE, BAD_CREDENTIALS, NOT_AUTHORISED = range(6)
SUBSCRIBE_REFUSED = 0x80


class MalformedPacket(Exception):
    """The bytes are no packet that the standard allows; the connection must be closed (4.8)."""


@dataclass(frozen=True, slots=True)
class Connect:
    """3.1. `level` is 4 for MQTT 3.1.1."""

    client_id: str
    level: int = 4
    clean: bool = True
    keep_alive: int = 60
    username: str | None = None
    password: bytes | None = None
    will: Publish | None = None


@dataclass(frozen=True, slots=True)
class Connack:
    """3.2."""

    code: int
    session_present: bool = False


@dataclass(frozen=True, slots=True)
class Publish:
    """3.3. `packet_id` is 0 at QoS 0."""

    topic: str
    payload: bytes
    qos: int = 0
    retain: bool = False
    packet_id: int = 0
    duplicate: bool = False


@dataclass(frozen=True, slots=True)
class Puback:
    """3.4."""

    packet_id: int


@dataclass(frozen=True, slots=True)
class Subscribe:
    """3.8: filters with the QoS asked for each."""

    packet_id: int
    filters: tuple[tuple[str, int], ...]


@dataclass(frozen=True, slots=True)
class Suback:
    """3.9: the QoS granted for each filter, or 0x80."""

    packet_id: int
    codes: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Unsubscribe:
    """3.10."""

    packet_id: int
    filters: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Unsuback:
    """3.11."""

    packet_id: int


@dataclass(frozen=True, slots=True)
class Pingreq:
    """3.12."""


@dataclass(frozen=True, slots=True)
class Pingresp:
    """3.13."""


@dataclass(frozen=True, slots=True)
class Disconnect:
    """3.14."""


Packet = Connect | Connack | Publish | Puback | Subscribe | Suback | Unsubscribe | Unsuback | Pingreq | Pingresp | Disconnect


class Reader:
    """Cuts a stream of bytes into packets. `feed` raises MalformedPacket, after which the reader is of no more use."""

    def __init__(self, limit: int = MAX_PACKET) -> None:
        self._buffer = bytearray()
        self._limit = limit

    def feed(self, data: bytes) -> list[Packet]:
        """The packets that are complete with this data."""
        buffer = self._buffer
        buffer += data
        packets: list[Packet] = []
        at, end = 0, len(buffer)
        while end - at >= 2:
            length = buffer[at + 1]
            body = at + 2
            if length & 0x80:
                head = _remaining_length(buffer, at + 1)
                if head is None:
                    break
                length, body = head
            if length > self._limit:
                raise MalformedPacket(f"a packet of {length} bytes is over the limit of {self._limit}")
            if end - body < length:
                break
            packets.append(decode(buffer[at], bytes(buffer[body : body + length])))
            at = body + length
        if at:
            del buffer[:at]
        return packets


def _remaining_length(buffer: bytearray, at: int) -> tuple[int, int] | None:
    """2.2.3: (value, place after it), or None when more bytes must come first."""
    value = 0
    for count in range(4):
        if at + count >= len(buffer):
            return None
        byte = buffer[at + count]
        value |= (byte & 0x7F) << (7 * count)
        if not byte & 0x80:
            return value, at + count + 1
    raise MalformedPacket("the remaining length has more than four bytes")


class _Body:
    """A packet's body, read from the front."""

    def __init__(self, data: bytes) -> None:
        self.data, self.at = data, 0

    def byte(self) -> int:
        if self.at >= len(self.data):
            raise MalformedPacket("the packet ends too early")
        self.at += 1
        return self.data[self.at - 1]

    def word(self) -> int:
        return self.byte() << 8 | self.byte()

    def binary(self) -> bytes:
        length = self.word()
        if self.at + length > len(self.data):
            raise MalformedPacket("the packet ends too early")
        self.at += length
        return self.data[self.at - length : self.at]

    def text(self) -> str:
        return _text(self.binary())

    def packet_id(self) -> int:
        number = self.word()
        if number == 0:
            raise MalformedPacket("packet identifier 0 is not allowed [MQTT-2.3.1-1]")
        return number

    def end(self) -> None:
        if self.at != len(self.data):
            raise MalformedPacket("the packet is longer than its content")


def _text(data: bytes) -> str:
    try:
        text = data.decode()
    except UnicodeDecodeError as error:
        raise MalformedPacket("a text is not UTF-8 [MQTT-1.5.3-1]") from error
    if "\0" in text:
        raise MalformedPacket("a text holds U+0000 [MQTT-1.5.3-2]")
    return text


def decode(first: int, data: bytes) -> Packet:
    """One packet from its first byte and its body. Raises MalformedPacket."""
    kind, flags = first >> 4, first & 0x0F
    if kind == PUBLISH:
        return _decode_publish(flags, data)
    if flags != (2 if kind in (SUBSCRIBE, UNSUBSCRIBE) else 0):
        raise MalformedPacket(f"packet type {kind} has the flags {flags:04b} [MQTT-2.2.2-2]")
    body = _Body(data)
    packet: Packet
    if kind == CONNECT:
        packet = _decode_connect(body)
    elif kind == CONNACK:
        packet = Connack(session_present=bool(body.byte() & 1), code=body.byte())
    elif kind == PUBACK:
        packet = Puback(body.packet_id())
    elif kind == SUBSCRIBE:
        packet = _decode_subscribe(body)
    elif kind == SUBACK:
        packet = Suback(body.packet_id(), tuple(data[body.at :]))
        body.at = len(data)
    elif kind == UNSUBSCRIBE:
        number, filters = body.packet_id(), []
        while body.at < len(data):
            filters.append(body.text())
        if not filters:
            raise MalformedPacket("an unsubscribe names no filter [MQTT-3.10.3-2]")
        packet = Unsubscribe(number, tuple(filters))
    elif kind == UNSUBACK:
        packet = Unsuback(body.packet_id())
    elif kind == PINGREQ:
        packet = Pingreq()
    elif kind == PINGRESP:
        packet = Pingresp()
    elif kind == DISCONNECT:
        packet = Disconnect()
    else:
        raise MalformedPacket(f"packet type {kind} is not taken here")
    body.end()
    return packet


def _decode_publish(flags: int, data: bytes) -> Publish:
    qos = flags >> 1 & 3
    if qos == 3:
        raise MalformedPacket("QoS 3 does not exist [MQTT-3.3.1-4]")
    if qos == 0 and flags & 8:
        raise MalformedPacket("a duplicate at QoS 0 does not exist [MQTT-3.3.1-2]")
    if len(data) < 2:
        raise MalformedPacket("the packet ends too early")
    at = 2 + (data[0] << 8 | data[1])
    if at + (2 if qos else 0) > len(data):
        raise MalformedPacket("the packet ends too early")
    topic, packet_id = _text(data[2:at]), 0
    if qos:
        packet_id = data[at] << 8 | data[at + 1]
        if packet_id == 0:
            raise MalformedPacket("packet identifier 0 is not allowed [MQTT-2.3.1-1]")
        at += 2
    return Publish(topic, data[at:], qos, bool(flags & 1), packet_id, bool(flags & 8))


def _decode_connect(body: _Body) -> Connect:
    if body.text() != "MQTT":
        raise MalformedPacket("this is no MQTT connect [MQTT-3.1.2-1]")
    level, flags, keep_alive = body.byte(), body.byte(), body.word()
    if level != 4:
        body.at = len(body.data)  # Another version has another layout; the level alone is answered [MQTT-3.1.2-2].
        return Connect("", level=level)
    if flags & 1:
        raise MalformedPacket("the reserved connect flag is set [MQTT-3.1.2-3]")
    has_will, will_qos, will_retain = bool(flags & 4), flags >> 3 & 3, bool(flags & 0x20)
    if will_qos == 3 or (not has_will and (will_qos or will_retain)):
        raise MalformedPacket("the will flags contradict each other [MQTT-3.1.2-11]")
    if flags & 0x40 and not flags & 0x80:
        raise MalformedPacket("a password without a user name [MQTT-3.1.2-22]")
    client_id, will = body.text(), None
    if has_will:
        will = Publish(body.text(), body.binary(), will_qos, will_retain)
    username = body.text() if flags & 0x80 else None
    password = body.binary() if flags & 0x40 else None
    return Connect(client_id, level, bool(flags & 2), keep_alive, username, password, will)


def _decode_subscribe(body: _Body) -> Subscribe:
    number, filters = body.packet_id(), []
    while body.at < len(body.data):
        name, qos = body.text(), body.byte()
        if qos > 2:
            raise MalformedPacket("the QoS asked for does not exist [MQTT-3-8.3-4]")
        filters.append((name, qos))
    if not filters:
        raise MalformedPacket("a subscribe names no filter [MQTT-3.8.3-3]")
    return Subscribe(number, tuple(filters))


def encode(packet: Packet) -> bytes:
    """The bytes of a packet."""
    match packet:
        case Publish():
            head = PUBLISH << 4 | packet.duplicate << 3 | packet.qos << 1 | packet.retain
            number = struct.pack(">H", packet.packet_id) if packet.qos else b""
            return _frame(head, _string(packet.topic) + number + packet.payload)
        case Puback():
            return struct.pack(">BBH", PUBACK << 4, 2, packet.packet_id)
        case Connack():
            return bytes((CONNACK << 4, 2, packet.session_present, packet.code))
        case Pingresp():
            return bytes((PINGRESP << 4, 0))
        case Pingreq():
            return bytes((PINGREQ << 4, 0))
        case Disconnect():
            return bytes((DISCONNECT << 4, 0))
        case Suback():
            return _frame(SUBACK << 4, struct.pack(">H", packet.packet_id) + bytes(packet.codes))
        case Unsuback():
            return struct.pack(">BBH", UNSUBACK << 4, 2, packet.packet_id)
        case Subscribe():
            filters = b"".join(_string(name) + bytes((qos,)) for name, qos in packet.filters)
            return _frame(SUBSCRIBE << 4 | 2, struct.pack(">H", packet.packet_id) + filters)
        case Unsubscribe():
            names = b"".join(_string(name) for name in packet.filters)
            return _frame(UNSUBSCRIBE << 4 | 2, struct.pack(">H", packet.packet_id) + names)
        case Connect():
            return _encode_connect(packet)


def _encode_connect(packet: Connect) -> bytes:
    flags, payload, will = packet.clean << 1, _string(packet.client_id), packet.will
    if will is not None:
        flags |= 4 | will.qos << 3 | will.retain << 5
        payload += _string(will.topic) + _binary(will.payload)
    if packet.username is not None:
        flags |= 0x80
        payload += _string(packet.username)
    if packet.password is not None:
        flags |= 0x40
        payload += _binary(packet.password)
    return _frame(CONNECT << 4, _string("MQTT") + struct.pack(">BBH", packet.level, flags, packet.keep_alive) + payload)


def _binary(data: bytes) -> bytes:
    return struct.pack(">H", len(data)) + data


def _string(text: str) -> bytes:
    return _binary(text.encode())


def _frame(head: int, body: bytes) -> bytes:
    length, encoded = len(body), bytearray((head,))
    while True:
        length, digit = length >> 7, length & 0x7F
        encoded.append(digit | (0x80 if length else 0))
        if not length:
            return bytes(encoded) + body
