"""What is answered to nodes, and how odd values of theirs are read."""

from __future__ import annotations

import struct

import pytest

from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import zcl
from hombi.links.zigbee.answers import parse
from hombi.links.zigbee.commands import Incoming
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.frames import Frame
from hombi.links.zigbee.points import SERVED, standard_points
from hombi.links.zigbee.profiles import read_profile
from hombi.links.zigbee.replies import answer


def heard(data: str, cluster: int = 0x0402, *, broadcast: bool = False, group: int = 0) -> Incoming:
    return Incoming(cluster, 0x1234, 1, 200, broadcast, bytes.fromhex(data), group)


@pytest.mark.parametrize(
    ("message", "said"),
    [
        (
            heard("08070a00002964 00".replace(" ", "")),
            "10070b0a00",
        ),  # a report from a server that wants a default response
        (heard("18070a0000296400"), None),  # and one that does not
        (heard("0c5f11070a0000296400"), "145f11070b0a00"),  # with the maker's code of the question
        (
            heard("0107 42", 0x0006),
            "18070b4281",
        ),  # a command that the hub does not know (81), the other way
        (
            heard("1107 42", 0x0006),
            "18070b4281",
        ),  # an error is said also to who wants no default response
        (heard("010742", 0x0006, group=5), None),
        (heard("010742", 0x0006, broadcast=True), None),
        (heard("08070b0a00"), None),  # a default response has none
        (
            heard("0007 00 0000 0400 9900", 0x0000),
            "180701" + "0000002003" + "0400004205486f6d6269" + "990086",
        ),
        (heard("0007 00 0100", 0x0402), "180701010086"),
        (heard("0007 02 0400 42 0178", 0x0000), "180704880400"),
        (heard("0007 02 9900 20 01", 0x0000), "180704869900"),
        (heard("0007 05 0400 42 0178", 0x0000), None),
        (heard("0007 0c 0000 02", 0x0000), "18070d00" + "000020" + "040042"),
        (heard("0007 0c 0500 09", 0x0000), "18070d01" + "050042" + "070030"),
        (heard("0007 06 00 0000 20 0a00 5802 01", 0x0000), "1807078c000000"),
        (heard("0007 15", 0x0402), "18070b1581"),  # a general command that there is not
    ],
)
def test_what_is_answered_is_as_the_standard_says(message: Incoming, said: str | None) -> None:
    frame = zcl.decode(message.data)
    result = answer(message, frame)
    assert (None if result is None else zcl.encode(result).hex()) == said


@pytest.mark.parametrize("short", [0x1234])
def test_the_extended_form_of_what_comes_is_understood(short: int) -> None:
    data = bytes.fromhex("18010a00002964 00".replace(" ", ""))
    long = (
        struct.pack(
            "<HHBQBHBBBBIBH", 0, 0x0402, 2, short, 1, 0x1A62, 1, 0, 190, 0, 77, 5, len(data)
        )
        + data
    )
    assert parse(Frame(0x4482, long)) == Incoming(0x0402, short, 1, 190, False, data)
    assert parse(Frame(0x4482, long + b"\x00\x1e")) == Incoming(0x0402, short, 1, 190, False, data)
    plain = struct.pack("<HHHBBBBBIBB", 0, 0x0402, short, 1, 1, 0, 190, 0, 77, 5, len(data)) + data
    assert parse(Frame(0x4481, plain)) == parse(Frame(0x4482, plain))
    with pytest.raises(CodecError):
        parse(Frame(0x4482, long[:15]))


@pytest.mark.parametrize(
    ("unit", "kind", "shown", "raw", "value"),
    [
        (0x00, "energy", "kWh", 1234, 1.234), (0x01, "volume", "m³", 1234, 1.234),
        (0x02, "volume", "m³", 1000, 0.028316847),
        (0x03, "volume", "m³", 1000, 2.831684659), (0x04, "volume", "l", 1000, 3.785411784),
        (0x05, "volume", "l", 1000, 4.54609),
        (0x06, "energy", "kWh", 1_000_000, 0.29307107), (0x07, "volume", "l", 1234, 1.234),
        (0x08, "number", "", 1234, 1.234),
        (0x0C, "energy", "kWh", 3600, 1.0), (0x0D, "number", "", 1234, 1.234),
        (0x80, "energy", "kWh", 0x1234, 1.234),
        (0x81, "volume", "m³", 0x1234, 1.234),
    ],
)  # fmt: skip
def test_a_meter_counts_in_its_own_unit(
    unit: int, kind: str, shown: str, raw: int, value: float
) -> None:
    facts = {"1/0702/0300": unit, "1/0702/0301": 1, "1/0702/0302": 1000}
    point = next(one for one in standard_points(1, [0x0702], facts) if one.attribute == 0)
    assert (point.kind, point.unit) == (kind, shown)
    assert point.value(raw) == pytest.approx(value)


@pytest.mark.parametrize("scale", [20, -128, 127])
def test_a_pressure_scale_that_cannot_be_is_passed_over(scale: int) -> None:
    (point,) = standard_points(1, [0x0403], {"1/0403/0010": 10132, "1/0403/0014": scale})
    assert point.attribute == 0
    assert zcl.configure([zcl.Reporting(0, dt.S16, 10, 600, 5e20)])


@pytest.mark.parametrize(
    "report",
    ["[10, 100000, 20]", "[-1, 600, 20]", "[600, 10, 20]", "[10, 600, -1]", "[10.5, 600, 1]"],
)
def test_a_report_that_does_not_fit_is_a_mistake(report: str) -> None:
    text = (
        f'[profile]\nmake = "A"\nmodel = "B"\n[[value]]\ncluster = 1\nattribute = 2\ntype = '
        f'"u8"\nname = "x"\nreport = {report}\n'
    )
    profile, toml = read_profile(text)
    assert profile is None
    assert (toml.mistakes[0].place.line, toml.mistakes[0].place.column) == (9, 10)


def test_the_lowest_level_is_not_off() -> None:
    level = next(one for one in SERVED if one.name == "level")
    assert [level.value(raw) for raw in (0, 1, 2, 3, 127, 254)] == [0.0, 1.0, 1.0, 1.0, 50.0, 100.0]
