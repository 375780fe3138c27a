"""MQTT control packets from bytes: what a stranger sends is checked here, and nowhere
else."""

from __future__ import annotations

from hombi.links.wifi.mqtt.packets import (
    AUTH,
    CONNACK,
    CONNECT,
    DISCONNECT,
    PINGREQ,
    PINGRESP,
    PROTOCOL_ERROR,
    PUBACK,
    PUBCOMP,
    PUBLISH,
    PUBREC,
    PUBREL,
    SUBACK,
    SUBSCRIBE,
    TOO_LARGE,
    UNSUBACK,
    UNSUBSCRIBE,
    UNSUPPORTED_VERSION,
    Auth,
    Connack,
    Connect,
    Disconnect,
    Packet,
    Pingreq,
    Pingresp,
    Puback,
    Pubcomp,
    Publish,
    Pubrec,
    Pubrel,
    Suback,
    Subscribe,
    Unsuback,
    Unsubscribe,
)
from hombi.links.wifi.mqtt.properties import NONE, WILL, Properties, decode_properties
from hombi.links.wifi.mqtt.wire import Body, MalformedPacket, text

# A reading is a hundred bytes; what is larger than this is not a node of ours.
MAX_PACKET = 256 * 1024
_ACKS: dict[int, type[Puback | Pubrec | Pubrel | Pubcomp]] = {
    PUBACK: Puback,
    PUBREC: Pubrec,
    PUBREL: Pubrel,
    PUBCOMP: Pubcomp,
}


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
        raise MalformedPacket("this is not an MQTT connect [MQTT-3.1.2-1]", UNSUPPORTED_VERSION)
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
