"""What the hub answers to a node that asks something, or wants to know that it was heard. No I/O but the clock."""

from __future__ import annotations

import time

from hombi.links.zigbee import zcl
from hombi.links.zigbee.commands import Incoming
from hombi.links.zigbee.points import IAS_ZONE, POLL_CONTROL

UTC_FROM = 946_684_800  # ZCL counts seconds from 2000-01-01
ENROL_REQUEST = 0x01


def acknowledgement(message: Incoming, frame: zcl.Zcl) -> zcl.Zcl | None:
    """The default response that a node asks for (ZCL, 2.5.12); None where it wants none, or has an answer of its own."""
    wanted = frame.cluster_command or frame.command == zcl.Command.REPORT
    answered = message.cluster == POLL_CONTROL or (message.cluster == IAS_ZONE and frame.command == ENROL_REQUEST)
    if not wanted or frame.no_default_response or message.broadcast or answered:
        return None
    payload = bytes((frame.command, zcl.Status.SUCCESS))
    return zcl.Zcl(frame.sequence, zcl.Command.DEFAULT_RESPONSE, payload, no_default_response=True)


def the_time(frame: zcl.Zcl) -> zcl.Zcl:
    """The answer to a node that asks for the time; other attributes of that cluster it has to do without."""
    now = int(time.time()) - UTC_FROM
    answers = [
        zcl.Attribute(one, zcl.UTC, now) if one == 0 else zcl.Attribute(one, 0, None, zcl.Status.UNSUPPORTED_ATTRIBUTE)
        for one in zcl.parse_read(frame.payload)
    ]
    payload = zcl.read_response(answers)
    return zcl.Zcl(frame.sequence, zcl.Command.READ_RESPONSE, payload, from_server=True, no_default_response=True)


def need_not_stay_awake(frame: zcl.Zcl) -> zcl.Zcl:
    """The answer to a check-in: nothing waits for the node here; what is sent to it waits at its parent."""
    return zcl.Zcl(frame.sequence, 0x00, bytes((0, 0, 0)), cluster_command=True)
