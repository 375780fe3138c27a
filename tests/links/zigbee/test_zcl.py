"""ZCL, IAS and tunnelled values, on bytes worked out by hand from the specification,
and on any bytes at all."""

from __future__ import annotations

import contextlib
import math
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.links.zigbee import datatypes, tunnel, zcl
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.points import (
    LEVEL,
    METERING,
    POWER,
    PRESSURE,
    Point,
    name_apart,
    standard_points,
)
from hombi.links.zigbee.zcl import Attribute, Reporting, Zcl


def test_a_frame_has_its_control_byte_sequence_and_command() -> None:
    assert zcl.encode(Zcl(5, 0x01, cluster_command=True)) == bytes.fromhex("01 05 01")
    assert zcl.decode(bytes.fromhex("18 2a 0a 0000 29 3409")) == Zcl(
        0x2A, 0x0A, bytes.fromhex("0000293409"), from_server=True, no_default_response=True
    )
    assert zcl.encode(Zcl(1, 0x00, b"\x00\xf0", manufacturer=0x115F)) == bytes.fromhex(
        "04 5f11 01 00 00f0"
    )


@pytest.mark.parametrize(
    ("data", "why"),
    [("", "3 bytes"), ("0301", "3 bytes"), ("020102", "reserved"), ("04 5f11 01", "manufacturer")],
)
def test_what_is_no_frame_is_refused(data: str, why: str) -> None:
    with pytest.raises(CodecError, match=why):
        zcl.decode(bytes.fromhex(data))


@pytest.mark.parametrize(
    ("kind", "data", "value"),
    [
        (datatypes.BOOL, "01", True),
        (datatypes.BOOL, "ff", None),
        (datatypes.U8, "c8", 200),
        (datatypes.U8, "ff", None),
        (datatypes.BITMAP8, "ff", 255),
        (datatypes.U16, "3930", 12345),
        (datatypes.U16, "ffff", None),
        (datatypes.U24, "40420f", 1_000_000),
        (datatypes.U48, "00e40b540200", 10_000_000_000),
        (datatypes.S16, "3409", 2356),
        (datatypes.S16, "3ff9", -1729),
        (datatypes.S16, "0080", None),
        (datatypes.S24, "ffffff", -1),
        (datatypes.S24, "000080", None),
        (datatypes.ENUM8, "03", 3),
        (datatypes.ENUM8, "ff", None),
        (0x38, "0052", 48.0),
        (datatypes.SINGLE, "0000c03f", 1.5),
        (datatypes.SINGLE, "0000c07f", None),
        (datatypes.TEXT, "05 4c 6f 66 74 00", "Loft"),
        (datatypes.TEXT, "ff", None),
        (datatypes.OCTETS, "02 00ff", b"\x00\xff"),
        (datatypes.LONG_TEXT, "0200 6869", "hi"),
        (datatypes.UTC, "ffffffff", None),
        (datatypes.IEEE, "7766554433221100", 0x0011223344556677),
        (datatypes.ARRAY, "20 0200 01 ff", [1, None]),
        (datatypes.STRUCT, "0200 20 07 42 01 61", [7, "a"]),
    ],
)
def test_values_of_each_type(kind: int, data: str, value: Any) -> None:
    given_bytes = bytes.fromhex(data)
    assert datatypes.decode_value(given_bytes, 0, kind) == (value, len(given_bytes))
    if kind not in (datatypes.ARRAY, datatypes.STRUCT) and value != "Loft":
        decoded = datatypes.decode_value(datatypes.encode_value(kind, value), 0, kind)[0]
        assert decoded == value


@pytest.mark.parametrize(
    ("kind", "data"),
    [
        (datatypes.U16, "01"),
        (datatypes.TEXT, "05 41"),
        (datatypes.SINGLE, "0000"),
        (0x77, "00"),
        (datatypes.ARRAY, "20"),
    ],
)
def test_values_that_are_cut_off_are_refused(kind: int, data: str) -> None:
    with pytest.raises(CodecError):
        datatypes.decode_value(bytes.fromhex(data), 0, kind)


def test_nesting_has_an_end() -> None:
    with pytest.raises(CodecError):
        datatypes.decode_value(bytes.fromhex("480100" * 40), 0, datatypes.ARRAY)


def test_global_commands_are_laid_out_as_specified() -> None:
    assert zcl.read([0x0004, 0x0005]) == bytes.fromhex("0400 0500")
    assert zcl.parse_read_response(bytes.fromhex("0400 00 42 02 4f4b 0540 86")) == [
        Attribute(4, datatypes.TEXT, "OK"),
        Attribute(0x4005, 0, None, 0x86),
    ]
    assert zcl.write([Attribute(0x0010, datatypes.U16, 90)]) == bytes.fromhex("1000 21 5a00")
    temperature, contact = (
        Reporting(0, datatypes.S16, 10, 600, 20),
        Reporting(0, datatypes.BOOL, 0, 600),
    )
    assert zcl.configure([temperature]) == bytes.fromhex("00 0000 29 0a00 5802 1400")
    assert zcl.configure([contact]) == bytes.fromhex("00 0000 10 0000 5802"), (
        "two states have no change to wait for"
    )
    assert zcl.parse_configure(zcl.configure([temperature, contact])) == [temperature, contact]
    assert zcl.parse_statuses(b"\0") == {}
    assert zcl.parse_statuses(bytes.fromhex("88 1000")) == {0x0010: 0x88}
    assert zcl.parse_statuses(bytes.fromhex("8c 00 0100"), with_direction=True) == {0x0001: 0x8C}


PARSERS = [
    zcl.decode,
    zcl.parse_read,
    zcl.parse_read_response,
    zcl.parse_report,
    zcl.parse_configure,
    zcl.parse_statuses,
    tunnel.decode,
]


@given(st.sampled_from(PARSERS), st.binary(max_size=80))
def test_any_bytes_are_read_or_refused_with_the_declared_error(parser: Any, data: bytes) -> None:
    with contextlib.suppress(CodecError):
        parser(data)


@given(
    st.sampled_from(
        [datatypes.U8, datatypes.U16, datatypes.U32, datatypes.S8, datatypes.S16, datatypes.S32]
    ),
    st.integers(0, 126),
)
def test_numbers_come_back_as_they_were(kind: int, value: int) -> None:
    payload = zcl.write([Attribute(7, kind, value)])
    assert zcl.parse_report(payload) == [Attribute(7, kind, value)]


def test_tunnelled_values_are_big_endian() -> None:
    payload = bytes.fromhex("0001 03 02 0004 00000025 65 01 0001 01")
    result = [
        tunnel.Tunnelled(3, tunnel.S32, 37),
        tunnel.Tunnelled(101, tunnel.BOOL, True),
    ]
    assert tunnel.decode(payload) == (1, result)
    assert tunnel.encode(1, result) == payload
    assert tunnel.decode(bytes.fromhex("0002 05 02 0004 ffffffce"))[1][0].value == -50
    with pytest.raises(CodecError, match="tunnelled value 3 ends after 1 of its 4 bytes"):
        tunnel.decode(bytes.fromhex("0001 03 02 0004 00"))


def points(clusters: list[int], facts: dict[str, Any] | None = None) -> dict[str, Point]:
    return {point.name: point for point in standard_points(1, clusters, facts or {})}


@pytest.mark.parametrize(
    ("cluster", "name", "raw", "value"),
    [
        (0x0402, "temperature", 2356, 23.56),
        (0x0405, "humidity", 8125, 81.25),
        (0x0403, "pressure", 1013, 1013),
        (0x0400, "illuminance", 10_001, 10.0),
        (0x0400, "illuminance", 1, 1.0),
        (0x0400, "illuminance", 0, 0.0),
        (0x0404, "flow", 12, 1.2),
        (0x0406, "occupancy", 0x01, True),
        (0x0406, "occupancy", 0x00, False),
        (0x0408, "soil moisture", 3700, 37.0),
        (0x0407, "leaf wetness", 450, 4.5),
        (0x0409, "acidity", 650, 6.5),
        (0x040D, "CO2", 0.000415, 415.0),
        (0x042A, "PM2.5", 8.5, 8.5),
        (0x0001, "battery", 199, 99.5),
        (0x0006, "switch", True, True),
        (0x0008, "level", 254, 100.0),
        (0x0008, "level", 102, 40.0),
    ],
)
def test_clusters_come_to_values_in_their_unit(
    cluster: int, name: str, raw: Any, value: Any
) -> None:
    result = points([cluster])[name].value(raw)
    assert result is not None
    assert math.isclose(result, value)
    assert points([cluster])[name].value(None) is None


def test_a_level_is_written_as_what_reads_back_the_same() -> None:
    level = points([LEVEL])["level"]
    assert all(level.value(level.raw(percent)) == percent for percent in range(101))


def test_a_meter_is_scaled_by_its_own_factors() -> None:
    facts = {"1/0702/0301": 1, "1/0702/0302": 1000, "1/0702/0300": 0}
    assert points([METERING], facts)["energy"].value(31_245) == pytest.approx(31.245)
    assert points([METERING], {"1/0702/0302": 0})["energy"].value(5) == 5, (
        "a divisor of zero counts as one"
    )
    water = points([METERING], {"1/0702/0300": 1, "1/0702/0302": 1000})
    assert (water["meter"].kind, water["meter"].unit, water["meter"].value(1500)) == (
        "volume",
        "m³",
        1.5,
    )


def test_a_finer_pressure_is_taken_where_there_is_one() -> None:
    fine = points([PRESSURE], {"1/0403/0010": 10132, "1/0403/0014": -1})["pressure"]
    assert fine.attribute == 0x0010
    assert fine.value(10132) == pytest.approx(1013.2)


def test_a_battery_that_tells_its_voltage_only() -> None:
    assert set(points([POWER], {"1/0001/0020": 30})) == {"battery voltage"}
    assert set(points([POWER], {"1/0001/0021": 180})) == {"battery"}


def test_a_zone_is_what_its_type_says() -> None:
    leak = points([0x0500], {"1/0500/0001": 0x002A})["leak"]
    assert leak.value(0x0001) is True
    assert leak.value(0x0002) is True
    assert leak.value(0x0008) is False
    assert points([0x0500], {"1/0500/0001": 0x0015})["contact"].kind == "contact"
    assert points([0x0500], {})["alarm"].kind == "alarm"


def test_a_second_endpoint_has_names_of_its_own() -> None:
    two = name_apart([*standard_points(1, [6], {}), *standard_points(2, [6], {})])
    assert [one.name for one in two] == ["switch", "switch 2"]
