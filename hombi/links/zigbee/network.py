"""The network that the stick carries: forming one, going on with ours, and never
silently taking or losing another."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any

from hombi.links.zigbee.commands import (
    CLEAR_ALL,
    COORDINATOR_UP,
    DeviceInfo,
    Id,
    Item,
    NetworkInfo,
    Reset,
    StateChanged,
    Version,
    register,
)
from hombi.links.zigbee.errors import Declined, ForeignNetwork, NoAnswer, Unreadable, ZigbeeError
from hombi.links.zigbee.frames import Frame
from hombi.links.zigbee.operated import OPERATED
from hombi.links.zigbee.points import BASIC, IAS_ZONE, IDENTIFY, ON_OFF, POLL_CONTROL, SERVED, TIME
from hombi.links.zigbee.presses import SENT
from hombi.links.zigbee.processor import RESET_S, Processor

# The channels of IEEE 802.15.4 that lie between the usual Wi-Fi ones, the last of which
# few nodes may use at full power.
CHANNELS = (11, 15, 20, 25)
FORM_S = 20.0
OUR_ENDPOINT = 1
THERE_ALREADY = 0xB8
# A node takes no frame whose number is not above the last one that it took (Zigbee
# specification, 4.3.1.2). So an erased stick goes on from the last number that the hub
# knows of, and further than it can have sent since that was asked; from an assumed one
# where the hub does not know: a frame a second for three years.
COUNTED_ON, ASSUMED, MOST_COUNTED = 1_000_000, 100_000_000, 0xF000_0000
COMMISSION_FORM = 4
KEEP, CLEAN = "keep", "clean"


@dataclass(frozen=True, slots=True)
class Network:
    """A network's parameters and key: with these, another stick can take it over.
    `ieee` is the stick's own address, `counter` how far it had counted its frames when
    it was last asked."""

    pan_id: int
    extended_pan_id: int
    channel: int
    key: str
    ieee: int = 0
    counter: int = 0

    def kept(self) -> dict[str, Any]:
        """For the records; 64-bit numbers as hex, since JSON has none of that size."""
        return {
            **asdict(self),
            "extended_pan_id": f"{self.extended_pan_id:016x}",
            "ieee": f"{self.ieee:016x}",
        }

    @classmethod
    def of(cls, kept: dict[str, Any]) -> Network:
        """As it was kept."""
        return cls(
            **{
                **kept,
                "extended_pan_id": int(kept["extended_pan_id"], 16),
                "ieee": int(kept["ieee"], 16),
            }
        )

    @classmethod
    def fresh(cls) -> Network:
        """A new one, all of it by chance."""
        pan_id = 1 + secrets.randbelow(0xFFFD)
        return cls(
            pan_id, secrets.randbits(63) + 1, secrets.choice(CHANNELS), secrets.token_hex(16)
        )


@dataclass(frozen=True, slots=True)
class Carried:
    """What the stick's store says of a network; None for what is not in it, `unread`
    names what could not be read."""

    pan_id: int | None
    extended_pan_id: int | None
    channel: int | None
    key: str | None
    unread: tuple[str, ...] = ()

    @property
    def blank(self) -> bool:
        """Whether it is sure that there is no network: everything was read, and nothing
        says that there is one."""
        return (
            not self.unread
            and self.pan_id is None
            and self.extended_pan_id is None
            and self.key is None
        )

    def is_ours(self, ours: Network) -> bool:
        """Whether it is this network: what is known is the same, and enough is known. A
        PAN id may change while a network runs, and newer firmware does not give its
        key."""
        known = [
            (self.extended_pan_id, ours.extended_pan_id),
            (self.key, ours.key),
        ]
        told = [(found, own) for found, own in known if found is not None]
        return (
            bool(told)
            and all(found == own for found, own in told)
            and (len(told) == 2 or self.pan_id == ours.pan_id)
        )

    def whole(self) -> Network | None:
        """The network, when all of it is known."""
        if (
            self.pan_id is None
            or self.extended_pan_id is None
            or self.channel is None
            or self.key is None
        ):
            return None
        return Network(self.pan_id, self.extended_pan_id, self.channel, self.key)

    def __str__(self) -> str:
        result = [
            f"PAN 0x{self.pan_id:04X}" if self.pan_id is not None else "",
            f"channel {self.channel}" if self.channel is not None else "",
            f"extended PAN {self.extended_pan_id:016x}" if self.extended_pan_id is not None else "",
            f"not readable: {', '.join(self.unread)}" if self.unread else "",
        ]
        return ", ".join(filter(None, result)) or "only its key is there"


async def bring_up(
    processor: Processor,
    kept: Network | None,
    choice: str = "",
    begin: Callable[[Network], None] = lambda _: None,
    *,
    begun: bool = False,
) -> tuple[Network, Version]:
    """Have the stick run our network: the kept one, or a new one. `choice` is what a
    person said to do with a foreign one. `begin` is told of a network before anything
    of it is written; `begun` says that the kept one was being written when that was cut
    off.

    A stick that is not surely blank, and does not surely carry our network, is left
    alone until a person has said what to do. Raises ForeignNetwork then; NoAnswer,
    Declined, Unreadable.
    """
    version = await _reset(processor)
    carried = await _carried(processor)
    ours = kept if kept is not None and carried.is_ours(kept) else None
    if begun and kept is not None:
        ours = None  # whatever of it is there: it is written anew
    elif ours is None and not carried.blank:
        if choice == KEEP:
            ours = kept = carried.whole()
            if kept is None:
                raise ForeignNetwork(
                    f"the network on the Zigbee stick cannot be kept: not all of it can "
                    f"be read ({carried})"
                )
        elif choice != CLEAN:
            lost = (
                f"; starting clean would put this house's network (PAN "
                f"0x{kept.pan_id:04X}) in its place"
                if kept
                else ""
            )
            raise ForeignNetwork(
                f"the Zigbee stick carries a network that is not this house's ({carried}); "
                "keep it with `hombi link keep`, or start clean with `hombi link clean`: "
                f"then all nodes of the network on the stick must be let in again{lost}"
            )
    if ours is None:
        wanted = kept or Network.fresh()
        begin(wanted)
        await _write(processor, wanted)
        if kept is not None:
            await _count_on(processor, kept, ask=choice != CLEAN)
        # The firmware reads its items when it starts: without this it would form with
        # those of before.
        await _reset(processor)
        await _form(processor, version)
    else:
        await _resume(processor)
    carried = await _carried(processor)
    network = await _running(processor, ours, carried)
    await _register(processor)
    return network, version


async def _reset(processor: Processor) -> Version:
    async with processor.expect(Reset, within_s=RESET_S) as up:
        processor.send(Frame(Id.RESET, b"\x01"))
        await up
    version = await processor.ask(Frame(Id.VERSION))
    assert isinstance(version, Version)
    return version


async def _carried(processor: Processor) -> Carried:
    """The network in the stick's store, as far as it says."""
    unread: list[str] = []

    async def item(item: Item, name: str) -> bytes | None:
        try:
            return await processor.stored(item)
        except Unreadable:
            unread.append(name)
            return None

    extended = await item(Item.EXTENDED_PAN_ID, "extended PAN id")
    pan_id = await item(Item.PAN_ID, "PAN id")
    key = await item(Item.NETWORK_KEY, "key")
    channels = await item(Item.CHANNELS, "channels")
    mask = int.from_bytes(channels or b"", "little")
    return Carried(
        _number(pan_id),
        _number(extended),
        (mask & -mask).bit_length() - 1 if mask else None,
        None if _number(key) is None or key is None else key.hex(),
        tuple(unread),
    )


# What the makers' firmware has in a store where nobody has written anything yet.
_AS_MADE = frozenset({bytes.fromhex("01030507090b0d0f00020406080a0c0d"), b"\xdd" * 8})


def _number(found: bytes | None) -> int | None:
    """What stands in an item; None for one that was never written."""
    if not found or found in (bytes(len(found)), b"\xff" * len(found)) or found in _AS_MADE:
        return None
    return int.from_bytes(found, "little")


async def _write(processor: Processor, wanted: Network) -> None:
    await processor.store(Item.STARTUP_OPTION, bytes((CLEAR_ALL,)))
    await _reset(processor)
    for item, value in (
        (Item.LOGICAL_TYPE, b"\0"),
        (Item.PAN_ID, wanted.pan_id.to_bytes(2, "little")),
        (Item.EXTENDED_PAN_ID, wanted.extended_pan_id.to_bytes(8, "little")),
        (Item.CHANNELS, (1 << wanted.channel).to_bytes(4, "little")),
        (Item.NETWORK_KEY, bytes.fromhex(wanted.key)),
        (Item.KEYS_GIVEN_OUT, b"\x01"),
        (Item.DIRECT_CALLBACKS, b"\x01"),
        (Item.STARTUP_OPTION, b"\0"),
    ):
        await processor.store(item, value)


async def _count_on(processor: Processor, network: Network, *, ask: bool) -> None:
    """Have the stick go on counting where the network was. Raises ForeignNetwork where
    it does not let itself be told, unless a person was asked."""
    counter = min((network.counter or ASSUMED) + COUNTED_ON, MOST_COUNTED)
    material = counter.to_bytes(4, "little") + network.extended_pan_id.to_bytes(8, "little")
    try:
        await processor.store(Item.SECURITY_MATERIAL, material)
    except Declined as error:
        if ask:
            raise ForeignNetwork(
                "the Zigbee stick is empty, and cannot be told how far this house's network "
                "had counted its frames; with a count from 0 no node would listen to it. Plug "
                "in the stick that carried the network; or start anew with `hombi link clean`, "
                "and let all nodes in again"
            ) from error


async def frame_counter(processor: Processor) -> int:
    """How far the stick has counted its frames; 0 from one that does not say."""
    try:
        material = await processor.stored(Item.SECURITY_MATERIAL)
    except Unreadable:
        return 0
    return int.from_bytes((material or b"")[:4], "little")


async def _form(processor: Processor, version: Version) -> None:
    channels = await processor.stored(Item.CHANNELS) or bytes(4)
    async with processor.expect(StateChanged, lambda n: n.state == COORDINATOR_UP, FORM_S) as up:
        if version.product:
            await processor.do(Frame(Id.SET_CHANNEL, b"\x01" + channels))
            await processor.do(Frame(Id.SET_CHANNEL, b"\0" + bytes(4)))
            await processor.do(Frame(Id.COMMISSION, bytes((COMMISSION_FORM,))))
        else:
            await processor.do(Frame(Id.STARTUP, b"\x64\0"), 1)
        await up


async def _resume(processor: Processor) -> None:
    if await processor.stored(Item.DIRECT_CALLBACKS) != b"\x01":
        # Without these the stick keeps to itself what nodes answer.
        await processor.store(Item.DIRECT_CALLBACKS, b"\x01")
        await _reset(processor)
    try:
        async with processor.expect(
            StateChanged, lambda n: n.state == COORDINATOR_UP, FORM_S
        ) as up:
            if await processor.do(Frame(Id.STARTUP, b"\x64\0"), 1, 2) == 2:
                raise Declined("the stick has not started its network", 2)
            await up
    except NoAnswer as error:
        raise NoAnswer(f"the stick does not bring its network up: {error}") from error


async def _running(processor: Processor, ours: Network | None, carried: Carried) -> Network:
    """What is running now, by the stick's own word."""
    own = await processor.ask(Frame(Id.DEVICE_INFO))
    info = await processor.ask(Frame(Id.NETWORK_INFO))
    extended = carried.extended_pan_id if ours is None else ours.extended_pan_id
    key = carried.key if ours is None else ours.key
    if (
        extended is None
        or key is None
        or not isinstance(own, DeviceInfo)
        or not isinstance(info, NetworkInfo)
    ):
        raise ZigbeeError("the stick does not say which network it is in")
    counter = max(await frame_counter(processor), ours.counter if ours is not None else 0)
    return Network(info.pan_id, extended, info.channel, key, own.ieee, counter)


async def _register(processor: Processor) -> None:
    used = sorted({point.cluster for point in SERVED} | OPERATED | {IAS_ZONE, ON_OFF, POLL_CONTROL})
    # A remote that looks for something to work (match descriptor) finds the hub.
    served = sorted({BASIC, IDENTIFY, TIME, *SENT})
    await processor.do(register(OUR_ENDPOINT, served, used), THERE_ALREADY)
