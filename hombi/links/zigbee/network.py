"""The network that the stick carries: forming one, going on with ours, and never silently taking or losing another."""

from __future__ import annotations

import secrets
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
from hombi.links.zigbee.errors import Declined, ForeignNetwork, NoAnswer, ZigbeeError
from hombi.links.zigbee.frames import Frame
from hombi.links.zigbee.points import IAS_ZONE, ON_OFF, POLL_CONTROL, SERVED, TIME
from hombi.links.zigbee.processor import RESET_S, Processor

# The channels of IEEE 802.15.4 that lie between the usual Wi-Fi ones, the last of which few nodes may use at full power.
CHANNELS = (11, 15, 20, 25)
FORM_S = 20.0
OUR_ENDPOINT = 1
THERE_ALREADY = 0xB8
COMMISSION_FORM = 4
KEEP, CLEAN = "keep", "clean"


@dataclass(frozen=True, slots=True)
class Network:
    """A network's parameters and key: with these, another stick can take it over. `ieee` is the stick's own address."""

    pan_id: int
    extended_pan_id: int
    channel: int
    key: str
    ieee: int = 0

    def same(self, other: Network) -> bool:
        """Whether it is the same network."""
        return (self.extended_pan_id, self.key) == (other.extended_pan_id, other.key)

    def kept(self) -> dict[str, Any]:
        """For the records; 64-bit numbers as hex, since JSON has none of that size."""
        return {**asdict(self), "extended_pan_id": f"{self.extended_pan_id:016x}", "ieee": f"{self.ieee:016x}"}

    @classmethod
    def of(cls, kept: dict[str, Any]) -> Network:
        """As it was kept."""
        return cls(**{**kept, "extended_pan_id": int(kept["extended_pan_id"], 16), "ieee": int(kept["ieee"], 16)})

    @classmethod
    def fresh(cls) -> Network:
        """A new one, all of it by chance."""
        pan_id = 1 + secrets.randbelow(0xFFFD)
        return cls(pan_id, secrets.randbits(63) + 1, secrets.choice(CHANNELS), secrets.token_hex(16))


async def bring_up(processor: Processor, kept: Network | None, choice: str = "") -> tuple[Network, Version]:
    """Have the stick run our network: the kept one, or a new one. `choice` is what a person said to do with a foreign one.

    Raises ForeignNetwork when the stick carries one that is not ours and nobody has said what to do; NoAnswer, Declined.
    """
    version = await _reset(processor)
    carried = await _carried(processor)
    if carried is not None and not (kept is not None and carried.same(kept)):
        if choice == KEEP:
            kept = carried
        elif choice == CLEAN:
            carried = None
        else:
            raise ForeignNetwork(
                f"the Zigbee stick carries a network that is not this house's (PAN 0x{carried.pan_id:04X}, "
                f"channel {carried.channel}); "
                "keep it with `hombi zigbee keep`, or start clean with `hombi zigbee clean`"
            )
    if carried is None:
        await _write(processor, kept or Network.fresh())
        await _form(processor, version)
    else:
        await _resume(processor)
    network = await _running(processor, carried or await _carried(processor))
    await _register(processor)
    return network, version


async def _reset(processor: Processor) -> Version:
    async with processor.expect(Reset, within_s=RESET_S) as up:
        processor.send(Frame(Id.RESET, b"\x01"))
        await up
    version = await processor.ask(Frame(Id.VERSION))
    assert isinstance(version, Version)
    return version


async def _carried(processor: Processor) -> Network | None:
    """The network in the stick's store; None when there is none."""
    extended = await processor.stored(Item.EXTENDED_PAN_ID)
    pan_id = await processor.stored(Item.PAN_ID)
    key = await processor.stored(Item.NETWORK_KEY)
    channels = await processor.stored(Item.CHANNELS)
    if extended is None or pan_id is None or key is None or channels is None:
        return None
    if extended in (bytes(8), b"\xff" * 8) or pan_id == b"\xff\xff":
        return None
    mask = int.from_bytes(channels, "little")
    channel = (mask & -mask).bit_length() - 1
    return Network(int.from_bytes(pan_id, "little"), int.from_bytes(extended, "little"), channel, key.hex())


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


async def _form(processor: Processor, version: Version) -> None:
    channels = await processor.stored(Item.CHANNELS) or b""
    async with processor.expect(StateChanged, lambda n: n.state == COORDINATOR_UP, FORM_S) as up:
        if version.product:
            await processor.do(Frame(Id.SET_CHANNEL, b"\x01" + channels))
            await processor.do(Frame(Id.SET_CHANNEL, b"\0" + bytes(4)))
            await processor.do(Frame(Id.COMMISSION, bytes((COMMISSION_FORM,))))
        else:
            await processor.do(Frame(Id.STARTUP, b"\x64\0"), 1)
        await up


async def _resume(processor: Processor) -> None:
    try:
        async with processor.expect(StateChanged, lambda n: n.state == COORDINATOR_UP, FORM_S) as up:
            if await processor.do(Frame(Id.STARTUP, b"\x64\0"), 1, 2) == 2:
                raise Declined("the stick has not started its network", 2)
            await up
    except NoAnswer as error:
        raise NoAnswer(f"the stick does not bring its network up: {error}") from error


async def _running(processor: Processor, carried: Network | None) -> Network:
    """What is running now, by the stick's own word."""
    own = await processor.ask(Frame(Id.DEVICE_INFO))
    info = await processor.ask(Frame(Id.NETWORK_INFO))
    if carried is None or not isinstance(own, DeviceInfo) or not isinstance(info, NetworkInfo):
        raise ZigbeeError("the stick does not say which network it is in")
    return Network(info.pan_id, carried.extended_pan_id, info.channel, carried.key, own.ieee)


async def _register(processor: Processor) -> None:
    used = sorted({one.cluster for one in SERVED} | {IAS_ZONE, ON_OFF, POLL_CONTROL})
    await processor.do(register(OUR_ENDPOINT, [0x0000, TIME], used), THERE_ALREADY)
