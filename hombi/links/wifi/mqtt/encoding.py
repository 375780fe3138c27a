"""MQTT control packets to bytes."""

from __future__ import annotations

import struct

from hombi.links.wifi.mqtt.packets import (
    AUTH,
    CONNACK,
    CONNECT,
    DISCONNECT,
    PINGREQ,
    PINGRESP,
    PUBACK,
    PUBCOMP,
    PUBLISH,
    PUBREC,
    PUBREL,
    SUBACK,
    SUBSCRIBE,
    UNSUBACK,
    UNSUBSCRIBE,
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
from hombi.links.wifi.mqtt.properties import Properties, encode_properties
from hombi.links.wifi.mqtt.wire import binary, string, varint

_ACK_KINDS = {Puback: PUBACK, Pubrec: PUBREC, Pubrel: PUBREL, Pubcomp: PUBCOMP}


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
