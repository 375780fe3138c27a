"""What the door asks of a connect packet, before it asks who is there."""

from __future__ import annotations

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.wire import MalformedPacket

MAX_CLIENT_ID = 256
_REFUSALS = {
    p.BAD_PROTOCOL: p.UNSUPPORTED_VERSION,
    p.BAD_CLIENT_ID: p.CLIENT_ID_NOT_VALID,
    p.BAD_CREDENTIALS: p.BAD_USER_OR_PASSWORD,
    p.NOT_AUTHORISED: p.NOT_AUTHORIZED,
    p.UNAVAILABLE: p.QUOTA,
}


def code_of_5(code: int) -> int:
    """What MQTT 5 calls a return code of 3.1.1."""
    return _REFUSALS.get(code, code)


def why_not(packet: p.Connect) -> tuple[int, str] | None:
    """Why a client cannot come in, whoever it is: (code, in words). Raises
    MalformedPacket."""
    properties = packet.properties
    if packet.level not in (4, 5):
        return (
            p.BAD_PROTOCOL,
            f"protocol level {packet.level}; this door speaks MQTT 3.1.1 and 5",
        )
    if packet.level == 4 and not packet.client_id and not packet.clean:
        return p.BAD_CLIENT_ID, "no client identifier, but a session to keep [MQTT-3.1.3-8]"
    if "authentication_data" in properties and "authentication_method" not in properties:
        raise MalformedPacket(
            "authentication data without a method (3.1.2.11.10)", p.PROTOCOL_ERROR
        )
    if "authentication_method" in properties:
        return (
            p.BAD_METHOD,
            f"the authentication method {properties['authentication_method']!r} is not known here",
        )
    if len(packet.client_id) > MAX_CLIENT_ID:
        return (
            p.BAD_CLIENT_ID,
            f"a client identifier of more than {MAX_CLIENT_ID} characters",
        )
    return None
