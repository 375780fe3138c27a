"""What the hub and the co-processor say to one another: the commands' numbers, and how
their data are laid out. No I/O.

Little-endian throughout. What is asked is built by the functions here; what comes back
is read in `answers`.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from enum import IntEnum

import msgspec

from hombi.links.zigbee.frames import Frame


class Id(IntEnum):
    """Commands by CMD0 and CMD1. An answer to a request is 0x4000 above it."""

    RESET = 0x4100
    RESET_DONE = 0x4180
    PING = 0x2101
    VERSION = 0x2102
    STORE_INIT = 0x2107
    STORE_READ = 0x2108
    STORE_WRITE = 0x2109
    STORE_LENGTH = 0x2113
    AF_REGISTER = 0x2400
    AF_DATA = 0x2401
    AF_DATA_CONFIRM = 0x4480
    AF_INCOMING = 0x4481
    AF_INCOMING_LONG = 0x4482
    SHORT_ADDRESS = 0x2500
    IEEE_ADDRESS = 0x2501
    NODE_DESCRIPTOR = 0x2502
    SIMPLE_DESCRIPTOR = 0x2504
    ACTIVE_ENDPOINTS = 0x2505
    BIND = 0x2521
    LEAVE = 0x2534
    PERMIT_JOIN = 0x2536
    STARTUP = 0x2540
    NETWORK_INFO = 0x2550
    DEVICE_INFO = 0x2700
    COMMISSION = 0x2F05
    SET_CHANNEL = 0x2F08
    SHORT_ADDRESS_CAME = 0x4580
    IEEE_ADDRESS_CAME = 0x4581
    NODE_DESCRIPTOR_CAME = 0x4582
    SIMPLE_DESCRIPTOR_CAME = 0x4584
    ACTIVE_ENDPOINTS_CAME = 0x4585
    BOUND = 0x45A1
    LEFT_ANSWER = 0x45B4
    PERMIT_JOIN_ANSWER = 0x45B6
    STATE_CHANGED = 0x45C0
    ANNOUNCED = 0x45C1
    LEFT = 0x45C9
    JOINED = 0x45CA
    ERROR = 0x6000


IDS = frozenset(int(one) for one in Id)


class Item(IntEnum):
    """What the co-processor keeps in its store."""

    STARTUP_OPTION = 0x0003
    EXTENDED_PAN_ID = 0x002D
    NETWORK_KEY = 0x0062
    KEYS_GIVEN_OUT = 0x0063
    # How far the frames were counted (4 bytes), and in which network (8).
    SECURITY_MATERIAL = 0x0075
    PAN_ID = 0x0083
    CHANNELS = 0x0084
    LOGICAL_TYPE = 0x0087
    DIRECT_CALLBACKS = 0x008F


COORDINATOR_UP = 9
CLEAR_ALL = 0x03
EVERYWHERE = 0xFFFC
BROADCAST = 0x0F
HOME_AUTOMATION = 0x0104
ASK_FOR_ACK, DISCOVER_ROUTE, RADIUS = 0x10, 0x20, 0x1E
TABLE_FULL = 0xC7
FAILED, NO_MEMORY, BUFFERS_FULL = 0x01, 0x10, 0x11
NO_APS_ACK, NO_ROUTE, CHANNEL_BUSY, NO_MAC_ACK, EXPIRED = 0xB7, 0xCD, 0xE1, 0xE9, 0xF0
STATUS_WORDS = {
    FAILED: "it could not be sent", 0x02: "the stick does not understand what is to be sent",
    NO_MEMORY: "the stick has no memory left",
    BUFFERS_FULL: "the stick's buffers are full", 0x80: "it does not know what it is asked",
    0x81: "there is no such node",
    0x82: "it has no such endpoint", 0x84: "it does not do that", 0x88: "it has no such binding",
    0x8C: "its table is full",
    0xA9: "it speaks with another key", 0xAD: "it is not secured with the network's key",
    NO_APS_ACK: "it did not acknowledge",
    0xBA: "it is not known to the stick", 0xC2: "the network does not take it now",
    TABLE_FULL: "the stick's table of nodes is full",
    NO_ROUTE: "there is no route to it", 0xD0: "there is no route to it",
    CHANNEL_BUSY: "the radio channel is busy",
    NO_MAC_ACK: "it does not answer on the radio", EXPIRED: "it did not fetch it in time",
}  # fmt: skip
# What may go well a moment later, and how long that moment is in seconds.
AGAIN_S = {
    FAILED: 0.2, NO_MEMORY: 0.3, BUFFERS_FULL: 0.3, NO_APS_ACK: 0.2, NO_ROUTE: 0.5, 0xD0: 0.5,
    CHANNEL_BUSY: 0.1, NO_MAC_ACK: 0.2,
    EXPIRED: 0.2,
}  # fmt: skip
FULL = frozenset({NO_MEMORY, BUFFERS_FULL})


def status_words(status: int) -> str:
    """A delivery's status in words."""
    return STATUS_WORDS.get(status, f"status 0x{status:02X}")


class Version(msgspec.Struct, frozen=True):
    """What the stick says that it is; `product` 0 is firmware before 3.0."""

    transport: int
    product: int
    major: int
    minor: int
    maintenance: int
    revision: int = 0

    def __str__(self) -> str:
        built = f", build {self.revision}" if self.revision else ""
        return f"firmware {self.major}.{self.minor}.{self.maintenance}{built}"


class Reset(msgspec.Struct, frozen=True):
    """The stick has restarted: it was told to, or it did so by itself."""

    reason: int


class DeviceInfo(msgspec.Struct, frozen=True):
    """The co-processor's own address and state."""

    ieee: int
    short: int
    state: int


class NetworkInfo(msgspec.Struct, frozen=True):
    """The network that the co-processor is in."""

    pan_id: int
    extended_pan_id: int
    channel: int


class Address(msgspec.Struct, frozen=True):
    """Which short address goes with which of 64 bits."""

    status: int
    ieee: int
    short: int


class Joined(msgspec.Struct, frozen=True):
    """A node has joined, or was let back in."""

    short: int
    ieee: int
    parent: int


class Announced(msgspec.Struct, frozen=True):
    """A node says that it is here (device announce)."""

    short: int
    ieee: int
    capability: int

    @property
    def sleepy(self) -> bool:
        """Whether its receiver is off while it has nothing to say."""
        return not self.capability & 0x08

    @property
    def router(self) -> bool:
        """Whether it passes on what others send."""
        return bool(self.capability & 0x02)


class Left(msgspec.Struct, frozen=True):
    """A node has left; `rejoin` says that it means to come back at once."""

    short: int
    ieee: int
    rejoin: bool


class NodeDescriptor(msgspec.Struct, frozen=True):
    """What kind of node it is: `kind` 0 coordinator, 1 router, 2 end device."""

    source: int
    status: int
    kind: int = 2
    capability: int = 0
    manufacturer: int = 0


class Endpoints(msgspec.Struct, frozen=True):
    """Which endpoints a node has."""

    source: int
    status: int
    endpoints: tuple[int, ...] = ()


class SimpleDescriptor(msgspec.Struct, frozen=True):
    """What an endpoint has: the clusters it serves (`inputs`) and those it uses."""

    source: int
    status: int
    endpoint: int = 0
    profile: int = 0
    device: int = 0
    inputs: tuple[int, ...] = ()
    outputs: tuple[int, ...] = ()


class Outcome(msgspec.Struct, frozen=True):
    """The outcome of something that was asked of a node's network layer."""

    source: int
    status: int


class Confirm(msgspec.Struct, frozen=True):
    """Whether what was sent has arrived."""

    status: int
    endpoint: int
    transaction: int


class Incoming(msgspec.Struct, frozen=True):
    """Something that a node sent to one of our endpoints (`to`), or to a group that it
    is in."""

    cluster: int
    source: int
    endpoint: int
    quality: int
    broadcast: bool
    data: bytes
    group: int = 0
    to: int = 1


class StateChanged(msgspec.Struct, frozen=True):
    """Where the stick is with its network; 9 is up, as coordinator."""

    state: int


def store_init(item: Item, value: bytes) -> Frame:
    """Make sure that an item is there, of this length."""
    return Frame(Id.STORE_INIT, struct.pack("<HHB", item, len(value), len(value)) + value)


def store_write(item: Item, value: bytes) -> Frame:
    """Write an item."""
    return Frame(Id.STORE_WRITE, struct.pack("<HBB", item, 0, len(value)) + value)


def store_read(item: Item) -> Frame:
    """Read an item."""
    return Frame(Id.STORE_READ, struct.pack("<HB", item, 0))


def register(endpoint: int, inputs: Sequence[int], outputs: Sequence[int]) -> Frame:
    """Have an endpoint of our own."""
    return Frame(
        Id.AF_REGISTER,
        struct.pack("<BHHBB", endpoint, HOME_AUTOMATION, 0x0005, 0, 0)
        + struct.pack(f"<B{len(inputs)}H", len(inputs), *inputs)
        + struct.pack(f"<B{len(outputs)}H", len(outputs), *outputs),
    )


def permit_join(seconds: int) -> Frame:
    """Let nodes join everywhere, by the coordinator and by all routers; 0 ends it."""
    return Frame(Id.PERMIT_JOIN, struct.pack("<BHBB", BROADCAST, EVERYWHERE, seconds, 0))


def ask(command: Id, short: int, *more: int) -> Frame:
    """Ask a node something of its network layer: its node descriptor, endpoints, a
    simple descriptor."""
    return Frame(command, struct.pack("<HH", short, short) + bytes(more))


def ask_ieee(short: int) -> Frame:
    """Ask a node for its address of 64 bits."""
    return Frame(Id.IEEE_ADDRESS, struct.pack("<HBB", short, 0, 0))


def ask_short(ieee: int) -> Frame:
    """Ask everywhere for the short address of a node (NWK_addr_req, 2.4.3.1.1)."""
    return Frame(Id.SHORT_ADDRESS, struct.pack("<QBB", ieee, 0, 0))


def store_length(item: Item) -> Frame:
    """How long an item is; 0 for one that is not there."""
    return Frame(Id.STORE_LENGTH, struct.pack("<H", item))


def bind(
    short: int, ieee: int, endpoint: int, cluster: int, to_ieee: int, to_endpoint: int
) -> Frame:
    """Have a node send what a cluster reports to an endpoint of ours."""
    return Frame(
        Id.BIND, struct.pack("<HQBHBQB", short, ieee, endpoint, cluster, 3, to_ieee, to_endpoint)
    )


def leave(short: int, ieee: int) -> Frame:
    """Tell a node to leave."""
    return Frame(Id.LEAVE, struct.pack("<HQB", short, ieee, 0))


def data_request(
    short: int, endpoint: int, cluster: int, transaction: int, data: bytes, ours: int = 1
) -> Frame:
    """Send a ZCL frame, acknowledged from end to end."""
    options = ASK_FOR_ACK | DISCOVER_ROUTE
    head = struct.pack(
        "<HBBHBBBB", short, endpoint, ours, cluster, transaction, options, RADIUS, len(data)
    )
    return Frame(Id.AF_DATA, head + data)
