"""The table of characteristics and what descriptors say, on bytes worked out by hand
from the Bluetooth SIG's GATT Specification Supplement and Assigned Numbers."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.kinds import kind_by_key
from hombi.core.units import convert, find_unit
from hombi.links.bluetooth import descriptors
from hombi.links.bluetooth.characteristics import (
    CHARACTERISTICS,
    Held,
    medfloat16,
    medfloat32,
    number,
)
from hombi.links.bluetooth.descriptors import presentation, user_description
from hombi.links.bluetooth.errors import GattError

# UUID, the bytes, and the values in them, each in the unit of the table.
TOLD: list[tuple[int, str, list[float | None]]] = [
    (0x2A2C, "2c01", [3.0]),
    (0x2A6C, "f0d8ff", [-100.0]),
    (0x2A6D, "02760f00", [101_325.0]),
    (0x2A6E, "3ff9", [-17.29]),
    (0x2A6E, "0080", [None]),
    (0x2A6F, "8813", [50.0]),
    (0x2A6F, "ffff", [None]),
    (0x2A70, "e803", [10.0]),
    (0x2A71, "4b8c", [359.15]),
    (0x2A72, "0100", [0.01]),
    (0x2A73, "2823", [90.0]),
    (0x2A74, "0f", [1.5]),
    (0x2A75, "e80300", [1000.0]),
    (0x2A76, "0b", [11.0]),
    (0x2A77, "1027", [1000.0]),
    (0x2A78, "0c00", [12.0]),
    (0x2A79, "ec", [-20.0]),
    (0x2A7A, "26", [38.0]),
    (0x2A7B, "f6", [-10.0]),
    (0x2AA0, "f4018fff", [50.0, -11.3]),
    (0x2AA1, "f4018fff0a00", [50.0, -11.3, 1.0]),
    (0x2AA3, "01", [0.0]),
    (0x2AA3, "09", [8.0]),
    (0x2AA3, "00", [None]),
    (0x2AA3, "0a", [None]),
    (0x2AFB, "a08601", [1000.0]),
    (0x2AFB, "ffffff", [None]),
    (0x2B8C, "9001", [400.0]),
    (0x2B8C, "ffff", [None]),
    (0x2BCF, "19b0", [250_000.0]),
    (0x2BD0, "1980", [250.0]),
    (0x2BD1, "4e07", [1870.0]),
    (0x2BD2, "2880", [400.0]),
    (0x2BD3, "ffff", [None]),
    (0x2BD4, "3c80", [600.0]),
    (0x2BD5, "0180", [10.0]),
    (0x2BD6, "0580", [50.0]),
    (0x2BD6, "ff07", [None]),
    (0x2BD7, "0780", [70.0]),
    (0x2BD8, "0a80", [100.0]),
    (0x2BD9, "0290", [200.0]),
    (0x2BDF, "2003", [400.0]),
    (0x2BDF, "0080", [None]),
    (0x2BE4, "37", [55.0]),
    (0x2BE4, "ff", [None]),
    (0x2BE7, "7b00", [123.0]),
    (0x2B0D, "d8", [-20.0]),
    (0x2B0D, "7f", [None]),
    (0x2AE0, "6400a0", [1.0]),
    (0x2AE1, "8039a0", [230.0]),
    (0x2AEE, "fa00", [2.5]),
    (0x2AEE, "ffff", [None]),
    (0x2AF2, "393000", [12_345.0]),
    (0x2AF2, "ffffff", [None]),
    (0x2B05, "983a00", [1500.0]),
    (0x2B18, "8039", [230.0]),
    (0x2B18, "ffff", [None]),
    (0x2B8A, "b80b00", [300.0]),
    (0x2B8D, "5f", [0.95]),
    (0x2B8D, "7f", [None]),
    (0x2BE0, "006400", [400.0]),
    (0x2BE8, "0032", [50.0]),
    (0x2AE9, "8c0a", [2700.0]),
    (0x2AFC, "5203", [85.0]),
    (0x2AFF, "2603", [806.0]),
    (0x2B01, "c800", [200.0]),
    (0x2B03, "ffff", [100.0]),
    (0x2BE2, "102700", [10_000.0]),
    (0x2AE2, "01", [1.0]),
    (0x2AE2, "02", [None]),
    (0x2AE8, "00002041", [10.0]),
    (0x2AE8, "0000c07f", [None]),
    (0x2AEA, "3930", [12_345.0]),
    (0x2AEB, "ffffff", [None]),
    (0x2AF9, "0080", [100 * 0x8000 / 0xFFFF]),
    (0x2B02, "1400", [20.0]),
    (0x2B04, "c8", [100.0]),
    (0x2B04, "ff", [None]),
    (0x2B14, "180000", [24.0]),
    (0x2B15, "dc0500", [1500.0]),
    (0x2B16, "100e", [3600.0]),
    (0x2B17, "3c", [60.0]),
    (0x2B1B, "0500", [5.0]),
    (0x2BE6, "80510100", [86_400.0]),
    # 36.5 °C; 97.7 °F; not a number.
    (0x2A1C, "006d0100ff", [36.5]),
    (0x2A1C, "01d10300ff", [36.5]),
    (0x2A1E, "00ffff7f00", [None]),
    # 120/80 mmHg, mean 93, pulse 64; then with a time between; then 16/10.7 kPa.
    (0x2A35, "04780050005d004000", [120.0, 80.0, 93.0, 64.0]),
    (0x2A35, "06780050005d00ea070c020c1e004000", [120.0, 80.0, 93.0, 64.0]),
    (0x2A35, "01a0f06bf07cf0", [120.0099, 80.2566, 93.0076, None]),
    (0x2A36, "0078 00ff07ff07", [120.0, None, None, None]),
    (0x2A37, "0048", [72.0]),
    (0x2A37, "012c01", [300.0]),
    (0x2A5E, "006100 4800", [97.0, 72.0]),
    (0x2A5F, "006100ff07", [97.0, None]),
    (0x2A8E, "b600", [1.82]),
    (0x2A98, "b437", [71.3]),
    (0x2A9C, "0000d700", [21.5]),
    (0x2A9C, "0000ffff", [None]),
    (0x2A9D, "00b437", [71.3]),
    (0x2A9D, "0110 27", [45.3592]),
    (0x2A9D, "00ffff", [None]),
    (0x2A19, "5f", [95.0]),
    (0x2A19, "ff", [None]),
    # Present, on external power, charging, good; with a level after an identifier.
    (0x2BED, "02a30058", [88.0, 0.0, 0.0]),
    (0x2BED, "03a300070058", [88.0, 0.0, 0.0]),
    (0x2BED, "00c101", [None, 1.0, 2.0]),
    (0x2BED, "000100", [None, None, None]),
]


@pytest.mark.parametrize(("short", "data", "values"), TOLD)
def test_each_characteristic_is_read(short: int, data: str, values: list[float | None]) -> None:
    form = CHARACTERISTICS[short]
    told = form.decode(bytes.fromhex(data))
    assert list(told) == [None if v is None else pytest.approx(v, abs=1e-3) for v in values]
    assert len(told) == len(form.holds)


def test_every_characteristic_of_the_table_is_tried() -> None:
    assert {short for short, _, _ in TOLD} == CHARACTERISTICS.keys()
    assert len(CHARACTERISTICS) >= 60


def rows() -> list[str]:
    """The table of the document."""
    return [
        f"| 0x{short:04X} | "
        + ", ".join(f"{held.name} ({held.unit})" if held.unit else held.name for held in form.holds)
        + " |"
        for short, form in sorted(CHARACTERISTICS.items())
    ]


def test_the_document_names_them_all() -> None:
    text = (Path(__file__).parents[3] / "docs" / "bluetooth.md").read_text().splitlines()
    assert [line for line in text if line.startswith("| 0x")] == rows()


@pytest.mark.parametrize("short", CHARACTERISTICS)
def test_every_characteristic_has_a_kind_that_takes_its_unit(short: int) -> None:
    for held in CHARACTERISTICS[short].holds:
        kind = kind_by_key(held.kind)
        if held.unit:
            assert convert(1.0, held.unit, kind.unit)
        with pytest.raises(GattError):
            CHARACTERISTICS[short].decode(b"")


@given(st.sampled_from(sorted(CHARACTERISTICS)), st.binary(max_size=24))
def test_no_bytes_do_more_than_be_refused(short: int, data: bytes) -> None:
    form = CHARACTERISTICS[short]
    try:
        values = form.decode(data)
    except GattError:
        return
    assert len(values) == len(form.holds)
    for held, value in zip(form.holds, values, strict=True):
        words = kind_by_key(held.kind).words
        assert value is None or words is None or kind_by_key(held.kind).word(value) in words


@pytest.mark.parametrize(
    ("data", "value"),
    [
        ("6df0", 10.9),
        ("00f8", -204.8),
        ("0a10", 100.0),
        ("ff07", None),
        ("0008", None),
        ("fe07", None),
        ("0208", None),
        ("0108", None),
        ("ff17", 20_470.0),
    ],
)
def test_numbers_of_16_bits_with_an_exponent(data: str, value: float | None) -> None:
    assert medfloat16(bytes.fromhex(data)) == value


@pytest.mark.parametrize(
    ("data", "value"),
    [
        ("6d0100ff", 36.5),
        ("faffff00", -6.0),
        ("0a000002", 1000.0),
        ("ffff7f00", None),
        ("00008000", None),
        ("feff7f00", None),
        ("02008000", None),
    ],
)
def test_numbers_of_32_bits_with_an_exponent(data: str, value: float | None) -> None:
    assert medfloat32(bytes.fromhex(data)) == value


@pytest.mark.parametrize(
    ("format_", "data", "held", "value"),
    [
        ("0eff2f27010000", "6d01", Held("water", "temperature", "°C"), 36.5),
        ("0400ad27010000", "2a", Held("water", "level", "%"), 42.0),
        ("06fd012701 0000", "dc05", Held("water", "distance", "m"), 1.5),
        ("1000002701 0000", "feffffff", Held("water", "number"), -2.0),
        ("14002827010000", "00006643", Held("water", "voltage", "V"), 230.0),
        ("16002627010000", "6df0", Held("water", "power", "W"), 10.9),
        ("17002627010000", "6d0100ff", Held("water", "power", "W"), 36.5),
        ("01000027010000", "01", Held("water", "activity"), 1.0),
        ("0402ff27010000", "03", Held("water", "number"), 300.0),
    ],
)
def test_a_characteristic_that_says_how_it_is_read(
    format_: str, data: str, held: Held, value: float
) -> None:
    how = presentation(bytes.fromhex(format_))
    assert how is not None
    form = how.of("water")
    assert form is not None
    assert form.holds == (held,)
    assert form.decode(bytes.fromhex(data)) == [value]


def test_texts_and_structures_are_not_numbers() -> None:
    for format_ in (0x19, 0x1B, 0x02, 0x0B, 0xFF):
        how = presentation(bytes((format_, 0, 0, 0x27, 1, 0, 0)))
        assert how is not None
        assert how.of("text") is None
    assert presentation(b"\x04\x00") is None


def test_the_units_of_presentations_are_those_of_their_kinds() -> None:
    for unit, kind in descriptors._UNITS.values():
        assert find_unit(unit).measures == find_unit(kind_by_key(kind).unit).measures


def test_names_of_nodes_are_short_and_printable() -> None:
    assert user_description(b"Rain barrel\0") == "Rain barrel"
    assert user_description(b"\x1b[2JWell" + b"x" * 99) == "[2JWell" + "x" * 33
    assert user_description(b"") == ""


def test_a_value_that_does_not_fit_is_refused() -> None:
    with pytest.raises(GattError, match="300 does not fit"):
        number(Held("level", "level", "%"), 1).encode(300)
