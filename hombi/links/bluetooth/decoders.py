"""Decoders: what advertisements say. Those of others are added through the entry points
`hombi.bluetooth_decoders`.

A decoder is anything with `decode(advert)`, which gives the values that it finds, None
when the advertisement is none of its own. Those for nodes that are connected to are
added through `hombi.bluetooth_characteristics`: by the UUID of a maker's service, the
characteristics in it by theirs. docs/bluetooth.md walks through both.
"""

from __future__ import annotations

import logging
from collections.abc import Iterable, Mapping, Sequence
from importlib.metadata import EntryPoint, entry_points
from typing import Protocol

import msgspec

from hombi.core.kinds import Kind, kind_by_key
from hombi.links.bluetooth.characteristics import CHARACTERISTICS, Characteristic
from hombi.links.bluetooth.errors import GattError
from hombi.links.bluetooth.gatt import (
    BATTERY_LEVEL,
    BATTERY_SERVICE,
    ENVIRONMENTAL_SENSING,
    HUMIDITY,
    PRESSURE,
    SERVICES,
    TEMPERATURE,
    short_uuid,
    uuid,
)

GROUP, GROUP_CONNECTED = "hombi.bluetooth_decoders", "hombi.bluetooth_characteristics"
_log = logging.getLogger(__name__)


class Advert(msgspec.Struct, frozen=True):
    """One advertisement: who sent it, how well it is heard (dBm), and what is in it, by
    UUID and by company."""

    address: str
    name: str
    rssi: int
    services: Sequence[str] = ()
    service_data: Mapping[str, bytes] = {}
    manufacturer_data: Mapping[int, bytes] = {}


class Value(msgspec.Struct, frozen=True):
    """One value in an advertisement. `kind` is one of the hub's, with the words of a
    choice or a press ("press|pressed|held"); `unit` is what the value is in; None is
    "no value"."""

    name: str
    kind: str
    value: float | bool | None
    unit: str = ""


class Decoder(Protocol):
    """What an entry point gives when it is called without arguments."""

    def decode(self, advert: Advert) -> Sequence[Value] | None:
        """The values in an advertisement; None when it is none that this decoder
        knows."""


class StandardDecoder:
    """Service data under the Bluetooth SIG's own UUIDs: Battery, and Environmental
    Sensing.

    Under 0x181A some nodes send one characteristic's value and say by its length which:
    2 bytes are a temperature; the usual order is temperature, humidity, pressure, each
    as in its characteristic.
    """

    def decode(self, advert: Advert) -> Sequence[Value] | None:
        """The values under 0x181A and 0x180F, and under the characteristics' own
        UUIDs."""
        values: list[Value] = []
        for full, data in advert.service_data.items():
            short = short_uuid(full)
            if short == ENVIRONMENTAL_SENSING:
                values += _in_order(data)
            elif short is not None:
                form = CHARACTERISTICS.get(BATTERY_LEVEL if short == BATTERY_SERVICE else short)
                if form is not None:
                    values += _values(form, data)
        return values or None


def _in_order(data: bytes) -> list[Value]:
    """Temperature, humidity and pressure, as many of them as there are. Bytes of
    another length are a maker's own layout."""
    if len(data) not in (2, 4, 8):
        raise GattError(f"environmental sensing: {len(data)} bytes, where 2, 4 or 8 are expected")
    values: list[Value] = []
    for short, size in ((TEMPERATURE, 2), (HUMIDITY, 2), (PRESSURE, 4)):
        if data:
            values += _values(CHARACTERISTICS[short], data[:size])
            data = data[size:]
    return values


def _values(form: Characteristic, data: bytes) -> list[Value]:
    return [
        Value(held.name, held.kind, value, held.unit)
        for held, value in zip(form.holds, form.decode(data), strict=True)
    ]


def _kind(key: str) -> Kind | None:
    try:
        return kind_by_key(key)
    except (KeyError, AssertionError):
        return None


class Decoders:
    """All decoders that are installed, asked in the order of their names; the first
    that knows an advertisement has it."""

    def __init__(self, more: Sequence[Decoder] = ()) -> None:
        self.wrong: list[str] = []
        self._decoders: list[Decoder] = [*more]
        # Of nodes that are connected to: the services by which they are known, and the
        # characteristics, by UUID.
        self.services: set[str] = set()
        self.characteristics: dict[str, Characteristic] = {}
        for point in _entry_points(GROUP):
            try:
                self._decoders.append(point.load()())
            except Exception as error:  # noqa: BLE001 - another's code: whatever is wrong with it is told, and it is left out
                self._cannot_be_used(point, error)
        for point in _entry_points(GROUP_CONNECTED):
            try:
                self._take_up(point.load())
            except Exception as error:  # noqa: BLE001 - as above
                self._cannot_be_used(point, error)

    def _cannot_be_used(self, point: EntryPoint, error: Exception) -> None:
        self.wrong.append(f"the Bluetooth decoder {point.name} cannot be used: {error}")

    def _take_up(self, given: Mapping[str, Mapping[str, Characteristic]]) -> None:
        """Add a maker's services. Raises anything for what is none."""
        characteristics = {
            whose.lower(): form for within in given.values() for whose, form in within.items()
        }
        for form in characteristics.values():
            for held in form.holds:
                kind_by_key(held.kind)
        self.services |= {service.lower() for service in given}
        self.characteristics |= characteristics

    def connects(self, services: Iterable[str]) -> bool:
        """Whether a node with these services is to be connected to."""
        ours = {uuid(short) for short in SERVICES} | self.services
        return not ours.isdisjoint(service.lower() for service in services)

    def decode(self, advert: Advert) -> list[Value]:
        """The values in an advertisement; none for one that nobody knows. Raises
        GattError for one that is broken."""
        for decoder in self._decoders:
            try:
                values = decoder.decode(advert)
            except GattError:
                raise
            except Exception as error:
                raise GattError(
                    f"the decoder {type(decoder).__name__} failed: {error!r}"
                ) from error
            if values is not None:
                return [value for value in values if _kind(value.kind) is not None]
        return []


def _entry_points(group: str) -> list[EntryPoint]:
    return sorted(entry_points(group=group), key=lambda point: point.name)
