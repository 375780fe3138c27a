"""GATT formats and advertisements, on bytes worked out by hand from the Bluetooth SIG's
specifications."""

from __future__ import annotations

import contextlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.kinds import KINDS
from hombi.links.bluetooth import gatt
from hombi.links.bluetooth.characteristics import CHARACTERISTICS
from hombi.links.bluetooth.decoders import Advert, Decoders, StandardDecoder, Value
from hombi.links.bluetooth.errors import GattError


@pytest.mark.parametrize(
    ("short", "data", "value"),
    [
        (gatt.TEMPERATURE, "c409", 25.0),
        (gatt.TEMPERATURE, "3ff9", -17.29),
        (gatt.TEMPERATURE, "0080", None),
        (gatt.HUMIDITY, "8813", 50.0),
        (gatt.HUMIDITY, "ffff", None),
        (gatt.PRESSURE, "02760f00", 101_325.0),
        (gatt.BATTERY_LEVEL, "5f", 95.0),
        (gatt.BATTERY_LEVEL, "ff", None),
    ],
)
def test_characteristics(short: int, data: str, value: float | None) -> None:
    form = CHARACTERISTICS[short]
    assert form.decode(bytes.fromhex(data)) == [None if value is None else pytest.approx(value)]
    assert form.encode(value) == bytes.fromhex(data)


def test_digital_signals_have_two_bits_each() -> None:
    assert gatt.digital(b"\xe4") == [False, True, None, None]
    assert gatt.digital(gatt.encode_digital(True))[0] is True
    with pytest.raises(GattError):
        gatt.digital(b"")


@pytest.mark.parametrize(
    ("data", "index", "on", "changed"),
    [
        ("00", 2, True, "10"),
        ("55", 0, False, "54"),
        ("ff", 3, False, "3f"),
        ("e4e4", 5, False, "e4e0"),
        ("11", 1, True, "15"),
    ],
)
def test_one_signal_is_changed_and_the_others_stay(
    data: str, index: int, on: bool, changed: str
) -> None:
    assert gatt.with_digital(bytes.fromhex(data), index, on).hex() == changed
    with pytest.raises(GattError, match="no signal"):
        gatt.with_digital(bytes.fromhex(data), 8, on)


@pytest.mark.parametrize("length", [0, 1, 3, 5, 6, 7, 9, 12, 13, 18])
def test_service_data_of_another_length_is_another_layout(length: int) -> None:
    with pytest.raises(GattError, match="2, 4 or 8 are expected"):
        StandardDecoder().decode(
            Advert("00:00:5E:00:53:01", "", -60, service_data={gatt.uuid(0x181A): bytes(length)})
        )


def test_uuids_of_16_bits() -> None:
    assert gatt.uuid(0x181A) == "0000181a-0000-1000-8000-00805f9b34fb"
    assert gatt.short_uuid("0000181A-0000-1000-8000-00805F9B34FB") == 0x181A
    assert gatt.short_uuid("6e400001-b5a3-f393-e0a9-e50e24dcca9e") is None
    assert Decoders().connects([gatt.uuid(0x181A).upper(), gatt.uuid(0x1801)])
    assert not Decoders().connects([gatt.uuid(0x1801)])


def advert(**service_data: str) -> Advert:
    data = {
        gatt.uuid(int(short[1:], 16)): bytes.fromhex(value) for short, value in service_data.items()
    }
    return Advert("00:00:5E:00:53:01", "", -60, service_data=data)


def test_service_data_of_the_standard_services() -> None:
    result = StandardDecoder().decode(advert(x181a="c409 8813", x180f="5f"))
    assert result == [
        Value("temperature", "temperature", 25.0, "°C"),
        Value("humidity", "humidity", 50.0, "%"),
        Value("battery", "battery", 95.0, "%"),
    ]
    assert StandardDecoder().decode(advert(x2a6e="0080")) == [
        Value("temperature", "temperature", None, "°C")
    ]
    assert StandardDecoder().decode(advert(xfeaa="00")) is None
    with pytest.raises(GattError, match="environmental sensing: 1 bytes"):
        StandardDecoder().decode(advert(x181a="c4"))


def test_decoders_come_from_entry_points() -> None:
    shelf = Advert("00:00:5E:00:53:22", "Shelf", -60, manufacturer_data={0xFFFF: b"RR\xd0\x20\x1d"})
    assert Decoders().decode(shelf) == [
        Value("weight", "mass", 8400, "g"),
        Value("battery voltage", "voltage", 2.9, "V"),
    ]
    assert Decoders().wrong == []


def test_a_decoder_that_fails_is_named_and_stops_nothing() -> None:
    class Hasty:
        def decode(self, advert: Advert) -> list[Value]:
            raise KeyError("x")

    with pytest.raises(GattError, match="the decoder Hasty failed: KeyError"):
        Decoders([Hasty()]).decode(advert(x181a="c409"))


@given(
    st.dictionaries(
        st.sampled_from([0x181A, 0x180F, 0x2A6E, 0x2A6F, 0xFEAA]), st.binary(max_size=12)
    ),
    st.binary(max_size=8),
)
def test_any_advertisement_is_read_or_refused_with_the_declared_error(
    data: dict[int, bytes], own: bytes
) -> None:
    result: list[Value] = []
    with contextlib.suppress(GattError):
        services = {gatt.uuid(short): value for short, value in data.items()}
        result = Decoders().decode(
            Advert("00:00:5E:00:53:01", "", -60, [], services, {0xFFFF: own})
        )
    assert all(one.kind in KINDS for one in result)
