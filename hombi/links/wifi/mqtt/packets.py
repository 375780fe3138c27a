"""MQTT control packets: bytes to packets and back. Level 4 is MQTT 3.1.1 (OASIS, 2014),
level 5 is MQTT 5 (OASIS, 2019).

Clause numbers in texts are those of 3.1.1, where both have the clause.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from hombi.links.wifi.mqtt.properties import (
    NONE,
    WILL,
    Properties,
    decode_properties,
    encode_properties,
)
from hombi.links.wifi.mqtt.wire import Body, MalformedPacket, binary, string, text, varint

MAX_PACKET = (
    256 * 1024
)  # A reading is a hundred bytes; what is larger than this is no node of ours.

CONNECT, CONNACK, PUBLISH, PUBACK, PUBREC, PUBREL, PUBCOMP = 1, 2, 3, 4, 5, 6, 7
SUBSCRIBE, SUBACK, UNSUBSCRIBE, UNSUBACK = 8, 9, 10, 11
PINGREQ, PINGRESP, DISCONNECT, AUTH = 12, 13, 14, 15

# 3.1.1, 3.2.2.3
ACCEPTED, BAD_PROTOCOL, BAD_CLIENT_ID, UNAVAILABLE, BAD_CREDENTIALS, NOT_AUTHORISED = range(6)
SUBSCRIBE_REFUSED = 0x80
# MQTT 5, 2.4: reason codes
WITH_WILL = 0x04
NO_SUBSCRIPTION_EXISTED = 0x11
PROTOCOL_ERROR, UNSUPPORTED_VERSION, CLIENT_ID_NOT_VALID, BAD_USER_OR_PASSWORD, NOT_AUTHORIZED = (
    0x82,
    0x84,
    0x85,
    0x86,
    0x87,
)
SHUTTING_DOWN, BAD_METHOD, KEEP_ALIVE_TIMEOUT, TAKEN_OVER, BAD_FILTER, BAD_NAME = (
    0x8B,
    0x8C,
    0x8D,
    0x8E,
    0x8F,
    0x90,
)
NO_SUCH_PACKET_ID, RECEIVE_MAXIMUM_EXCEEDED, BAD_ALIAS, TOO_LARGE, QUOTA, ADMINISTRATIVE = (
    0x92,
    0x93,
    0x94,
    0x95,
    0x97,
    0x98,
)
BAD_PAYLOAD, NO_SHARED = 0x99, 0x9E


@dataclass(frozen=True, slots=True)
class Connect:
    """3.1. `level` is 4 for MQTT 3.1.1, 5 for MQTT 5; `clean` is "clean start" in MQTT
    5."""

    client_id: str
    level: int = 4
    clean: bool = True
    keep_alive: int = 60
    username: str | None = None
    password: bytes | None = None
    will: Publish | None = None
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Connack:
    """3.2."""

    code: int
    session_present: bool = False
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Publish:
    """3.3. `packet_id` is 0 at QoS 0."""

    topic: str
    payload: bytes
    qos: int = 0
    retain: bool = False
    packet_id: int = 0
    duplicate: bool = False
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Puback:
    """3.4."""

    packet_id: int
    reason: int = 0
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Pubrec:
    """3.5: a QoS 2 message is safe."""

    packet_id: int
    reason: int = 0
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Pubrel:
    """3.6: the sender of a QoS 2 message will not send it again."""

    packet_id: int
    reason: int = 0
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Pubcomp:
    """3.7: a QoS 2 message's identifier is free again."""

    packet_id: int
    reason: int = 0
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Subscribe:
    """3.8: filters with the QoS asked for each; in MQTT 5 the whole options byte
    (3.8.3.1)."""

    packet_id: int
    filters: tuple[tuple[str, int], ...]
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Suback:
    """3.9: for each filter the QoS granted, or 0x80 (in MQTT 5 a reason code)."""

    packet_id: int
    codes: tuple[int, ...]
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Unsubscribe:
    """3.10."""

    packet_id: int
    filters: tuple[str, ...]
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Unsuback:
    """3.11; `codes` only in MQTT 5."""

    packet_id: int
    codes: tuple[int, ...] = ()
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Pingreq:
    """3.12."""


@dataclass(frozen=True, slots=True)
class Pingresp:
    """3.13."""


@dataclass(frozen=True, slots=True)
class Disconnect:
    """3.14; in MQTT 5 it says why, and the server sends it too."""

    reason: int = 0
    properties: Properties = NONE


@dataclass(frozen=True, slots=True)
class Auth:
    """MQTT 5, 3.15."""

    reason: int = 0
    properties: Properties = NONE


Packet = (
    Connect | Connack | Publish | Puback | Pubrec | Pubrel | Pubcomp | Subscribe | Suback
    | Unsubscribe | Unsuback | Pingreq | Pingresp | Disconnect | Auth
)  # fmt: skip
_ACKS: dict[int, type[Puback | Pubrec | Pubrel | Pubcomp]] = {
    PUBACK: Puback,
    PUBREC: Pubrec,
    PUBREL: Pubrel,
    PUBCOMP: Pubcomp,
}
_ACK_KINDS = {made: kind for kind, made in _ACKS.items()}


class Reader:
    """Cuts a stream of bytes into packets. `feed` raises MalformedPacket, after which
    the reader is of no more use.

    `level` is that of the connection; a connect packet that goes by sets it.
    """

    def __init__(self, limit: int = MAX_PACKET, level: int = 4) -> None:
        self._buffer = bytearray()
        self._limit = limit
        self.level = level

    @property
    def waiting(self) -> int:
        """How many bytes wait for the rest of their packet."""
        return len(self._buffer)

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
                raise MalformedPacket(
                    f"a packet of {length} bytes is over the limit of {self._limit}", TOO_LARGE
                )
            if end - body < length:
                break
            packet = decode(buffer[at], bytes(buffer[body : body + length]), self.level)
            if isinstance(packet, Connect):
                self.level = packet.level
            packets.append(packet)
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
            if count and not byte:
                raise MalformedPacket(
                    "the remaining length is longer than it must be [MQTT-1.5.5-1]"
                )
            return value, at + count + 1
    raise MalformedPacket("the remaining length has more than four bytes")


def decode(first: int, data: bytes, level: int = 4) -> Packet:
    """One packet from its first byte and its body. Raises MalformedPacket."""
    kind, flags = first >> 4, first & 0x0F
    if kind == PUBLISH:
        return _decode_publish(flags, data, level)
    if flags != (2 if kind in (PUBREL, SUBSCRIBE, UNSUBSCRIBE) else 0):
        raise MalformedPacket(f"packet type {kind} has the flags {flags:04b} [MQTT-2.2.2-2]")
    body, five = Body(data), level >= 5
    packet: Packet
    if kind == CONNECT:
        packet = _decode_connect(body)
    elif kind == CONNACK:
        acknowledge = body.byte()
        if acknowledge > 1:
            raise MalformedPacket("reserved flags of a connack are set [MQTT-3.2.2-1]")
        packet = Connack(
            body.byte(), bool(acknowledge), decode_properties(body, kind) if five else NONE
        )
    elif kind in _ACKS:
        packet = _ACKS[kind](body.packet_id(), *_reason(body, kind, five))
    elif kind == SUBSCRIBE:
        packet = _decode_subscribe(body, five)
    elif kind == SUBACK:
        packet = Suback(
            body.packet_id(),
            properties=decode_properties(body, kind) if five else NONE,
            codes=tuple(body.rest()),
        )
    elif kind == UNSUBSCRIBE:
        packet = _decode_unsubscribe(body, five)
    elif kind == UNSUBACK:
        number = body.packet_id()
        packet = (
            Unsuback(number, properties=decode_properties(body, kind), codes=tuple(body.rest()))
            if five
            else Unsuback(number)
        )
    elif kind == PINGREQ:
        packet = Pingreq()
    elif kind == PINGRESP:
        packet = Pingresp()
    elif kind == DISCONNECT:
        packet = Disconnect(*_reason(body, kind, five))
    elif kind == AUTH and five:
        packet = Auth(*_reason(body, kind, five))
    else:
        raise MalformedPacket(f"there is no packet type {kind}")
    body.end()
    return packet


def _reason(body: Body, kind: int, five: bool) -> tuple[int, Properties]:
    """The reason code and the properties; both may be left out at the end (3.4.2.1,
    3.14.2.1)."""
    if not five or body.ended:
        return 0, NONE
    reason = body.byte()
    return reason, NONE if body.ended else decode_properties(body, kind)


def _decode_publish(flags: int, data: bytes, level: int) -> Publish:
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
    topic, packet_id, properties = text(data[2:at]), 0, NONE
    if qos:
        packet_id = data[at] << 8 | data[at + 1]
        if packet_id == 0:
            raise MalformedPacket(
                "packet identifier 0 is not allowed [MQTT-2.3.1-1]", PROTOCOL_ERROR
            )
        at += 2
    if level >= 5:
        body = Body(data)
        body.at = at
        properties = decode_properties(body, PUBLISH)
        at = body.at
    return Publish(topic, data[at:], qos, bool(flags & 1), packet_id, bool(flags & 8), properties)


def _decode_connect(body: Body) -> Connect:
    if body.text() != "MQTT":
        raise MalformedPacket("this is no MQTT connect [MQTT-3.1.2-1]", UNSUPPORTED_VERSION)
    level, flags = body.byte(), body.byte()
    if level not in (4, 5):
        # Another version has another layout; only the level is answered [MQTT-3.1.2-2].
        body.rest()
        return Connect("", level=level)
    keep_alive = body.word()
    if flags & 1:
        raise MalformedPacket("the reserved connect flag is set [MQTT-3.1.2-3]")
    has_will, will_qos, will_retain = bool(flags & 4), flags >> 3 & 3, bool(flags & 0x20)
    if will_qos == 3 or (not has_will and (will_qos or will_retain)):
        raise MalformedPacket("the will flags contradict each other [MQTT-3.1.2-11]")
    if level == 4 and flags & 0x40 and not flags & 0x80:
        raise MalformedPacket("a password without a user name [MQTT-3.1.2-22]")
    properties = decode_properties(body, CONNECT) if level == 5 else NONE
    client_id, will = body.text(), None
    if has_will:
        will_properties = decode_properties(body, WILL) if level == 5 else NONE
        will = Publish(
            body.text(), body.binary(), will_qos, will_retain, properties=will_properties
        )
    username = body.text() if flags & 0x80 else None
    password = body.binary() if flags & 0x40 else None
    return Connect(
        client_id, level, bool(flags & 2), keep_alive, username, password, will, properties
    )


def _decode_subscribe(body: Body, five: bool) -> Subscribe:
    number, filters = body.packet_id(), []
    properties = decode_properties(body, SUBSCRIBE) if five else NONE
    while not body.ended:
        name, options = body.text(), body.byte()
        if (
            options & 3 == 3
            or options & (0xC0 if five else 0xFC)
            or (five and options >> 4 & 3 == 3)
        ):
            raise MalformedPacket("the options of a subscription do not exist [MQTT-3-8.3-4]")
        if five and options & 4 and name.startswith("$share/"):
            raise MalformedPacket(
                "no local with a shared subscription [MQTT-3.8.3-4]", PROTOCOL_ERROR
            )
        filters.append((name, options))
    if not filters:
        raise MalformedPacket("a subscribe names no filter [MQTT-3.8.3-3]", PROTOCOL_ERROR)
    return Subscribe(number, tuple(filters), properties)


def _decode_unsubscribe(body: Body, five: bool) -> Unsubscribe:
    number, filters = body.packet_id(), []
    properties = decode_properties(body, UNSUBSCRIBE) if five else NONE
    while not body.ended:
        filters.append(body.text())
    if not filters:
        raise MalformedPacket("an unsubscribe names no filter [MQTT-3.10.3-2]", PROTOCOL_ERROR)
    return Unsubscribe(number, tuple(filters), properties)


def encode(packet: Packet, level: int = 4) -> bytes:
    """The bytes of a packet; what only MQTT 5 has is left out at level 4."""
    five = level >= 5
    match packet:
        case Publish():
            head = PUBLISH << 4 | packet.duplicate << 3 | packet.qos << 1 | packet.retain
            number = struct.pack(">H", packet.packet_id) if packet.qos else b""
            properties = encode_properties(packet.properties) if five else b""
            return _frame(head, string(packet.topic) + number + properties + packet.payload)
        case Puback() | Pubrec() | Pubrel() | Pubcomp():
            kind = _ACK_KINDS[type(packet)]
            tail = _encode_reason(packet.reason, packet.properties) if five else b""
            return _frame(
                kind << 4 | (2 if kind == PUBREL else 0), struct.pack(">H", packet.packet_id) + tail
            )
        case Connack():
            body = bytes((packet.session_present, packet.code))
            return _frame(
                CONNACK << 4, body + (encode_properties(packet.properties) if five else b"")
            )
        case Pingresp():
            return bytes((PINGRESP << 4, 0))
        case Pingreq():
            return bytes((PINGREQ << 4, 0))
        case Disconnect():
            return _frame(
                DISCONNECT << 4, _encode_reason(packet.reason, packet.properties) if five else b""
            )
        case Auth():
            return _frame(AUTH << 4, _encode_reason(packet.reason, packet.properties))
        case Suback():
            return _frame(
                SUBACK << 4,
                _numbered(packet.packet_id, packet.properties, five) + bytes(packet.codes),
            )
        case Unsuback():
            return _frame(
                UNSUBACK << 4,
                _numbered(packet.packet_id, packet.properties, five)
                + bytes(packet.codes if five else ()),
            )
        case Subscribe():
            filters = b"".join(string(name) + bytes((options,)) for name, options in packet.filters)
            return _frame(
                SUBSCRIBE << 4 | 2, _numbered(packet.packet_id, packet.properties, five) + filters
            )
        case Unsubscribe():
            names = b"".join(string(name) for name in packet.filters)
            return _frame(
                UNSUBSCRIBE << 4 | 2, _numbered(packet.packet_id, packet.properties, five) + names
            )
        case Connect():
            return _encode_connect(packet)


def _encode_connect(packet: Connect) -> bytes:
    five = packet.level == 5
    flags, payload, will = packet.clean << 1, string(packet.client_id), packet.will
    if will is not None:
        flags |= 4 | will.qos << 3 | will.retain << 5
        payload += (
            (encode_properties(will.properties) if five else b"")
            + string(will.topic)
            + binary(will.payload)
        )
    if packet.username is not None:
        flags |= 0x80
        payload += string(packet.username)
    if packet.password is not None:
        flags |= 0x40
        payload += binary(packet.password)
    properties = encode_properties(packet.properties) if five else b""
    head = string("MQTT") + struct.pack(">BBH", packet.level, flags, packet.keep_alive)
    return _frame(CONNECT << 4, head + properties + payload)


def _encode_reason(reason: int, properties: Properties) -> bytes:
    if properties:
        return bytes((reason,)) + encode_properties(properties)
    return bytes((reason,)) if reason else b""


def _numbered(packet_id: int, properties: Properties, five: bool) -> bytes:
    return struct.pack(">H", packet_id) + (encode_properties(properties) if five else b"")


def _frame(head: int, body: bytes) -> bytes:
    return bytes((head,)) + varint(len(body)) + body
