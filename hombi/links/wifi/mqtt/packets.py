"""MQTT control packets. Level 4 is MQTT 3.1.1 (OASIS, 2014), level 5 is MQTT 5 (OASIS,
2019).

Clause numbers in texts are those of 3.1.1, where both have the clause.
"""

from __future__ import annotations

import msgspec

from hombi.links.wifi.mqtt.properties import NONE, Properties

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
BAD_PAYLOAD, NO_SHARED, NOT_TAKEN = 0x99, 0x9E, 0x83


class Connect(msgspec.Struct, frozen=True):
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


class Connack(msgspec.Struct, frozen=True):
    """3.2."""

    code: int
    session_present: bool = False
    properties: Properties = NONE


class Publish(msgspec.Struct, frozen=True):
    """3.3. `packet_id` is 0 at QoS 0."""

    topic: str
    payload: bytes
    qos: int = 0
    retain: bool = False
    packet_id: int = 0
    duplicate: bool = False
    properties: Properties = NONE


class Puback(msgspec.Struct, frozen=True):
    """3.4."""

    packet_id: int
    reason: int = 0
    properties: Properties = NONE


class Pubrec(msgspec.Struct, frozen=True):
    """3.5: a QoS 2 message is safe."""

    packet_id: int
    reason: int = 0
    properties: Properties = NONE


class Pubrel(msgspec.Struct, frozen=True):
    """3.6: the sender of a QoS 2 message will not send it again."""

    packet_id: int
    reason: int = 0
    properties: Properties = NONE


class Pubcomp(msgspec.Struct, frozen=True):
    """3.7: a QoS 2 message's identifier is free again."""

    packet_id: int
    reason: int = 0
    properties: Properties = NONE


class Subscribe(msgspec.Struct, frozen=True):
    """3.8: filters with the QoS asked for each; in MQTT 5 the whole options byte
    (3.8.3.1)."""

    packet_id: int
    filters: tuple[tuple[str, int], ...]
    properties: Properties = NONE


class Suback(msgspec.Struct, frozen=True):
    """3.9: for each filter the QoS granted, or 0x80 (in MQTT 5 a reason code)."""

    packet_id: int
    codes: tuple[int, ...]
    properties: Properties = NONE


class Unsubscribe(msgspec.Struct, frozen=True):
    """3.10."""

    packet_id: int
    filters: tuple[str, ...]
    properties: Properties = NONE


class Unsuback(msgspec.Struct, frozen=True):
    """3.11; `codes` only in MQTT 5."""

    packet_id: int
    codes: tuple[int, ...] = ()
    properties: Properties = NONE


class Pingreq(msgspec.Struct, frozen=True):
    """3.12."""


class Pingresp(msgspec.Struct, frozen=True):
    """3.13."""


class Disconnect(msgspec.Struct, frozen=True):
    """3.14; in MQTT 5 it says why, and the server sends it too."""

    reason: int = 0
    properties: Properties = NONE


class Auth(msgspec.Struct, frozen=True):
    """MQTT 5, 3.15."""

    reason: int = 0
    properties: Properties = NONE


Packet = (
    Connect | Connack | Publish | Puback | Pubrec | Pubrel | Pubcomp | Subscribe | Suback
    | Unsubscribe | Unsuback | Pingreq | Pingresp | Disconnect | Auth
)  # fmt: skip
