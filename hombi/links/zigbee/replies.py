"""What the hub answers to a node that asks something, or wants to know that it was
heard. No I/O but the clock."""

from __future__ import annotations

import time

from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import tunnel, zcl
from hombi.links.zigbee.commands import Incoming
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.points import BASIC, IAS_ZONE, MAKE, MODEL, POLL_CONTROL, POWER_SOURCE, TIME
from hombi.links.zigbee.presses import PANEL

UTC_FROM = 946_684_800  # ZCL counts seconds from 2000-01-01
ENROL_REQUEST = 0x01


# What the hub's own endpoint says of itself when it is asked (ZCL, 3.2.2.2).
OURS: dict[int, dict[int, zcl.Attribute]] = {
    BASIC: {
        one.id: one
        for one in (
            zcl.Attribute(0x0000, dt.U8, 3),
            zcl.Attribute(MAKE, dt.TEXT, "Hombi"),
            zcl.Attribute(MODEL, dt.TEXT, "hub"),
            zcl.Attribute(POWER_SOURCE, dt.ENUM8, 1),
        )
    }
}
_UNDERSTOOD = {(IAS_ZONE, 0x00), (IAS_ZONE, ENROL_REQUEST), (POLL_CONTROL, 0x00)}
# These have answers of their own, or are answers.
_NEVER = {
    zcl.Command.DEFAULT_RESPONSE, zcl.Command.READ_RESPONSE, zcl.Command.WRITE_RESPONSE,
    zcl.Command.CONFIGURE_REPORTING_RESPONSE,
    zcl.Command.READ_REPORTING_RESPONSE, zcl.Command.DISCOVER_RESPONSE,
    zcl.Command.WRITE_WITHOUT_RESPONSE,
}  # fmt: skip


def answer(
    message: Incoming,
    frame: zcl.Zcl,
    *,
    tunnels: bool = False,
    sends: bool = False,
    status: int = zcl.Status.SUCCESS,
) -> zcl.Zcl | None:
    """What is answered to a frame (ZCL, 2.5): a response of its own, else the default
    response, or None where neither is wanted.

    `status` is what became of it; `tunnels` says that its node may tunnel values
    through this cluster, `sends` that it sends commands of this cluster.
    """
    if message.broadcast or message.group:
        return None  # what is for many is answered by nobody (2.5.12.2)
    if not frame.cluster_command and (own := _own_response(message, frame)) is not None:
        return own
    return _default(message, frame, status, tunnels=tunnels, sends=sends)


def _default(
    message: Incoming, frame: zcl.Zcl, status: int, *, tunnels: bool, sends: bool
) -> zcl.Zcl | None:
    if not frame.cluster_command and frame.command in _NEVER:
        return None
    known = frame.command == zcl.Command.REPORT
    if frame.cluster_command:
        known = (
            frame.from_server
            and (message.cluster, frame.command) in _UNDERSTOOD
            and not frame.manufacturer
        )
        known = known or (sends and not frame.from_server)
        if known and message.cluster == PANEL and frame.command == 0:
            return None  # it has an answer of its own
        known = known or (tunnels and frame.command in (tunnel.ANSWER, tunnel.TELL))
        if known and message.cluster == POLL_CONTROL:
            return None  # it has an answer of its own
        if known and (message.cluster, frame.command) == (IAS_ZONE, ENROL_REQUEST):
            return None
    if not known:
        status = zcl.Status.UNSUPPORTED_COMMAND
    if frame.no_default_response and not status:
        return None
    return _response(frame, zcl.Command.DEFAULT_RESPONSE, bytes((frame.command, status)))


def _own_response(message: Incoming, frame: zcl.Zcl) -> zcl.Zcl | None:
    """The answer to what a node asks of our own clusters: it may read what there is,
    and change nothing."""
    if frame.command == zcl.Command.READ:
        attributes = [_ours(message.cluster, one, frame) for one in zcl.parse_read(frame.payload)]
        return _response(frame, zcl.Command.READ_RESPONSE, zcl.read_response(attributes))
    if frame.command in (zcl.Command.WRITE, zcl.Command.WRITE_UNDIVIDED):
        refused = b"".join(
            bytes(
                (
                    zcl.Status.UNSUPPORTED_ATTRIBUTE
                    if _ours(message.cluster, attribute.id, frame).status
                    else zcl.Status.READ_ONLY,
                )
            )
            + attribute.id.to_bytes(2, "little")
            for attribute in zcl.parse_report(frame.payload)
        )
        return _response(frame, zcl.Command.WRITE_RESPONSE, refused)
    if frame.command == zcl.Command.DISCOVER:
        if len(frame.payload) != 3:
            raise CodecError("a discovery of attributes has 3 bytes")
        first, most = int.from_bytes(frame.payload[:2], "little"), frame.payload[2]
        have = [
            attribute
            for number, attribute in sorted(_have(message.cluster, frame).items())
            if number >= first
        ]
        listed = b"".join(
            attribute.id.to_bytes(2, "little") + bytes((attribute.type,))
            for attribute in have[:most]
        )
        return _response(frame, zcl.Command.DISCOVER_RESPONSE, bytes((len(have) <= most,)) + listed)
    if frame.command == zcl.Command.CONFIGURE_REPORTING:
        refused = b"".join(
            bytes((zcl.Status.UNREPORTABLE, 0)) + reporting.attribute.to_bytes(2, "little")
            for reporting in zcl.parse_configure(frame.payload)
        )
        return _response(frame, zcl.Command.CONFIGURE_REPORTING_RESPONSE, refused)
    return None


def _have(cluster: int, frame: zcl.Zcl) -> dict[int, zcl.Attribute]:
    if frame.manufacturer:
        return {}
    if cluster == TIME:
        return {0x0000: zcl.Attribute(0x0000, dt.UTC, int(time.time()) - UTC_FROM)}
    return OURS.get(cluster, {})


def _ours(cluster: int, attribute: int, frame: zcl.Zcl) -> zcl.Attribute:
    missing = zcl.Attribute(attribute, 0, None, zcl.Status.UNSUPPORTED_ATTRIBUTE)
    return _have(cluster, frame).get(attribute, missing)


def _response(frame: zcl.Zcl, command: int, payload: bytes) -> zcl.Zcl:
    """An answer goes the other way, with the maker's code of the question
    (2.5.12.1)."""
    return zcl.Zcl(
        frame.sequence,
        command,
        payload,
        from_server=not frame.from_server,
        manufacturer=frame.manufacturer,
        no_default_response=True,
    )


def need_not_stay_awake(frame: zcl.Zcl) -> zcl.Zcl:
    """The answer to a check-in: nothing waits for the node here; what is sent to it
    waits at its parent."""
    return zcl.Zcl(frame.sequence, 0x00, bytes((0, 0, 0)), cluster_command=True)
