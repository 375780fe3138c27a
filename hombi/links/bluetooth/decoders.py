"""Decoders: what advertisements say. Those of others are added through the entry points
`hombi.bluetooth_decoders`.

A decoder is anything with `decode(advert)`, which gives the values that it finds, None
when the advertisement is none of its own. docs/bluetooth.md walks through one.
"""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from importlib.metadata import entry_points
from typing import Protocol

import msgspec

from hombi.core.kinds import KINDS
from hombi.links.bluetooth.gatt import (
    BATTERY_LEVEL,
    BATTERY_SERVICE,
    ENVIRONMENTAL_SENSING,
    FORMATS,
    GattError,
    short_uuid,
)

GROUP = "hombi.bluetooth_decoders"
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
    """One value in an advertisement. `kind` is one of the hub's, `unit` what the value
    is in; None is "no value"."""

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
                form = FORMATS.get(BATTERY_LEVEL if short == BATTERY_SERVICE else short)
                if form is not None:
                    values.append(Value(form.name, form.kind, form.decode(data), form.unit))
        return values or None


def _in_order(data: bytes) -> list[Value]:
    """Temperature, humidity and pressure, as many of them as there are. Bytes of
    another length are a maker's own layout."""
    if len(data) not in (2, 4, 8):
        raise GattError(f"environmental sensing: {len(data)} bytes, where 2, 4 or 8 are expected")
    values, at = [], 0
    for short in (0x2A6E, 0x2A6F, 0x2A6D):
        form = FORMATS[short]
        if at < len(data):
            values.append(Value(form.name, form.kind, form.decode(data[at:]), form.unit))
            at += form.size
    return values


class Decoders:
    """All decoders that are installed, asked in the order of their names; the first
    that knows an advertisement has it."""

    def __init__(self, more: Sequence[Decoder] = ()) -> None:
        self.wrong: list[str] = []
        self._decoders: list[Decoder] = [*more]
        for point in sorted(entry_points(group=GROUP), key=lambda one: one.name):
            try:
                self._decoders.append(point.load()())
            except Exception as error:  # noqa: BLE001 - another's code: whatever is wrong with it is told, and it is left out
                self.wrong.append(f"the Bluetooth decoder {point.name} cannot be used: {error}")

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
                return [value for value in values if value.kind in KINDS]
        return []
