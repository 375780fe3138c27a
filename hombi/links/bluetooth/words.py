"""What is heard of nodes, in the hub's terms: who they are, what they said, and what
they have."""

from __future__ import annotations

import msgspec
from bleak.backends.device import BLEDevice
from bleak.backends.scanner import AdvertisementData

from hombi.core.kinds import kind_by_key
from hombi.core.names import slug
from hombi.links.bluetooth import gatt
from hombi.links.bluetooth.decoders import Advert, Value
from hombi.links.bluetooth.peer import Signal
from hombi.links.offer import OfferedValue

SIGNAL = "signal"


def thing_id(address: str) -> str:
    """A node's address of 48 bits as a URN of 64 (RFC 9039, 4.1)."""
    digits = address.replace(":", "").lower()
    return f"urn:dev:mac:{digits[:6]}fffe{digits[6:]}"


def in_words(data: AdvertisementData) -> bytes:
    """An advertisement as JSON: what is in it by UUID and by company, in hex digits."""
    parts = {
        "name": data.local_name,
        "services": [_uuid(uuid) for uuid in data.service_uuids],
        "service data": {_uuid(one): content.hex() for one, content in data.service_data.items()},
        "manufacturer data": {
            f"0x{one:04X}": content.hex() for one, content in data.manufacturer_data.items()
        },
        "signal": data.rssi,
    }
    return msgspec.json.encode({name: part for name, part in parts.items() if part})


def _uuid(full: str) -> str:
    short = gatt.short_uuid(full)
    return full if short is None else f"0x{short:04X}"


def nameless(address: str) -> str:
    """What a node is called that says no name."""
    return f"Bluetooth node {address[-8:]}"


def advert_of(device: BLEDevice, data: AdvertisementData) -> Advert:
    """What decoders are given."""
    return Advert(
        device.address,
        data.local_name or "",
        data.rssi,
        data.service_uuids,
        data.service_data,
        data.manufacturer_data,
    )


def _offered(name: str, kind: str, wire: str, unit: str, *, writable: bool) -> OfferedValue:
    shown = f"{name[:1].upper()}{name[1:]}"
    usual = kind_by_key(kind).unit
    return OfferedValue(
        slug(name) or slug(wire),
        shown,
        kind,
        wire,
        (unit or usual) if usual else "",
        writable=writable,
    )


def value_of(value: Value) -> OfferedValue:
    """A value that is broadcast, as an arrival offers it."""
    return _offered(value.name, value.kind, value.name, value.unit, writable=False)


def value_of_signal(signal: Signal) -> OfferedValue:
    """A value of a node that is connected to, as an arrival offers it."""
    return _offered(signal.name, signal.kind, signal.wire, signal.unit, writable=signal.writable)


STRENGTH = OfferedValue("signal-strength", "Signal strength", "signal", SIGNAL, "dBm", hidden=True)
