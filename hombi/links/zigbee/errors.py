"""What can go wrong on the Zigbee link.

LinkError (links.base)
└── ZigbeeError          something on the Zigbee link did not work
    ├── NoStick          there is no stick, or it cannot be opened
    ├── NoAnswer         the stick does not answer
    ├── Declined         the stick answers that it does not do it
    ├── NotDelivered     what was sent has not arrived
    ├── Refused          a node answers that it does not do it
    ├── Unreadable       something in the stick's store cannot be read
    └── ForeignNetwork   the stick carries a network that is not ours
CodecError               bytes that are not ZCL; never leaves the link
"""

from __future__ import annotations

from hombi.links.base import LinkError


class ZigbeeError(LinkError):
    """Something on the Zigbee link did not work."""


class NoStick(ZigbeeError):
    """There is no stick, or it cannot be opened."""


class NoAnswer(ZigbeeError):
    """The stick does not answer."""


class Declined(ZigbeeError):
    """The stick answers that it does not do it. `status` is its byte."""

    def __init__(self, what: str, status: int) -> None:
        super().__init__(what)
        self.status = status


class NotDelivered(ZigbeeError):
    """What was sent has not arrived. `status` is the stick's byte, 0 when it says
    nothing."""

    def __init__(self, what: str, status: int = 0) -> None:
        super().__init__(what)
        self.status = status


class Refused(ZigbeeError):
    """A node answers that it does not do it."""


class Unreadable(ZigbeeError):
    """Something in the stick's store cannot be read; it is not taken for nothing."""


class ForeignNetwork(ZigbeeError):
    """The stick carries a network that is not ours; a person says whether it is
    kept."""


class CodecError(Exception):
    """Bytes that are not what they should be; the message says where."""
