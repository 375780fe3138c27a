"""A simulated coordinator stick: a co-processor on a pty, with its store, its network
and the nodes that are in it.

What it says to the hub goes through the same bytes as a real one's. It can be
unplugged, fall silent, talk rubbish and begin again.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import struct
import tty
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from hombi.links.zigbee.commands import IDS, Id, Item
from hombi.links.zigbee.frames import Decoder, Frame, encode

IEEE = 0x00F1_5EED_0000_0001
ERASED = 0x03
STATUS_FULL = 0xC7
# How many frames it counts between two notes of it in its store.
AHEAD = 100
NO_APS_ACK = 0xB7
NO_ACK, NO_ROUTE, EXPIRED, BUFFERS_FULL = 0xE9, 0xCD, 0xF0, 0x11


class RadioNode(Protocol):
    """A node as the stick's radio meets it."""

    ieee: int
    short: int
    joined: bool
    away: bool
    # The number of the last frame that it took; it takes none below.
    counted: int

    def heard_network(self, command: int, data: bytes) -> None:
        """The hub asks its network layer something; it answers through `Stick.tell`."""

    def heard(self, endpoint: int, cluster: int, data: bytes, done: Callable[[int], None]) -> None:
        """A ZCL frame for it; `done` is called with the status of its delivery."""


class Stick:
    """The stick at `path`, a link to a pty. `folder` keeps its store from one start to
    the next."""

    def __init__(
        self, path: Path, kept: Path | None = None, *, product: int = 1, table: int = 40
    ) -> None:
        self.path, self._kept, self._product, self.table = path, kept, product, table
        self.store: dict[int, bytes] = {}
        self.nodes: dict[int, RadioNode] = {}
        self.up = False
        self.permits_until = 0.0
        self.mute = False
        self.ieee = IEEE
        # The firmware reads its items when it starts; what is written later counts from
        # the next start on.
        self.running: dict[int, bytes] = {}
        # Items that cannot be read, with the status that a read gets; and what becomes
        # of the next frames that are sent.
        self.unreadable: dict[int, int] = {}
        self.not_sent: list[int] = []
        self.not_arrived: list[int] = []
        # How many frames it holds until they have arrived; how long it tries to reach a
        # node that is not there; and by how much its next answer to a request is late.
        self.buffers, self.gives_up_s = 16, 0.05
        self.late_s: dict[tuple[int, bytes], float] = {}
        # How far its frames are counted, and items that it does not let be written.
        self.counter = 0
        self.write_protected: set[int] = set()
        self.most_held = self._holds = 0
        self._master = self._slave = -1
        self._decoder = Decoder()
        self._waiting = bytearray()
        if kept is not None and kept.exists():
            self.store = {int(k): bytes.fromhex(v) for k, v in json.loads(kept.read_text()).items()}

    # The port

    def plug(self) -> None:
        """Be there, at the path."""
        self._master, self._slave = os.openpty()
        # Raw before the hub opens it: else what is written to it meanwhile is echoed
        # back.
        tty.setraw(self._slave)
        os.set_blocking(self._master, False)
        with contextlib.suppress(FileNotFoundError):
            self.path.unlink()
        self.path.symlink_to(os.ttyname(self._slave))
        self._decoder = Decoder()
        asyncio.get_running_loop().add_reader(self._master, self._read)

    def unplug(self) -> None:
        """Be pulled out."""
        if self._master < 0:
            return
        loop = asyncio.get_running_loop()
        loop.remove_reader(self._master)
        loop.remove_writer(self._master)
        os.close(self._master)
        os.close(self._slave)
        self._master = self._slave = -1
        self._waiting.clear()
        self.up = False
        self.path.unlink(missing_ok=True)

    @property
    def plugged(self) -> bool:
        """Whether it is in."""
        return self._master >= 0

    def say(self, data: bytes) -> None:
        """Put bytes on the line, whatever they are."""
        if self._master < 0 or self.mute:
            return
        if not self._waiting:
            with contextlib.suppress(BlockingIOError):
                data = data[os.write(self._master, data) :]
        if data:
            if not self._waiting:
                asyncio.get_running_loop().add_writer(self._master, self._write_more)
            self._waiting += data

    def tell(self, command: int, data: bytes) -> None:
        """Say something that was not asked for."""
        self.say(encode(Frame(command, data)))

    def begin_anew(self) -> None:
        """Lose all but the store, as after a dip of the supply."""
        self.up = False
        self.tell(Id.RESET_DONE, bytes((0, 2, self._product, 2, 7, 1)))

    def _write_more(self) -> None:
        with contextlib.suppress(BlockingIOError):
            del self._waiting[: os.write(self._master, self._waiting)]
        if not self._waiting:
            asyncio.get_running_loop().remove_writer(self._master)

    def _read(self) -> None:
        try:
            data = os.read(self._master, 65_536)
        except (BlockingIOError, OSError):
            return
        for frame in self._decoder.feed(data):
            self._asked(frame)

    # The commands

    def _asked(self, frame: Frame) -> None:
        if self.mute:
            return
        handler = _HANDLERS.get(frame.command)
        if handler is None:
            error = 2 if frame.command in IDS else 1
            self.tell(Id.ERROR, bytes((error, frame.command >> 8, frame.command & 0xFF)))
            return
        answer = handler(self, frame.data)
        if answer is None:
            return
        if late_s := self.late_s.pop((frame.command, frame.data), 0.0):
            loop = asyncio.get_running_loop()
            loop.call_later(late_s, self.tell, frame.command + 0x4000, answer)
        else:
            self.tell(frame.command + 0x4000, answer)

    def _reset(self, data: bytes) -> None:
        if self.store.get(Item.STARTUP_OPTION, b"\0")[0] & ERASED:
            self.store.clear()
            self._save()
        self.running = dict(self.store)
        self.begin_anew()

    def _ping(self, data: bytes) -> bytes:
        return b"\x79\x01"

    def _version(self, data: bytes) -> bytes:
        return bytes((2, self._product, 2, 7, 1)) + struct.pack("<I", 20_260_401)

    def _device_info(self, data: bytes) -> bytes:
        return struct.pack("<BQHBBB", 0, self.ieee, 0, 7, 9 if self.up else 0, 0)

    def _network_info(self, data: bytes) -> bytes:
        mask = int.from_bytes(self.running.get(Item.CHANNELS, bytes(4)), "little")
        channel = (mask & -mask).bit_length() - 1 if mask else 0
        pan = int.from_bytes(self.running.get(Item.PAN_ID, b"\xff\xff"), "little")
        extended = int.from_bytes(self.running.get(Item.EXTENDED_PAN_ID, bytes(8)), "little")
        return struct.pack("<HBHHQQB", 0, 9 if self.up else 0, pan, 0, extended, 0, channel)

    def _store_init(self, data: bytes) -> bytes:
        item, _, length = struct.unpack_from("<HHB", data)
        if item in self.write_protected:
            return b"\x0a"
        if item in self.store:
            return b"\0"
        self.store[item] = data[5 : 5 + length]
        self._save()
        return b"\x09"

    def _store_write(self, data: bytes) -> bytes:
        item, offset, length = struct.unpack_from("<HBB", data)
        if item not in self.store or item in self.write_protected:
            return b"\x02"
        self.store[item] = self.store[item][:offset] + data[4 : 4 + length]
        self._save()
        return b"\0"

    def _store_read(self, data: bytes) -> bytes:
        (item,) = struct.unpack_from("<H", data)
        result = self.store.get(item)
        if item in self.unreadable:
            return bytes((self.unreadable[item], 0))
        return b"\x02\0" if result is None else bytes((0, len(result))) + result

    def _store_length(self, data: bytes) -> bytes:
        return len(self.store.get(data[0] | data[1] << 8, b"")).to_bytes(2, "little")

    def _short_address(self, data: bytes) -> bytes:
        ieee = int.from_bytes(data[:8], "little")
        node = self.nodes.get(ieee)
        if node is not None and node.joined and not node.away:
            self.tell(Id.SHORT_ADDRESS_CAME, struct.pack("<BQHBB", 0, ieee, node.short, 0, 0))
        return b"\0"

    def _startup(self, data: bytes) -> bytes:
        restored = Item.EXTENDED_PAN_ID in self.store
        self._come_up()
        return b"\0" if restored else b"\x01"

    def _commission(self, data: bytes) -> bytes:
        self._come_up()
        return b"\0"

    def _come_up(self) -> None:
        material = self.store.get(Item.SECURITY_MATERIAL, bytes(4))
        self.counter = int.from_bytes(material[:4], "little")
        self._count_ahead()

        def now_up() -> None:
            self.up = True
            self.tell(Id.STATE_CHANGED, b"\x09")

        asyncio.get_running_loop().call_soon(now_up)

    def _fine(self, data: bytes) -> bytes:
        return b"\0"

    def _permit(self, data: bytes) -> bytes:
        seconds = data[3]
        if seconds and sum(node.joined for node in self.nodes.values()) >= self.table:
            return bytes((STATUS_FULL,))
        self.permits_until = asyncio.get_running_loop().time() + seconds
        self.tell(Id.PERMIT_JOIN_ANSWER, b"\0\0\0")
        return b"\0"

    @property
    def permits(self) -> bool:
        """Whether nodes may join now."""
        return self.up and asyncio.get_running_loop().time() < self.permits_until

    def _for_node(self, command: Id) -> Callable[[bytes], bytes]:
        def handler(data: bytes) -> bytes:
            node = self._by_short(data[0] | data[1] << 8)
            if not self._hold():
                return bytes((BUFFERS_FULL,))
            if node is None or node.away or not self._takes(node):
                asyncio.get_running_loop().call_later(self.gives_up_s, self._let_go)
            else:
                node.heard_network(command, data)
                asyncio.get_running_loop().call_soon(self._let_go)
            return b"\0"

        return handler

    def _data(self, data: bytes) -> bytes:
        short, endpoint, ours, cluster, transaction, _, _, length = struct.unpack_from(
            "<HBBHBBBB", data
        )
        node = self._by_short(short)

        if self.not_sent:
            return bytes((self.not_sent.pop(0),))
        if not self._hold():
            return bytes((BUFFERS_FULL,))

        def done(status: int) -> None:
            self._let_go()
            self.tell(Id.AF_DATA_CONFIRM, bytes((status, ours, transaction)))

        loop = asyncio.get_running_loop()
        if self.not_arrived:
            loop.call_soon(done, self.not_arrived.pop(0))
        elif node is None:
            loop.call_later(self.gives_up_s, done, NO_ROUTE)
        elif not self._takes(node):
            loop.call_later(self.gives_up_s, done, NO_APS_ACK)
        else:
            loop.call_soon(node.heard, endpoint, cluster, data[10 : 10 + length], done)
        return b"\0"

    def _count_ahead(self) -> None:
        """Note in the store a number that is not reached yet: what is sent until the
        next note would be sent under a used one else, after a power cut."""
        network = self.store.get(Item.EXTENDED_PAN_ID, bytes(8))
        self.store[Item.SECURITY_MATERIAL] = (self.counter + AHEAD).to_bytes(4, "little") + network
        self._save()

    def _takes(self, node: RadioNode) -> bool:
        """Send a frame to a node: whether it takes it, by its number."""
        self.counter += 1
        if self.counter % AHEAD == 0:
            self._count_ahead()
        if self.counter <= node.counted:
            return False
        node.counted = self.counter
        return True

    def _hold(self) -> bool:
        """Take a buffer for a frame; False when all are taken."""
        if self._holds >= self.buffers:
            return False
        self._holds += 1
        self.most_held = max(self.most_held, self._holds)
        return True

    def _let_go(self) -> None:
        self._holds -= 1

    # The radio

    def _by_short(self, short: int) -> RadioNode | None:
        return next(
            (node for node in self.nodes.values() if node.joined and node.short == short), None
        )

    def incoming(
        self, node: RadioNode, endpoint: int, cluster: int, data: bytes, quality: int = 190
    ) -> None:
        """A node has sent a ZCL frame to the hub."""
        if self.up:
            head = struct.pack(
                "<HHHBBBBBIBB", 0, cluster, node.short, endpoint, 1, 0, quality, 0, 0, 0, len(data)
            )
            self.tell(Id.AF_INCOMING, head + data)

    def _save(self) -> None:
        if self._kept is not None:
            self._kept.write_text(json.dumps({str(k): v.hex() for k, v in self.store.items()}))


def _to_node(command: Id) -> Callable[[Stick, bytes], bytes | None]:
    return lambda stick, data: stick._for_node(command)(data)


_HANDLERS: dict[int, Callable[[Stick, bytes], bytes | None]] = {
    Id.RESET: Stick._reset,
    Id.PING: Stick._ping,
    Id.VERSION: Stick._version,
    Id.DEVICE_INFO: Stick._device_info,
    Id.NETWORK_INFO: Stick._network_info,
    Id.STORE_INIT: Stick._store_init,
    Id.STORE_WRITE: Stick._store_write,
    Id.STORE_READ: Stick._store_read,
    Id.STORE_LENGTH: Stick._store_length,
    Id.SHORT_ADDRESS: Stick._short_address,
    Id.STARTUP: Stick._startup,
    Id.COMMISSION: Stick._commission,
    Id.SET_CHANNEL: Stick._fine,
    Id.AF_REGISTER: Stick._fine,
    Id.PERMIT_JOIN: Stick._permit,
    Id.AF_DATA: Stick._data,
    **{
        command: _to_node(command)
        for command in (
            Id.IEEE_ADDRESS,
            Id.NODE_DESCRIPTOR,
            Id.ACTIVE_ENDPOINTS,
            Id.SIMPLE_DESCRIPTOR,
            Id.BIND,
            Id.LEAVE,
        )
    },
}
