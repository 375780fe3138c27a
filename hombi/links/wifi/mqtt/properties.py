"""The properties of MQTT 5 (section 2.2.2): which there are, in which packets they may
stand, bytes to values and back."""

from __future__ import annotations

import struct
from collections.abc import Mapping
from typing import Any

from hombi.links.wifi.mqtt.wire import Body, MalformedPacket, binary, string, varint

# A name from the table below to its value; `user` is a tuple of pairs,
# `subscription_id` a tuple of numbers.
Properties = Mapping[str, Any]


class _Nothing(dict[str, Any]):
    """No properties; a default that many packets share, so nothing is ever put into
    it."""

    def __hash__(self) -> int:  # type: ignore[override]
        return 0


NONE: Properties = _Nothing()

PROTOCOL_ERROR = 0x82
WILL = 0  # the properties of a last will stand in the connect packet, but are those of a message
_CONNECT, _CONNACK, _PUBLISH, _ACKS, _SUBSCRIBE, _SUBACKS, _UNSUBSCRIBE, _DISCONNECT, _AUTH = (
    1,
    2,
    3,
    (4, 5, 6, 7),
    8,
    (9, 11),
    10,
    14,
    15,
)

# identifier: (name, type, the packets it may stand in), as in table 2-4 of the standard
_TABLE: dict[int, tuple[str, str, tuple[int, ...]]] = {
    0x01: ("payload_format", "flag", (_PUBLISH, WILL)),
    0x02: ("message_expiry", "u32", (_PUBLISH, WILL)),
    0x03: ("content_type", "text", (_PUBLISH, WILL)),
    0x08: ("response_topic", "text", (_PUBLISH, WILL)),
    0x09: ("correlation", "binary", (_PUBLISH, WILL)),
    0x0B: ("subscription_id", "varint", (_PUBLISH, _SUBSCRIBE)),
    0x11: ("session_expiry", "u32", (_CONNECT, _CONNACK, _DISCONNECT)),
    0x12: ("assigned_client_id", "text", (_CONNACK,)),
    0x13: ("server_keep_alive", "u16", (_CONNACK,)),
    0x15: ("authentication_method", "text", (_CONNECT, _CONNACK, _AUTH)),
    0x16: ("authentication_data", "binary", (_CONNECT, _CONNACK, _AUTH)),
    0x17: ("request_problem", "flag", (_CONNECT,)),
    0x18: ("will_delay", "u32", (WILL,)),
    0x19: ("request_response", "flag", (_CONNECT,)),
    0x1A: ("response_information", "text", (_CONNACK,)),
    0x1C: ("server_reference", "text", (_CONNACK, _DISCONNECT)),
    0x1F: ("reason", "text", (_CONNACK, *_ACKS, *_SUBACKS, _DISCONNECT, _AUTH)),
    0x21: ("receive_maximum", "u16", (_CONNECT, _CONNACK)),
    0x22: ("topic_alias_maximum", "u16", (_CONNECT, _CONNACK)),
    0x23: ("topic_alias", "u16", (_PUBLISH,)),
    0x24: ("maximum_qos", "flag", (_CONNACK,)),
    0x25: ("retain_available", "flag", (_CONNACK,)),
    0x26: (
        "user",
        "pair",
        (
            _CONNECT,
            _CONNACK,
            _PUBLISH,
            WILL,
            *_ACKS,
            _SUBSCRIBE,
            *_SUBACKS,
            _UNSUBSCRIBE,
            _DISCONNECT,
            _AUTH,
        ),
    ),
    0x27: ("maximum_packet_size", "u32", (_CONNECT, _CONNACK)),
    0x28: ("wildcards_available", "flag", (_CONNACK,)),
    0x29: ("subscription_ids_available", "flag", (_CONNACK,)),
    0x2A: ("shared_available", "flag", (_CONNACK,)),
}
_BY_NAME = {name: (number, form) for number, (name, form, _) in _TABLE.items()}
# Of these, a zero is a protocol error (3.1.2.11.3, 3.1.2.11.4, 3.3.2.3.4, 3.8.2.1.2).
_NOT_ZERO = {"receive_maximum", "maximum_packet_size", "topic_alias", "subscription_id"}


def decode_properties(body: Body, packet: int) -> Properties:
    """Read a property length and the properties after it. Raises MalformedPacket."""
    length = body.varint()
    if not length:
        return NONE
    end = body.at + length
    if end > len(body.data):
        raise MalformedPacket("the property length is larger than the packet")
    result: dict[str, Any] = {}
    while body.at < end:
        number = body.varint()
        known = _TABLE.get(number)
        if known is None or packet not in known[2]:
            raise MalformedPacket(
                f"property 0x{number:02x} does not belong in this packet [MQTT-2.2.2-2]"
            )
        name, form, _ = known
        value = _read(body, form)
        if form == "flag" and value > 1:
            raise MalformedPacket(f"property {name} is {value}, neither 0 nor 1", PROTOCOL_ERROR)
        if name in _NOT_ZERO and value == 0:
            raise MalformedPacket(f"property {name} is 0", PROTOCOL_ERROR)
        if name == "user" or (name == "subscription_id" and packet == _PUBLISH):
            result[name] = (*result.get(name, ()), value)
        elif name in result:
            raise MalformedPacket(f"property {name} stands twice", PROTOCOL_ERROR)
        else:
            result[name] = value
    if body.at != end:
        raise MalformedPacket("a property goes beyond the property length")
    return result


def encode_properties(properties: Properties) -> bytes:
    """The properties with their length before them."""
    if not properties:
        return b"\0"
    out = bytearray()
    for name, value in properties.items():
        number, form = _BY_NAME[name]
        for one in (
            value if isinstance(value, tuple) and name in ("user", "subscription_id") else (value,)
        ):
            out.append(number)
            out += _write(one, form)
    return varint(len(out)) + bytes(out)


def _read(body: Body, form: str) -> Any:
    match form:
        case "flag":
            return body.byte()
        case "u16":
            return body.word()
        case "u32":
            return body.word() << 16 | body.word()
        case "varint":
            return body.varint()
        case "binary":
            return body.binary()
        case "pair":
            return body.text(), body.text()
        case _:
            return body.text()


def _write(value: Any, form: str) -> bytes:
    match form:
        case "flag":
            return bytes((value,))
        case "u16":
            return struct.pack(">H", value)
        case "u32":
            return struct.pack(">I", value)
        case "varint":
            return varint(value)
        case "binary":
            return binary(value)
        case "pair":
            return string(value[0]) + string(value[1])
        case _:
            return string(value)
